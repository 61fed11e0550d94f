import { expect, test } from "vitest";
import { nameOf, sumWords } from "./words";

const wish = { folder: "variants", may_move: false, pages: null, pictures: null, without: [] };
const sums = { pages: 0, styles: 0, added: 0, replaced: 0, places: 0, left: 0, failures: 0, screens: [] };

test("one that nobody named says what it is about", () => {
  expect(nameOf({ name: "Winter", wish })).toBe("Winter");
  expect(nameOf({ name: "", wish })).toBe("All that is ready");
  expect(nameOf({ name: "", wish: { ...wish, pictures: ["a"] } })).toBe("1 picture wherever shown");
  expect(nameOf({ name: "", wish: { ...wish, pages: ["a", "b"] } })).toBe("on 2 pages");
});

test("what is written is told in sums", () => {
  expect(sumWords({ ...sums, pages: 2, added: 61 })).toBe("2 pages, 61 files added");
  expect(sumWords({ ...sums, styles: 1, replaced: 1 })).toBe("1 style sheet, 1 file replaced");
  expect(sumWords(sums)).toBe("nothing changes");
});
