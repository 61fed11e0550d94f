/** Files on their way into the library, a few at a time. */
import { ApiError, type Picture, type Problem } from "../api/client";

export type Stage =
  | { name: "waiting" }
  | { name: "sending"; sent: number }
  | { name: "checking" }
  | { name: "taken"; picture: Picture }
  | { name: "there already"; picture: Picture }
  | { name: "refused"; reason: string; final: boolean }
  | { name: "cancelled" };

export interface Arrival {
  key: number;
  file: File;
  stage: Stage;
}

const AT_ONCE = 3;

class Arrivals {
  private list: readonly Arrival[] = [];
  private readonly listeners = new Set<() => void>();
  private readonly requests = new Map<number, XMLHttpRequest>();
  private next = 0;
  private sentSince: { time: number; bytes: number } | undefined;
  private sentBytes = 0;

  readonly subscribe = (listener: () => void) => {
    this.listeners.add(listener);
    return () => { this.listeners.delete(listener); };
  };

  readonly all = () => this.list;

  /** Queues `files`; those above `most` bytes are refused at once, since the server would. */
  add(files: Iterable<File>, most: number, limit: string) {
    const added = [...files].map((file): Arrival => {
      const tooLarge = file.size > most;
      const stage: Stage = tooLarge
        ? { name: "refused", reason: `The file is larger than ${limit}, the most that is taken. Scale it down or save it with less quality first.`, final: true }
        : { name: "waiting" };
      return { key: this.next++, file, stage };
    });
    this.list = [...added, ...this.list];
    this.work();
  }

  retry(key: number) {
    this.set(key, { name: "waiting" });
    this.work();
  }

  cancel(key: number) {
    this.requests.get(key)?.abort();
    this.set(key, { name: "cancelled" });
    this.work();
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

  private work() {
    const waiting = this.list.filter(({ stage }) => stage.name === "waiting").reverse();
    for (const arrival of waiting.slice(0, AT_ONCE - this.requests.size)) this.send(arrival);
    if (this.requests.size === 0) this.sentSince = undefined;
    this.tell();
  }

  private send({ key, file }: Arrival) {
    const request = new XMLHttpRequest();
    this.requests.set(key, request);
    this.sentSince ??= { time: performance.now(), bytes: this.sentBytes };
    let sent = 0;
    request.upload.onprogress = ({ loaded }) => {
      this.sentBytes += loaded - sent;
      sent = loaded;
      this.set(key, { name: "sending", sent: Math.min(loaded, file.size) });
    };
    request.upload.onload = () => { this.set(key, { name: "checking" }); };
    request.onload = () => { this.set(key, answered(request)); };
    request.onerror = () => {
      const reason = "The server cannot be reached. See that it is running, then try again.";
      this.set(key, { name: "refused", reason, final: false });
    };
    request.onloadend = () => {
      this.requests.delete(key);
      this.work();
    };
    const form = new FormData();
    form.append("file", file, file.name);
    request.open("POST", "/api/pictures");
    this.set(key, { name: "sending", sent: 0 });
    request.send(form);
  }

  private set(key: number, stage: Stage) {
    this.list = this.list.map((arrival) =>
      arrival.key === key && arrival.stage.name !== "cancelled" || arrival.key === key && stage.name === "waiting"
        ? { ...arrival, stage }
        : arrival,
    );
    this.tell();
  }

  private tell() {
    for (const listener of this.listeners) listener();
  }
}

export const isUnderWay = (stage: Stage) =>
  stage.name === "waiting" || stage.name === "sending" || stage.name === "checking";

function answered(request: XMLHttpRequest): Stage {
  const body = read(request.responseText);
  if (request.status === 201) return { name: "taken", picture: body as Picture };
  if (request.status === 200) return { name: "there already", picture: body as Picture };
  const reason = new ApiError(body as Partial<Problem> | undefined, request.status).message;
  // What the file itself is guilty of will not change by sending it again.
  return { name: "refused", reason, final: [413, 415, 422].includes(request.status) };
}

function read(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}

export const arrivals = new Arrivals();
