import { useRef, type KeyboardEvent } from "react";

/** Presses within this many milliseconds go on from each other, and not from what was answered so
    far. */
const ONE_GO = 500;

/** What keys that are pressed quickly one after the other have come to. */
export function usePressed<T>() {
  const last = useRef<{ value: T; at: number }>(undefined);
  return {
    from: (answered: T) => (last.current && Date.now() - last.current.at < ONE_GO ? last.current.value : answered),
    note: (value: T) => {
      last.current = { value, at: Date.now() };
    },
  };
}

/** Where an arrow key leads, across and down, `by` far and with Shift ten times as far; nothing for
    any other key. */
export function arrow(event: KeyboardEvent, by: number): [number, number] | undefined {
  const far = event.shiftKey ? 10 * by : by;
  const moves: Record<string, [number, number]> = {
    ArrowLeft: [-far, 0],
    ArrowRight: [far, 0],
    ArrowUp: [0, -far],
    ArrowDown: [0, far],
  };
  const move = moves[event.key];
  if (move) {
    event.preventDefault();
    event.stopPropagation();
  }
  return move;
}
