import { useState } from "react";
import {
  api,
  unwrap,
  type Adjustments,
  type Holding,
  type Picture,
  type Rect,
  type SlotName,
  type Trimmed,
} from "../../api/client";
import { pixels } from "../../ui/figures";
import { useLatest } from "../../ui/useLatest";
import type { WorkOnBench } from "../useWork";

/** Which shape a crop keeps: any, that of the picture, a square, a typed one, or that of a slot by its id. */
export type Shape = "free" | "picture" | "square" | "typed" | { slot: string };

interface Asked {
  /** Nothing for the largest part of the shape around the focal point. */
  rect: Rect | undefined;
  aspect: number | null;
  holding: Holding;
}

export interface CropOnBench {
  /** What would stay, as the server tells it; nothing where nothing was drawn yet. */
  draft: Trimmed | undefined;
  shape: Shape;
  onShape: (shape: Shape) => void;
  typed: { width: number; height: number };
  onTyped: (typed: { width: number; height: number }) => void;
  onDraw: (rect: Rect, holding: Holding) => void;
  apply: () => void;
  clear: () => void;
  error: Error | null;
}

/** The picture itself cropped by hand: drawn or typed, told beforehand, and applied. */
export function useCrop(
  picture: Picture,
  on: WorkOnBench,
  canvas: { width: number; height: number },
  slots: SlotName[],
): CropOnBench {
  const [drawn, setDrawn] = useState<{ of: Adjustments; trimmed: Trimmed }>();
  const [shape, setShape] = useState<Shape>("free");
  const [typed, setTyped] = useState({ width: 16, height: 9 });
  const [error, setError] = useState<Error | null>(null);
  const { adjustments } = on;
  // What was drawn before something else was changed would undo that.
  const draft = drawn?.of === adjustments ? drawn.trimmed : undefined;
  const ask = useLatest(async ({ rect, aspect, holding }: Asked) => {
    try {
      const body = { adjustments, crop: rect ?? null, aspect, holding };
      const path = { id: picture.id };
      const trimmed = unwrap(await api.POST("/pictures/{id}/trim", { params: { path }, body }));
      setDrawn({ of: adjustments, trimmed });
      setError(null);
    } catch (failed) {
      setError(failed as Error);
    }
  });
  const aspectOf = (of: Shape, sides = typed) => {
    if (of === "free") return null;
    if (of === "picture") return canvas.width / canvas.height;
    if (of === "square") return 1;
    if (of === "typed") return sides.width / sides.height;
    return slots.find(({ id }) => id === of.slot)?.aspect ?? null;
  };
  const propose = (of: Shape, sides = typed) => {
    const aspect = aspectOf(of, sides);
    if (aspect !== null) ask({ rect: undefined, aspect, holding: "top-left" });
  };
  return {
    draft,
    shape,
    onShape: (next) => {
      setShape(next);
      propose(next);
    },
    typed,
    onTyped: (next) => {
      setTyped(next);
      propose("typed", next);
    },
    onDraw: (rect, holding) => {
      ask({ rect, aspect: aspectOf(shape), holding });
    },
    apply: () => {
      if (!draft) return;
      on.note(draft.adjustments, `cropped to ${pixels(draft.crop.width, draft.crop.height)}`);
      setDrawn(undefined);
    },
    clear: () => {
      setDrawn(undefined);
    },
    error,
  };
}
