import { Button } from "antd";
import { useState } from "react";
import { api, unwrap, type Picture, type RotateOrFlip } from "../api/client";
import { ProblemNote } from "../ui/ProblemNote";
import { useKey } from "../ui/useKey";
import type { WorkOnBench } from "./useWork";

interface Way {
  by: RotateOrFlip;
  sign: string;
  words: string;
  key: string;
  told: string;
  summary: string;
}

const WAYS: Way[] = [
  { by: "counter-clockwise", sign: "↺", words: "Rotate left", key: "R", told: "Shift R", summary: "rotated left" },
  { by: "clockwise", sign: "↻", words: "Rotate right", key: "r", told: "R", summary: "rotated right" },
  {
    by: "flip-across",
    sign: "⇄",
    words: "Flip left to right",
    key: "m",
    told: "M",
    summary: "flipped left to right",
  },
  {
    by: "flip-down",
    sign: "⇅",
    words: "Flip top to bottom",
    key: "M",
    told: "Shift M",
    summary: "flipped top to bottom",
  },
];

/** Rotates and flips the picture as it lies there, on every step of the bench. */
export function RotateButtons({ picture, on }: { picture: Picture; on: WorkOnBench }) {
  const [error, setError] = useState<Error | null>(null);
  const rotate = async ({ by, summary }: Way) => {
    try {
      const body = { adjustments: on.adjustments, by };
      on.note(unwrap(await api.POST("/pictures/{id}/rotate", { params: { path: { id: picture.id } }, body })), summary);
      setError(null);
    } catch (failed) {
      setError(failed as Error);
    }
  };
  useKey((event) => {
    const way = WAYS.find(({ key }) => key === event.key);
    if (way) void rotate(way);
  });
  return (
    <span className="rotate-buttons" role="group" aria-label="Rotate and flip">
      {WAYS.map((way) => (
        <Button
          key={way.by}
          size="small"
          aria-label={way.words}
          title={`${way.words} (${way.told})`}
          onClick={() => void rotate(way)}
        >
          <span aria-hidden="true">{way.sign}</span>
        </Button>
      ))}
      {error && <ProblemNote error={error} />}
    </span>
  );
}
