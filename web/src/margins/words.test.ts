import { millis } from "../ui/figures";
import { expect, test } from "vitest";
import { fileOf, timeWords } from "./words";

test("times are whole milliseconds, and seconds where they are long", () => {
  expect([millis(839.6), millis(9_999), millis(48_471)]).toEqual(["840 ms", "9,999 ms", "48.5 s"]);
  expect(timeWords({ budget: 2500, time: 3400, margin: -900 })).toBe("overrun 900 ms");
  expect(timeWords({ budget: 2500, time: 2500, margin: 0 })).toBe("margin 0 ms");
});

test("a file is called by the end of its address, whatever is written there", () => {
  expect(fileOf("https://tarn.example/media/Milky%20Way.jpg?v=2#a")).toBe("Milky Way.jpg");
  expect(fileOf("https://tarn.example/%E0%A4%A")).toBe("%E0%A4%A");
  expect(fileOf("https://tarn.example/")).toBe("tarn.example");
});
