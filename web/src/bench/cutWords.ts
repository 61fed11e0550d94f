import type { Trimmed } from "../api/client";

/** `120 left · 40 top px`: what is cut from each side; `nothing` where nothing is. */
export function cutWords(cuts: Trimmed["cuts"]) {
  const sides = [
    [cuts.left, "left"],
    [cuts.top, "top"],
    [cuts.right, "right"],
    [cuts.bottom, "bottom"],
  ] as const;
  const told = sides.filter(([px]) => px > 0).map(([px, side]) => `${px} ${side}`);
  return told.length > 0 ? `${told.join(" · ")} px` : "nothing";
}
