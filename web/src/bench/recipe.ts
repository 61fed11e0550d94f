import { useState } from "react";
import type { PlaceAsked } from "../api/client";
import { keepRecipe, keptRecipe, type Recipe } from "../ui/recipe";

/** The recipe, kept from picture to picture: the next one often goes into the same slot. */
export function useRecipe(): [Recipe, (change: Partial<Recipe>) => void] {
  const [recipe, setRecipe] = useState(keptRecipe);
  const change = (part: Partial<Recipe>) => {
    const next = { ...recipe, ...part };
    keepRecipe(next);
    setRecipe(next);
  };
  return [recipe, change];
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
