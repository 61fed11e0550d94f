import { expect, test } from "vitest";
import { Latest } from "./useLatest";

test("of many positions of a drag the first and the last are asked, one at a time", async () => {
  const asked: number[] = [];
  const answers: (() => void)[] = [];
  const latest = new Latest<number>((position) => {
    asked.push(position);
    return new Promise((done) => answers.push(done));
  });
  for (const position of [1, 2, 3, 4]) latest.ask(position);
  expect(asked).toEqual([1]);
  answers[0]?.();
  await Promise.resolve();
  await expect.poll(() => asked).toEqual([1, 4]);
});

test("a question that fails lets the next one through", async () => {
  const asked: string[] = [];
  const latest = new Latest<string>(async (what) => {
    asked.push(what);
    await Promise.resolve();
  });
  latest.ask("first");
  latest.ask("second");
  await expect.poll(() => asked).toEqual(["first", "second"]);
});
