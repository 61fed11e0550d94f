/** Pixels of a small icon while it is touched up: colours as `#rrggbb`, or `transparent`. */
import type { TouchUps } from "../api/client";

export interface Pixels {
  side: number;
  /** Row by row. */
  colours: string[];
}

export const NO_TOUCHES: TouchUps = { right: 0, down: 0, pixels: [], on: "" };

const hex = (value: number | undefined) => (value ?? 0).toString(16).padStart(2, "0");

/** The pixels of an image's data; what is half transparent shows its colour. */
export function pixelsOf(data: Uint8ClampedArray, side: number): Pixels {
  const colours = Array.from({ length: side * side }, (_, n) => {
    const at = 4 * n;
    return (data[at + 3] ?? 0) < 16 ? "transparent" : `#${hex(data[at])}${hex(data[at + 1])}${hex(data[at + 2])}`;
  });
  return { side, colours };
}

/** How they are with touch-ups: moved first, then set. */
export function touched({ side, colours }: Pixels, { right = 0, down = 0, pixels }: TouchUps): Pixels {
  const next = colours.map((_, n) => {
    const [x, y] = [(n % side) - right, Math.floor(n / side) - down];
    return x >= 0 && x < side && y >= 0 && y < side ? (colours[y * side + x] ?? "transparent") : "transparent";
  });
  for (const { x, y, colour } of pixels ?? []) next[y * side + x] = colour;
  return { side, colours: next };
}

/** Touch-ups with one more pixel set. */
export function set(touches: TouchUps, x: number, y: number, colour: string): TouchUps {
  const others = (touches.pixels ?? []).filter((one) => one.x !== x || one.y !== y);
  return { ...touches, pixels: [...others, { x, y, colour }] };
}

/** The places that are joined to one and have its colour. */
export function joined({ side, colours }: Pixels, x: number, y: number): [number, number][] {
  const of = colours[y * side + x];
  const seen = new Set([y * side + x]);
  const waiting: [number, number][] = [[x, y]];
  const found: [number, number][] = [];
  for (let next = waiting.pop(); next; next = waiting.pop()) {
    found.push(next);
    const [at, row] = next;
    const around: [number, number][] = [
      [at - 1, row],
      [at + 1, row],
      [at, row - 1],
      [at, row + 1],
    ];
    for (const [x, y] of around) {
      const n = y * side + x;
      if (x < 0 || x >= side || y < 0 || y >= side || seen.has(n) || colours[n] !== of) continue;
      seen.add(n);
      waiting.push([x, y]);
    }
  }
  return found;
}

/** Touch-ups moved by whole pixels: what was set moves along, and what leaves the icon is gone. */
export function moved(touches: TouchUps, side: number, dx: number, dy: number): TouchUps {
  const pixels = (touches.pixels ?? []).map((one) => ({ ...one, x: one.x + dx, y: one.y + dy }));
  return {
    ...touches,
    right: (touches.right ?? 0) + dx,
    down: (touches.down ?? 0) + dy,
    pixels: pixels.filter(({ x, y }) => x >= 0 && x < side && y >= 0 && y < side),
  };
}
