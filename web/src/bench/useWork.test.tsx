import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, renderHook, waitFor } from "@testing-library/react";
import type { ReactNode } from "react";
import { expect, test } from "vitest";
import type { Adjustments } from "../api/client";
import { bench, picture, plain } from "../testing/bench";
import { answers, asked } from "../testing/server";
import { useWork } from "./useWork";

const moved = { focal: { x: 0.1, y: 0.5 } } as Adjustments;

const saves = () => Response.json({ id: `s${asked.length + 1}`, parent: "s1", summary: "moved" }, { status: 201 });
const fails = () => Response.json({ detail: "the disk is full" }, { status: 500 });

function work() {
  const queries = new QueryClient();
  const wrapper = ({ children }: { children: ReactNode }) => (
    <QueryClientProvider client={queries}>{children}</QueryClientProvider>
  );
  return renderHook(() => useWork(picture, bench), { wrapper });
}

test("a step that could not be saved is told, shown still, and saved by trying again", async () => {
  const { result } = work();
  answers(fails);
  act(() => {
    result.current.note(moved, "moved the focal point");
  });
  await waitFor(() => {
    expect(result.current.error?.message).toBe("the disk is full");
  });
  expect(result.current.adjustments).toEqual(moved);
  expect(result.current.at).toBe("s1");
  answers(saves);
  act(() => {
    result.current.retry?.();
  });
  await waitFor(() => {
    expect(result.current.at).toBe("s3");
  });
  expect(result.current.error).toBeNull();
  expect(asked[1]?.body).toMatchObject({ after: "s1", adjustments: moved });
});

test("what was changed a moment before the page is left is sent as it goes", async () => {
  answers(saves);
  const { result } = work();
  act(() => {
    result.current.settle(moved, "moved the focal point");
  });
  expect(asked).toEqual([]);
  act(() => {
    dispatchEvent(new Event("pagehide"));
  });
  await waitFor(() => {
    expect(asked).toHaveLength(1);
  });
  expect(asked[0]).toMatchObject({ keepalive: true, body: { after: "s1", adjustments: moved } });
});

test("many small changes in a row become one step", async () => {
  answers(saves);
  const { result } = work();
  for (const x of [0.2, 0.3, 0.4]) {
    act(() => {
      result.current.settle({ ...plain, focal: { x, y: 0.5 } }, "moved the focal point");
    });
  }
  await waitFor(
    () => {
      expect(result.current.at).toBe("s2");
    },
    { timeout: 2_000 },
  );
  expect(asked).toHaveLength(1);
  expect(asked[0]?.body).toMatchObject({ adjustments: { focal: { x: 0.4 } } });
});
