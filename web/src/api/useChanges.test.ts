import { expect, test } from "vitest";
import { concerns } from "./useChanges";

const asks = (kind: string, ids: string[] | undefined, ...queryKey: unknown[]) => concerns({ queryKey }, kind, ids);

test("what one picture changed is asked again for that picture and for lists, and for no other", () => {
  expect(asks("variants", ["p1"], "picture", "p1")).toBe(true);
  expect(asks("variants", ["p1"], "picture", "p2")).toBe(false);
  expect(asks("pictures", ["p1"], "pictures", { search: "dome" })).toBe(true);
  expect(asks("jobs", undefined, "pictures")).toBe(false);
});

test("a change of many rows concerns every picture", () => {
  expect(asks("steps", undefined, "bench", "p2")).toBe(true);
});
