import { useRef } from "react";

/** Presses within this many milliseconds go on from each other, and not from what was answered so
    far. */
const ONE_GO = 500;

/** What keys that are pressed quickly one after the other have come to. */
export function usePressed<T>() {
  const last = useRef<{ value: T; at: number }>(undefined);
  return {
    from: (answered: T) => (last.current && Date.now() - last.current.at < ONE_GO ? last.current.value : answered),
    note: (value: T) => { last.current = { value, at: Date.now() }; },
  };
}
