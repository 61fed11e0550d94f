import { act, renderHook, waitFor } from "@testing-library/react";
import { expect, test, vi } from "vitest";
import type { Adjustments, Picture } from "../../api/client";
import { answers, asked } from "../../testing/server";
import type { WorkOnBench } from "../useWork";
import { useCrop } from "./useCrop";

const plain = { focal: { x: 0.5, y: 0.5 } } as Adjustments;
const cropped = { ...plain, edits: { version: 1, steps: [] } } as Adjustments;
const canvas = { width: 1600, height: 1000 };
const trimmed = {
  adjustments: cropped,
  crop: { x: 300, y: 0, width: 1000, height: 1000 },
  cuts: { left: 300, top: 0, right: 300, bottom: 0 },
  cut_percent: 37.5,
};

test("a shape proposes a crop, and what was drawn before another change is not applied over it", async () => {
  answers(() => Response.json(trimmed));
  const note = vi.fn();
  const on = (adjustments: Adjustments) => ({ adjustments, note }) as unknown as WorkOnBench;
  const { result, rerender } = renderHook(
    ({ adjustments }) => useCrop({ id: "p1" } as Picture, on(adjustments), canvas, []),
    { initialProps: { adjustments: plain } },
  );
  act(() => {
    result.current.onShape("square");
  });
  await waitFor(() => {
    expect(result.current.draft).toEqual(trimmed);
  });
  expect(asked[0]?.body).toMatchObject({ crop: null, aspect: 1 });

  // Rotated in the meantime: the crop of before would take that back.
  rerender({ adjustments: { ...plain } });
  expect(result.current.draft).toBeUndefined();
  act(() => {
    result.current.apply();
  });
  expect(note).not.toHaveBeenCalled();

  rerender({ adjustments: plain });
  act(() => {
    result.current.apply();
  });
  expect(note).toHaveBeenCalledExactlyOnceWith(cropped, "cropped to 1000 × 1000 px");
});
