/** How long the stream may be away before that is told, in milliseconds: a restart is shorter. */
const PATIENCE = 2_500;

/** Whether the stream of events is open; heard by whoever shows that. */
export interface Connection {
  away: boolean;
}

let connection: Connection = { away: false };
const listeners = new Set<() => void>();

export const connections = {
  now: () => connection,
  subscribe: (tell: () => void) => {
    listeners.add(tell);
    return () => {
      listeners.delete(tell);
    };
  },
};

function set(away: boolean) {
  if (connection.away === away) return;
  connection = { away };
  for (const tell of listeners) tell();
}

/**
 * Listens to server-sent events at `address`, each kind with what it calls; gives what ends it.
 *
 * A stream that breaks is opened again, by the browser where it can, and by us where it gave up, as
 * when something else answered in the meantime. A page that is left stays with its connections in the
 * browser's cache of pages for a while, and of those there are six for each server: so it stops to
 * listen, and begins again when it is shown again.
 */
export function listen(address: string, heard: Record<string, (event: MessageEvent<string>) => void>): () => void {
  let events: EventSource | undefined;
  let broken: ReturnType<typeof setTimeout> | undefined;
  let again: ReturnType<typeof setTimeout> | undefined;
  const onOpen = () => {
    clearTimeout(broken);
    broken = undefined;
    set(false);
  };
  const onError = () => {
    broken ??= setTimeout(() => {
      set(true);
    }, PATIENCE);
    if (events?.readyState !== EventSource.CLOSED) return;
    close();
    again = setTimeout(open, PATIENCE);
  };
  function open() {
    if (events) return;
    events = new EventSource(address);
    events.addEventListener("open", onOpen);
    events.addEventListener("error", onError);
    for (const [kind, call] of Object.entries(heard)) events.addEventListener(kind, call);
  }
  function close() {
    clearTimeout(again);
    events?.close();
    events = undefined;
  }
  const leave = () => {
    clearTimeout(broken);
    broken = undefined;
    close();
  };
  open();
  addEventListener("pagehide", leave);
  addEventListener("pageshow", open);
  return () => {
    removeEventListener("pagehide", leave);
    removeEventListener("pageshow", open);
    leave();
  };
}
