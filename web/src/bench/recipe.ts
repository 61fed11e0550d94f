import { useState } from "react";
import type { Fit, Format, PlaceAsked } from "../api/client";

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
const FIRST: Recipe = {
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

/** The recipe, kept from picture to picture: the next one often goes into the same slot. */
export function useRecipe(): [Recipe, (change: Partial<Recipe>) => void] {
  const [recipe, setRecipe] = useState<Recipe>(() => ({ ...FIRST, ...stored() }));
  const change = (part: Partial<Recipe>) => {
    const next = { ...recipe, ...part };
    localStorage.setItem(KEY, JSON.stringify(next));
    setRecipe(next);
  };
  return [recipe, change];
}

/** Lays a slot on the bench, for the picture that is opened next. */
export function layOnBench(part: Partial<Recipe>) {
  localStorage.setItem(KEY, JSON.stringify({ ...FIRST, ...stored(), by: "slot", laid: true, ...part }));
}

function stored(): Partial<Recipe> {
  try {
    return JSON.parse(localStorage.getItem(KEY) ?? "{}") as Partial<Recipe>;
  } catch {
    return {};
  }
}

/** The slot or the size, once it is typed. */
export function placeOf({ width, height, fit, density, by, amount }: Recipe): PlaceAsked | undefined {
  if (by !== "slot") {
    if (amount === null) return undefined;
    return { resize: by === "percent" ? { by, percent: amount } : { by, px: amount }, density };
  }
  if (width === null || height === null) return undefined;
  return { slot: { width, height, fit }, density };
}
