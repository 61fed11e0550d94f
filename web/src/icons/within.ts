import type { IconLooks, Rect } from "../api/client";

export type Size = IconLooks["source"];

/** A square as near to a place and a side as a picture has room for it. */
export function within(source: Size, x: number, y: number, side: number): Rect {
  const length = Math.round(Math.max(1, Math.min(side, source.width, source.height)));
  const start = (at: number, room: number) => Math.round(Math.max(0, Math.min(at, room - length)));
  return { x: start(x, source.width), y: start(y, source.height), width: length, height: length };
}
