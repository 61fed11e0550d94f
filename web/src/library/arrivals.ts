/** Files on their way into the library, a few at a time; what breaks off goes on where it stood. */
import {
  ApiError,
  api,
  unwrap,
  type Appended,
  type FileOutcome,
  type Problem,
  type ImportAction,
  type UploadBody,
  siteApi,
} from "../api/client";

export type Stage =
  | { name: "waiting" }
  | { name: "sending"; sent: number }
  | { name: "checking" }
  | { name: "done"; files: FileOutcome[] }
  | { name: "refused"; reason: string; final: boolean }
  | { name: "cancelled" };

export interface Arrival {
  key: number;
  file: File;
  /** The folder it lay in, below the one that was dropped. */
  folder: string;
  stage: Stage;
  /** The upload's number, once it was begun: it goes on from where it stands. */
  upload?: string;
}

export interface Incoming {
  file: File;
  folder: string;
}

const AT_ONCE = 3;
/** Bytes that are sent in one request: what is lost at most when the connection is. */
const PIECE = 8_000_000;

class Arrivals {
  private list: readonly Arrival[] = [];
  private readonly listeners = new Set<() => void>();
  private readonly under = new Map<number, AbortController>();
  private next = 0;
  private sentSince: { time: number; bytes: number } | undefined;
  private sentBytes = 0;
  /** What is done with the files that come next; nothing for the site's own rule. */
  import_action: ImportAction | undefined;

  readonly subscribe = (listener: () => void) => {
    this.listeners.add(listener);
    return () => {
      this.listeners.delete(listener);
    };
  };

  readonly all = () => this.list;

  /** Queues files; those that are larger than is taken are refused at once, since the server would. */
  add(files: Iterable<Incoming>, most: number, limit: string) {
    const added = [...files].map(({ file, folder }): Arrival => {
      const tooLarge = file.size > most && !isArchive(file);
      const stage: Stage = tooLarge
        ? {
            name: "refused",
            reason: `The file is larger than ${limit}, the most that is accepted. Scale it down or save it with less quality first.`,
            final: true,
          }
        : { name: "waiting" };
      return { key: this.next++, file, folder, stage };
    });
    this.list = [...added, ...this.list];
    this.adjustments();
  }

  retry(key: number) {
    this.set(key, { stage: { name: "waiting" } });
    this.adjustments();
  }

  retryAll() {
    for (const { key, stage } of this.list) if (stage.name === "refused" && !stage.final) this.retry(key);
  }

  cancel(key: number) {
    this.under.get(key)?.abort();
    const upload = this.list.find((arrival) => arrival.key === key)?.upload;
    if (upload) void api.DELETE("/uploads/{id}", { params: { path: { id: upload } } });
    this.list = this.list.map((arrival) =>
      arrival.key === key ? { key, file: arrival.file, folder: arrival.folder, stage: { name: "cancelled" } } : arrival,
    );
    this.tell();
    this.adjustments();
  }

  cancelAll() {
    for (const { key, stage } of this.list) if (isUnderWay(stage)) this.cancel(key);
  }

  /** Takes what is done off the list. */
  clear() {
    this.list = this.list.filter(({ stage }) => isUnderWay(stage));
    this.tell();
  }

  /** Seconds until everything is sent, from the speed so far; nothing while that is unknown. */
  secondsLeft(): number | undefined {
    if (!this.sentSince) return undefined;
    const seconds = (performance.now() - this.sentSince.time) / 1000;
    const sent = this.sentBytes - this.sentSince.bytes;
    if (seconds < 0.5 || sent <= 0) return undefined;
    const left = this.list.reduce((sum, { file, stage }) => {
      if (stage.name === "waiting") return sum + file.size;
      return stage.name === "sending" ? sum + file.size - stage.sent : sum;
    }, 0);
    return left / (sent / seconds);
  }

  private adjustments() {
    const waiting = this.list.filter(({ stage }) => stage.name === "waiting").reverse();
    for (const arrival of waiting.slice(0, AT_ONCE - this.under.size)) void this.send(arrival);
    if (this.under.size === 0) this.sentSince = undefined;
    this.tell();
  }

  private async send(arrival: Arrival) {
    const { key } = arrival;
    const controller = new AbortController();
    this.under.set(key, controller);
    this.sentSince ??= { time: performance.now(), bytes: this.sentBytes };
    this.set(key, { stage: { name: "sending", sent: 0 } });
    try {
      const files = await this.sendPieces(arrival, controller.signal);
      this.set(key, { stage: { name: "done", files } });
    } catch (error) {
      if (!controller.signal.aborted) this.set(key, { stage: refused(error) });
    }
    this.under.delete(key);
    this.adjustments();
  }

  private async sendPieces(arrival: Arrival, signal: AbortSignal): Promise<FileOutcome[]> {
    const { key, file } = arrival;
    const upload = await this.begin(arrival);
    let { offset } = upload;
    for (;;) {
      const piece = file.slice(offset, offset + PIECE);
      const done = await sendPiece(upload.id, offset, piece, signal, (sent) => {
        this.sentBytes += sent;
        offset += sent;
        const stage: Stage = offset >= file.size ? { name: "checking" } : { name: "sending", sent: offset };
        this.set(key, { stage });
      });
      offset = done.offset + (done.files ? piece.size : 0);
      if (done.files) return done.files;
    }
  }

  /** Where the upload stands that was begun before, or a new one. */
  private async begin({ key, file, folder, upload }: Arrival): Promise<UploadBody> {
    if (upload) {
      const found = await api.GET("/uploads/{id}", { params: { path: { id: upload } } });
      if (found.data) return found.data;
    }
    const import_action = this.import_action && { import_action: this.import_action };
    const body = { name: file.name, bytes: file.size, folder, ...import_action };
    const begun = unwrap(await api.POST("/uploads", { body }));
    this.set(key, { upload: begun.id });
    return begun;
  }

  private set(key: number, change: Partial<Arrival>) {
    this.list = this.list.map((arrival) =>
      arrival.key === key && (arrival.stage.name !== "cancelled" || change.stage?.name === "waiting")
        ? { ...arrival, ...change }
        : arrival,
    );
    this.tell();
  }

  private tell() {
    for (const listener of this.listeners) listener();
  }
}

export const isArchive = (file: File) => file.name.toLowerCase().endsWith(".zip");

export const isUnderWay = (stage: Stage) =>
  stage.name === "waiting" || stage.name === "sending" || stage.name === "checking";

/** Sends one piece, telling how it gets on, which `fetch` cannot. */
function sendPiece(
  id: string,
  offset: number,
  piece: Blob,
  signal: AbortSignal,
  onSent: (bytes: number) => void,
): Promise<Appended> {
  return new Promise((done, fail) => {
    const request = new XMLHttpRequest();
    let sent = 0;
    const until = (bytes: number) => {
      if (bytes > sent) onSent(bytes - sent);
      sent = Math.max(sent, bytes);
    };
    request.upload.onprogress = ({ loaded }) => {
      until(loaded);
    };
    request.upload.onload = () => {
      until(piece.size);
    };
    request.onload = () => {
      const body = read(request.responseText);
      if (request.status === 200) done(body as Appended);
      else fail(new ApiError(body as Partial<Problem> | undefined, request.status));
    };
    request.onerror = () => {
      fail(
        new Error(
          "The server cannot be reached. See that it is running, then try again: it goes on from where it stood.",
        ),
      );
    };
    request.onabort = () => {
      fail(new Error("cancelled"));
    };
    signal.addEventListener("abort", () => {
      request.abort();
    });
    request.open("PATCH", `${siteApi}/uploads/${id}?offset=${offset}`);
    request.setRequestHeader("Content-Type", "application/octet-stream");
    request.send(piece);
  });
}

function refused(error: unknown): Stage {
  const reason = error instanceof Error ? error.message : "The file could not be sent.";
  // What the file itself is guilty of will not change by sending it again.
  const final = error instanceof ApiError && [413, 415, 422].includes(error.status);
  return { name: "refused", reason, final };
}

function read(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}

export const arrivals = new Arrivals();
