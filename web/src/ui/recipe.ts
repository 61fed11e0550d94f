/** What the next file is to be, handed from the screen where a slot is chosen to the bench. */
import type { Fit, Format } from "../api/client";

export type SizeBy = "slot" | "width" | "height" | "long-side" | "percent";

/** What the next file is to be: a slot, and an encoding. */
export interface Recipe {
  width: number | null;
  height: number | null;
  fit: Fit;
  /** By the box of a slot, or the whole picture by one figure. */
  by: SizeBy;
  amount: number | null;
  density: number;
  format: Format;
  quality: number | null;
  /** Whether it was laid on the bench for the picture that is opened next. */
  laid: boolean;
}

const KEY = "brisk-margin.recipe";
export const FIRST_RECIPE: Recipe = {
  width: null,
  height: null,
  fit: "cover",
  by: "slot",
  amount: null,
  density: 1,
  format: "webp",
  quality: null,
  laid: false,
};

/** Keeps it for the picture that is opened next. */
export function keepRecipe(recipe: Recipe) {
  localStorage.setItem(KEY, JSON.stringify(recipe));
}

/** Lays a slot on the bench, for the picture that is opened next. */
export function layOnBench(part: Partial<Recipe>) {
  keepRecipe({ ...keptRecipe(), by: "slot", laid: true, ...part });
}

/** What was kept last. */
export function keptRecipe(): Recipe {
  try {
    return { ...FIRST_RECIPE, ...(JSON.parse(localStorage.getItem(KEY) ?? "{}") as Partial<Recipe>) };
  } catch {
    return FIRST_RECIPE;
  }
}
