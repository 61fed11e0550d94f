import { useEffect, useRef, useState } from "react";
import type { Picture } from "../api/client";

/** What moving waits for until the address tells of it, in milliseconds. */
const SETTLES_AFTER = 300;

/** Which row is the current one: it begins where the address says, and the address follows it. */
export function useCurrentRow(
  pictures: Picture[],
  at: string | undefined,
  onAt: (id: string | undefined) => void,
): [number, (row: number) => void] {
  const [current, setCurrent] = useState(() =>
    Math.max(
      0,
      pictures.findIndex(({ id }) => id === at),
    ),
  );
  const waiting = useRef<ReturnType<typeof setTimeout>>(undefined);
  useEffect(
    () => () => {
      clearTimeout(waiting.current);
    },
    [],
  );
  const move = (row: number) => {
    setCurrent(row);
    clearTimeout(waiting.current);
    waiting.current = setTimeout(() => {
      onAt(pictures[row]?.id);
    }, SETTLES_AFTER);
  };
  return [Math.min(current, Math.max(0, pictures.length - 1)), move];
}
