import type { CheckedIcon } from "../api/client";
import { pixels } from "../ui/figures";

export type Trouble = CheckedIcon["troubles"][number];

/** What is wrong with every one of several icons, in the same words: told once. */
export function sharedTroubles(icons: CheckedIcon[]): Trouble[] {
  const [first, ...others] = icons;
  if (!first || others.length < 2) return [];
  const has = ({ troubles }: CheckedIcon, words: string) => troubles.some((one) => one.words === words);
  return first.troubles.filter(({ words }) => others.every((icon) => has(icon, words)));
}

/** The pixels of an icon, in few words: `16, 32, 48 px` of squares. */
export function sizeWords(sizes: CheckedIcon["sizes"]) {
  const isSquare = sizes.every(({ width, height }) => width === height);
  if (sizes.length > 1 && isSquare) return `${sizes.map(({ width }) => width).join(", ")} px`;
  return sizes.map(({ width, height }) => pixels(width, height)).join(", ");
}
