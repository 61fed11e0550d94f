/**
 * Listens to server-sent events at `address`, each kind with what it calls; gives what ends it.
 *
 * A page that is left stays with its connections in the browser's cache of pages for a while, and of
 * those there are six for each server: so it stops to listen, and begins again when it is shown again.
 */
export function listen(address: string, heard: Record<string, (event: MessageEvent<string>) => void>): () => void {
  let events: EventSource | undefined;
  const open = () => {
    events ??= new EventSource(address);
    for (const [kind, call] of Object.entries(heard)) events.addEventListener(kind, call);
  };
  const close = () => {
    events?.close();
    events = undefined;
  };
  open();
  addEventListener("pagehide", close);
  addEventListener("pageshow", open);
  return () => {
    removeEventListener("pagehide", close);
    removeEventListener("pageshow", open);
    close();
  };
}
