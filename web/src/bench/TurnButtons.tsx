import { useState } from "react";
import { Button, Tooltip } from "antd";
import { api, unwrap, type Picture, type Turning } from "../api/client";
import { ProblemNote } from "../ui/ProblemNote";
import { useKey } from "../ui/useKey";
import type { WorkOnBench } from "./useWork";

const TURNINGS: { by: Turning; sign: string; words: string; key: string; told: string; summary: string }[] = [
  { by: "counter-clockwise", sign: "↺", words: "Rotate left", key: "R", told: "Shift R", summary: "rotated left" },
  { by: "clockwise", sign: "↻", words: "Rotate right", key: "r", told: "R", summary: "rotated right" },
  { by: "across", sign: "⇄", words: "Flip left to right", key: "m", told: "M", summary: "flipped left to right" },
  { by: "down", sign: "⇅", words: "Flip top to bottom", key: "M", told: "Shift M", summary: "flipped top to bottom" },
];

/** Rotates and flips the picture as it lies there, on every step of the bench. */
export function TurnButtons({ picture, on }: { picture: Picture; on: WorkOnBench }) {
  const [error, setError] = useState<Error | null>(null);
  const turn = async (by: Turning, summary: string) => {
    try {
      const body = { adjustments: on.adjustments, by };
      on.note(unwrap(await api.POST("/pictures/{id}/turn", { params: { path: { id: picture.id } }, body })), summary);
      setError(null);
    } catch (failed) {
      setError(failed as Error);
    }
  };
  useKey((event) => {
    const turning = TURNINGS.find(({ key }) => key === event.key);
    if (turning) void turn(turning.by, turning.summary);
  });
  return (
    <span className="turn-buttons" role="group" aria-label="Rotate and flip">
      {TURNINGS.map(({ by, sign, words, told, summary }) => (
        <Tooltip key={by} title={`${words} (${told})`}>
          <Button size="small" aria-label={words} onClick={() => void turn(by, summary)}>
            <span aria-hidden="true">{sign}</span>
          </Button>
        </Tooltip>
      ))}
      {error && <ProblemNote error={error} />}
    </span>
  );
}
