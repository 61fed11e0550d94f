import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";

/** Looks again at what others changed: a script that uploads, a second window. */
export function useChanges() {
  const queries = useQueryClient();
  useEffect(() => {
    const events = new EventSource("/api/events");
    const refresh = () => void queries.invalidateQueries();
    // What happened before the stream was open, or while it was broken, was not told.
    for (const name of ["open", "pictures", "variants", "layouts", "measuring", "all"])
      events.addEventListener(name, refresh);
    return () => {
      events.close();
    };
  }, [queries]);
}
