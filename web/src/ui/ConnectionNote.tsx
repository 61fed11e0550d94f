import { useSyncExternalStore } from "react";
import { connections } from "../api/listen";

/** A word while the server cannot be reached; it goes once it can. */
export function ConnectionNote() {
  const { away } = useSyncExternalStore(connections.subscribe, connections.now);
  return (
    <div className="connection-note" role="status">
      {away && (
        <span>
          <b>The server cannot be reached.</b> What is shown may be old, and nothing can be saved; it is tried again by
          itself.
        </span>
      )}
    </div>
  );
}
