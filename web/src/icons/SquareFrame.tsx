import { Button, InputNumber } from "antd";
import { useRef } from "react";
import type { Rect } from "../api/client";
import { pixels } from "../ui/figures";
import { within, type Size } from "./within";

/** The stage is no higher, in px, however tall the picture is. */
const MOST_HEIGHT = 200;

interface Props {
  /** The address of the whole picture. */
  picture: string;
  source: Size;
  square: Rect;
  /** Whether it is where it would be by itself. */
  isUsual: boolean;
  onSquare: (square: Rect | null) => void;
}

/** The square of the master that is shown: dragged, moved by arrow keys, or typed. */
export function SquareFrame({ picture, source, square, isUsual, onSquare }: Props) {
  const stage = useRef<HTMLDivElement>(null);
  const grabbed = useRef<{ x: number; y: number; square: Rect }>(undefined);
  const aspect = source.width / source.height;
  const share = (length: number, of: number) => `${(100 * length) / of}%`;
  const move = (x: number, y: number, side = square.width) => {
    onSquare(within(source, x, y, side));
  };
  return (
    <div className="square-frame">
      <div
        className="square-stage"
        ref={stage}
        style={{ aspectRatio: aspect, width: `min(100%, ${MOST_HEIGHT * aspect}px)` }}
      >
        <img src={picture} alt="The master, whole" draggable={false} />
        {/* A slider of two directions has no role of its own; its keys are told. */}
        {/* eslint-disable-next-line jsx-a11y/no-noninteractive-element-interactions */}
        <div
          className="square"
          role="group"

          tabIndex={0}
          aria-label={`The part that is shown: ${pixels(square.width, square.height)} from ${square.x}, ${square.y}. Arrow keys move it, + and − resize it`}
          style={{
            left: share(square.x, source.width),
            top: share(square.y, source.height),
            width: share(square.width, source.width),
            height: share(square.height, source.height),
          }}
          onPointerDown={(event) => {
            event.currentTarget.setPointerCapture(event.pointerId);
            grabbed.current = { x: event.clientX, y: event.clientY, square };
          }}
          onPointerMove={(event) => {
            const from = grabbed.current;
            if (!from || !stage.current) return;
            const scale = source.width / stage.current.clientWidth;
            const by = { x: (event.clientX - from.x) * scale, y: (event.clientY - from.y) * scale };
            move(from.square.x + by.x, from.square.y + by.y);
          }}
          onPointerUp={() => {
            grabbed.current = undefined;
          }}
          onKeyDown={(event) => {
            const step = (event.shiftKey ? 0.1 : 0.01) * Math.max(source.width, source.height);
            const ways: Record<string, [number, number, number]> = {
              ArrowLeft: [-step, 0, 0],
              ArrowRight: [step, 0, 0],
              ArrowUp: [0, -step, 0],
              ArrowDown: [0, step, 0],
              "+": [-step, -step, 2 * step],
              "-": [step, step, -2 * step],
            };
            const way = ways[event.key];
            if (!way) return;
            event.preventDefault();
            move(square.x + way[0], square.y + way[1], square.width + way[2]);
          }}
        />
      </div>
      <div className="square-figures">
        {(["x", "y", "width"] as const).map((part) => (
          <label key={part}>
            {part === "width" ? "side" : part}
            <InputNumber
              aria-label={`Part that is shown: ${part === "width" ? "side" : part} in px`}
              size="small"
              controls={false}
              min={part === "width" ? 1 : 0}
              precision={0}
              value={square[part]}
              onChange={(typed) => {
                if (typed === null) return;
                const next = { ...square, [part]: typed };
                move(next.x, next.y, next.width);
              }}
            />
          </label>
        ))}
        {!isUsual && (
          <Button
            size="small"
            title="Around the focal point, as large as it can be"
            onClick={() => {
              onSquare(null);
            }}
          >
            Default
          </Button>
        )}
      </div>
    </div>
  );
}
