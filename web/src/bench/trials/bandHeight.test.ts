import { expect, test } from "vitest";
import { bandHeight } from "./TrialsPane";

test("three bands share the height that there is, and none is too low to be judged", () => {
  expect(3 * (bandHeight(700, 3) + 24) + 30).toBeLessThanOrEqual(700);
  expect(bandHeight(700, 3)).toBeGreaterThan(180);
  expect(bandHeight(700, 8)).toBe(bandHeight(700, 3));
  expect(bandHeight(200, 3)).toBe(112);
  expect(bandHeight(2_000, 1)).toBe(460);
});
