import { expect, test } from "vitest";
import { joined, moved, NO_TOUCHES, pixelsOf, set, touched } from "./pixels";
import { within } from "./within";

const RED = "#ff0000";
const NONE = "transparent";

test("touch-ups lie on whatever the icon has become", () => {
  const before = pixelsOf(new Uint8ClampedArray([255, 0, 0, 255, 0, 0, 0, 0, 1, 2, 3, 255, 9, 9, 9, 4]), 2);
  expect(before.colours).toEqual([RED, NONE, "#010203", NONE]);
  const touches = set(set(NO_TOUCHES, 1, 1, "#0b5457"), 1, 1, RED);
  expect(touches.pixels).toEqual([{ x: 1, y: 1, colour: RED }]);
  expect(touched(before, touches).colours).toEqual([RED, NONE, "#010203", RED]);
});

test("moving takes along what was set, and loses what leaves the icon", () => {
  const before = { side: 2, colours: [RED, NONE, NONE, NONE] };
  const right = moved(set(NO_TOUCHES, 0, 1, "#0b5457"), 2, 1, 0);
  expect(touched(before, right).colours).toEqual([NONE, RED, NONE, "#0b5457"]);
  const gone = moved(right, 2, 1, 0);
  expect(gone.pixels).toEqual([]);
  expect(touched(before, gone).colours).toEqual([NONE, NONE, NONE, NONE]);
});

test("filling reaches what is joined and has the same colour", () => {
  const rows = [RED, RED, NONE, NONE, RED, NONE, RED, NONE, RED];
  const found = joined({ side: 3, colours: rows }, 0, 0).map(([x, y]) => 3 * y + x);
  expect(found.sort()).toEqual([0, 1, 4]);
});

test("the square stays inside of the picture, however it is dragged", () => {
  const source = { width: 300, height: 200 };
  expect(within(source, -40, 90, 150)).toEqual({ x: 0, y: 50, width: 150, height: 150 });
  expect(within(source, 90, 0, 900)).toEqual({ x: 90, y: 0, width: 200, height: 200 });
  expect(within(source, 10, 10, 0)).toEqual({ x: 10, y: 10, width: 1, height: 1 });
});
