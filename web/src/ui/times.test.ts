import { expect, test } from "vitest";
import { minutesOf, timeOf } from "./times";

test("a time of the day is minutes after midnight, and back", () => {
  expect(timeOf(125)).toBe("02:05");
  expect(timeOf(1439)).toBe("23:59");
  for (const minutes of [0, 61, 720, 1439]) expect(minutesOf(timeOf(minutes))).toBe(minutes);
  // A field that was emptied changes nothing.
  expect(minutesOf("")).toBeUndefined();
});
