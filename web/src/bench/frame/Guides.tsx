import type { PointerEvent } from "react";
import type { Marks } from "./marks";

interface Props {
  marks: Marks;
  scale: number;
  width: number;
  height: number;
  onMarks: (marks: Marks) => void;
}

/** Rulers along two sides from which guides are pulled, and the guides themselves; dragged off the
    picture, a guide is gone. */
export function Guides({ marks, scale, width, height, onMarks }: Props) {
  const drag = (kind: "across" | "down", index: number | undefined) => (event: PointerEvent<HTMLElement>) => {
    event.preventDefault();
    event.stopPropagation();
    const plate = event.currentTarget.closest(".plate");
    if (!plate) return;
    const limit = kind === "across" ? height : width;
    const at = ({ clientX, clientY }: { clientX: number; clientY: number }) => {
      const box = plate.getBoundingClientRect();
      return Math.round((kind === "across" ? clientY - box.top : clientX - box.left) / scale);
    };
    const others = marks[kind].filter((_, n) => n !== index);
    const inside = (value: number) => value >= 0 && value <= limit;
    const move = (moved: globalThis.PointerEvent) => {
      const value = at(moved);
      onMarks({ ...marks, [kind]: inside(value) ? [...others, value] : others });
    };
    const end = () => {
      removeEventListener("pointermove", move);
      removeEventListener("pointerup", end);
    };
    addEventListener("pointermove", move);
    addEventListener("pointerup", end);
  };
  return (
    <>
      <div className="ruler across" title="Pull a guide down from here" onPointerDown={drag("across", undefined)} />
      <div className="ruler down" title="Pull a guide to the right from here" onPointerDown={drag("down", undefined)} />
      {marks.across.map((value, index) => (
        <div
          key={`a${value}`}
          className="guide across"
          style={{ top: value * scale }}
          title={`${value} px`}
          onPointerDown={drag("across", index)}
        />
      ))}
      {marks.down.map((value, index) => (
        <div
          key={`d${value}`}
          className="guide down"
          style={{ left: value * scale }}
          title={`${value} px`}
          onPointerDown={drag("down", index)}
        />
      ))}
    </>
  );
}
