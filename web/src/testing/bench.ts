/** A picture on the bench as it arrived. */
import type { Adjustments, BenchBody, Picture } from "../api/client";

export const plain = { focal: { x: 0.5, y: 0.5 } } as Adjustments;

export const picture = { id: "p1", name: "dome.jpg" } as Picture;

export const bench = {
  adjustments: plain,
  at: "s1",
  holds: "s1",
  steps: [{ id: "s1" }],
  places: [],
  slots: [],
} as unknown as BenchBody;
