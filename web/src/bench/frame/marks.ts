/** Marks that help to place a frame: thirds, middle lines, and guides that snap. */

export interface Marks {
  thirds: boolean;
  middles: boolean;
  /** Pulled guides, in pixels of the picture. */
  across: number[];
  down: number[];
}

export const NO_MARKS: Marks = { thirds: false, middles: false, across: [], down: [] };

/** Within so many screen pixels an edge jumps to a guide. */
const REACH = 6;

/** `value` or the guide next to it. */
export function snapped(value: number, guides: number[], scale: number): number {
  const near = guides.find((guide) => Math.abs(guide - value) * scale <= REACH);
  return near ?? value;
}
