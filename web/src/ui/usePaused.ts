import { useEffect, useState } from "react";

/** A text, once it has not changed for `pause` milliseconds. */
export function usePaused(text: string, pause: number) {
  const [paused, setPaused] = useState(text);
  useEffect(() => {
    const timer = setTimeout(() => {
      setPaused(text);
    }, pause);
    return () => {
      clearTimeout(timer);
    };
  }, [text, pause]);
  return paused;
}
