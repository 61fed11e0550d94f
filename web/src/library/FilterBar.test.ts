import { expect, test } from "vitest";
import { fitting } from "./FilterBar";

const words = ["no alt text 12", "too small for its slot 4", "larger than any screen needs 31", "looks like another 2"];

test("as many filters stand in the line as have room, and all where there is room for all", () => {
  expect(fitting(words, 4_000)).toBe(words.length);
  expect(fitting(words, 500)).toBeLessThan(words.length);
  expect(fitting(words, 500)).toBeGreaterThan(0);
  expect(fitting(words, 0)).toBe(0);
});
