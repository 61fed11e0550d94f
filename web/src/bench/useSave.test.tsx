import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, renderHook, waitFor } from "@testing-library/react";
import type { ReactNode } from "react";
import { expect, test } from "vitest";
import { bench, picture, plain } from "../testing/bench";
import { answers, asked } from "../testing/server";
import { useSave } from "./useSave";
import { useBench, useWork } from "./useWork";

/** The work on a picture and its Save. */
function work() {
  const queries = new QueryClient();
  queries.setQueryData(["bench", picture.id], bench);
  const wrapper = ({ children }: { children: ReactNode }) => (
    <QueryClientProvider client={queries}>{children}</QueryClientProvider>
  );
  const { result } = renderHook(
    () => {
      const on = useWork(picture, useBench(picture.id).data ?? bench);
      return { on, save: useSave(picture, on) };
    },
    { wrapper },
  );
  return result;
}

const saves = () => asked.filter(({ path }) => path.endsWith("/save")).map(({ body }) => body);
const saved = () => Response.json({ picture });
const never = () => new Promise<Response>(() => undefined);
const notes = () =>
  Response.json({ id: `s${asked.filter(({ path }) => path.endsWith("/steps")).length + 1}`, parent: "s1" });

function change(result: ReturnType<typeof work>, x: number) {
  act(() => {
    result.current.on.note({ ...plain, focal: { x, y: 0.5 } }, "moved the focal point");
    result.current.save.mutate(undefined);
  });
}

test("what is changed while a save is on its way is saved after it, over it", async () => {
  let answer: (saved: Response) => void = () => undefined;
  const slow = new Promise<Response>((done) => {
    answer = done;
  });
  answers(({ path }) => {
    if (path.endsWith("/steps")) return notes();
    if (path.endsWith("/save")) return saves().length === 1 ? slow : saved();
    return never();
  });
  const result = work();
  change(result, 0.2);
  await waitFor(() => {
    expect(saves()).toHaveLength(1);
  });
  change(result, 0.3);
  answer(saved());
  await waitFor(() => {
    expect(result.current.on.over).toBe("s3");
  });
  expect(saves()).toEqual([
    { step: "s2", over: "s1" },
    { step: "s3", over: "s2" },
  ]);
});

test("a save is over before all else was read anew", async () => {
  answers(({ path }) => (path.endsWith("/steps") ? notes() : path.endsWith("/save") ? saved() : never()));
  const result = work();
  change(result, 0.2);
  await waitFor(() => {
    expect(result.current.on.over).toBe("s2");
  });
  await waitFor(() => {
    expect(result.current.save.isPending).toBe(false);
  });
  expect(result.current.on.isSavedElsewhere).toBe(false);
});
