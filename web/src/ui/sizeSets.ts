import type { SizeSet } from "../api/client";

const side = (length: number | null | undefined) => (length ?? undefined)?.toString() ?? "any";

/** The sizes of a preset in a line. */
export function describeSizes(set: SizeSet) {
  return Object.entries(set.sizes)
    .map(([from, { width, height, ratio }]) => {
      const shape =
        ratio.kind === "square" ? ", square" : ratio.kind === "typed" ? `, ${ratio.across} : ${ratio.down}` : "";
      return `${from === "0" ? "" : `from ${from} px: `}${side(width)} × ${side(height)}${shape}`;
    })
    .join("; ");
}
