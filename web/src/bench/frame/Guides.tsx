import { useRef, type KeyboardEvent, type PointerEvent } from "react";
import type { Marks } from "./marks";
import { arrow } from "./usePressed";

type Kind = "across" | "down";

interface Props {
  marks: Marks;
  scale: number;
  width: number;
  height: number;
  onMarks: (marks: Marks) => void;
}

/** Rulers along two sides from which guides are pulled, and the guides themselves; dragged off the
    picture, a guide is gone. By keyboard, Enter on a ruler adds one, arrow keys move it, Delete
    removes it. */
export function Guides({ marks, scale, width, height, onMarks }: Props) {
  const added = useRef<Kind>(undefined);
  const limitOf = (kind: Kind) => (kind === "across" ? height : width);
  const isInside = (kind: Kind, value: number) => value >= 0 && value <= limitOf(kind);
  /** With the guide at `index` where it is now; nothing takes it away. */
  const put = (kind: Kind, list: number[], index: number, value: number | undefined) => {
    const next = [...list.slice(0, index), ...(value === undefined ? [] : [value]), ...list.slice(index + 1)];
    onMarks({ ...marks, [kind]: next });
  };
  const drag = (kind: Kind, index: number) => (event: PointerEvent<HTMLElement>) => {
    event.preventDefault();
    event.stopPropagation();
    const plate = event.currentTarget.closest(".plate");
    if (!plate) return;
    const list = marks[kind];
    const move = ({ clientX, clientY }: globalThis.PointerEvent) => {
      const box = plate.getBoundingClientRect();
      const value = Math.round((kind === "across" ? clientY - box.top : clientX - box.left) / scale);
      put(kind, list, index, isInside(kind, value) ? value : undefined);
    };
    const end = () => {
      removeEventListener("pointermove", move);
      removeEventListener("pointerup", end);
    };
    addEventListener("pointermove", move);
    addEventListener("pointerup", end);
  };
  const add = (kind: Kind) => {
    added.current = kind;
    put(kind, marks[kind], marks[kind].length, Math.round(limitOf(kind) / 2));
  };
  const onKey = (kind: Kind, index: number) => (event: KeyboardEvent<HTMLElement>) => {
    const list = marks[kind];
    if (event.key === "Delete" || event.key === "Backspace") {
      event.preventDefault();
      put(kind, list, index, undefined);
      return;
    }
    const by = arrow(event, 1)?.[kind === "across" ? 1 : 0];
    const value = by === undefined ? undefined : (list[index] ?? 0) + by;
    if (value !== undefined && isInside(kind, value)) put(kind, list, index, value);
  };
  return (
    <>
      {(["across", "down"] as const).map((kind) => (
        <button
          key={kind}
          type="button"
          className={`ruler ${kind}`}
          aria-label={kind === "across" ? "Add a level guide" : "Add an upright guide"}
          title={`Pull a guide ${kind === "across" ? "down" : "to the right"} from here; Enter adds one in the middle`}
          onPointerDown={drag(kind, marks[kind].length)}
          onKeyDown={({ key }) => {
            if (key === "Enter") add(kind);
          }}
        />
      ))}
      {(["across", "down"] as const).map((kind) =>
        marks[kind].map((value, index) => (
          <div
            // Its place in the list is what stays while it is moved.
            key={`${kind} ${index}`}
            ref={(guide) => {
              // One that was added by keyboard is moved next.
              if (!guide || added.current !== kind || index !== marks[kind].length - 1) return;
              added.current = undefined;
              guide.focus();
            }}
            className={`guide ${kind}`}
            role="slider"
            tabIndex={0}
            aria-orientation={kind === "across" ? "vertical" : "horizontal"}
            aria-label={`${kind === "across" ? "Level" : "Upright"} guide; arrow keys move it, Delete removes it`}
            aria-valuemin={0}
            aria-valuemax={limitOf(kind)}
            aria-valuenow={value}
            aria-valuetext={`${value} px`}
            style={kind === "across" ? { top: value * scale } : { left: value * scale }}
            title={`${value} px`}
            onPointerDown={drag(kind, index)}
            onKeyDown={onKey(kind, index)}
          />
        )),
      )}
    </>
  );
}
