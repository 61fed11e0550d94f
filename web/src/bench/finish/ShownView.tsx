import { useEffect, useRef, useState, type PointerEvent } from "react";
import { StageRoom } from "../StageRoom";
import type { Stage } from "../useStage";

interface Props {
  name: string;
  bitmap: ImageBitmap | undefined;
  /** The view without its edits of tone and colour, shown while a key is held. */
  stage: Stage;
  /** Draws a line that should be level; tells its angle in degrees. */
  onLevel: ((degrees: number) => void) | undefined;
  /** Draws the part that shall stay; tells it in fractions of the picture. */
  onPart: ((part: Part) => void) | undefined;
  /** Takes a colour from the picture. */
  onColour: ((colour: string) => void) | undefined;
}

export interface Part {
  left: number;
  top: number;
  right: number;
  bottom: number;
}

interface Line {
  x1: number;
  y1: number;
  x2: number;
  y2: number;
}

/** The picture with its edits, on which a line can be drawn and a colour taken. */
export function ShownView({ name, bitmap, stage, onLevel, onPart, onColour }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const plate = useRef<HTMLDivElement>(null);
  const [line, setLine] = useState<Line>();
  useEffect(() => {
    const context = canvas.current?.getContext("2d", { willReadFrequently: true });
    if (!context || !bitmap) return;
    context.clearRect(0, 0, bitmap.width, bitmap.height);
    context.drawImage(bitmap, 0, 0);
  }, [bitmap]);

  const pointAt = (event: PointerEvent) => {
    const box = plate.current?.getBoundingClientRect();
    return box ? { x: event.clientX - box.left, y: event.clientY - box.top } : { x: 0, y: 0 };
  };
  const colourAt = (event: PointerEvent) => {
    const context = canvas.current?.getContext("2d");
    if (!context || !bitmap) return undefined;
    const { x, y } = pointAt(event);
    const at = (value: number, side: number, pixels: number) =>
      Math.max(0, Math.min(pixels - 1, Math.floor((value / side) * pixels)));
    const [red = 0, green = 0, blue = 0] = context.getImageData(
      at(x, stage.place.width, bitmap.width),
      at(y, stage.place.height, bitmap.height),
      1,
      1,
    ).data;
    return `#${[red, green, blue].map((shade) => shade.toString(16).padStart(2, "0")).join("")}`;
  };
  return (
    <StageRoom stage={stage}>
      <div
        ref={plate}
        className="plate"
        role="presentation"
        data-tool={onColour ? "colour" : onLevel || onPart ? "level" : "none"}
        style={stage.place}
        onPointerDown={(event) => {
          if (event.button !== 0 || stage.panning) return;
          if (onColour) {
            const colour = colourAt(event);
            if (colour) onColour(colour);
          } else if (onLevel || onPart) {
            event.currentTarget.setPointerCapture(event.pointerId);
            const { x, y } = pointAt(event);
            setLine({ x1: x, y1: y, x2: x, y2: y });
          }
        }}
        onPointerMove={(event) => {
          if (!line) return;
          const { x, y } = pointAt(event);
          setLine({ ...line, x2: x, y2: y });
        }}
        onPointerUp={() => {
          if (!line) return;
          setLine(undefined);
          if (Math.hypot(line.x2 - line.x1, line.y2 - line.y1) < 12) return;
          if (onPart) {
            const { width, height } = stage.place;
            const share = (value: number, side: number) => Math.max(0, Math.min(1, value / side));
            const [left, right] = [share(Math.min(line.x1, line.x2), width), share(Math.max(line.x1, line.x2), width)];
            const [top, bottom] = [
              share(Math.min(line.y1, line.y2), height),
              share(Math.max(line.y1, line.y2), height),
            ];
            onPart({ left, top, right, bottom });
            return;
          }
          let degrees = (Math.atan2(line.y2 - line.y1, line.x2 - line.x1) * 180) / Math.PI;
          if (degrees > 90) degrees -= 180;
          if (degrees < -90) degrees += 180;
          onLevel?.(degrees);
        }}
      >
        <canvas
          ref={canvas}
          role="img"
          aria-label={`${name} with its edits`}
          data-testid="shown"
          data-shown={bitmap ? `${bitmap.width}x${bitmap.height}` : ""}
          width={bitmap?.width ?? 1}
          height={bitmap?.height ?? 1}
          style={{ width: stage.place.width, height: stage.place.height }}
        />
        {line && onPart && (
          <div
            className="drawn-part"
            style={{
              left: Math.min(line.x1, line.x2),
              top: Math.min(line.y1, line.y2),
              width: Math.abs(line.x2 - line.x1),
              height: Math.abs(line.y2 - line.y1),
            }}
          />
        )}
        {line && !onPart && (
          <svg className="level-line" width={stage.place.width} height={stage.place.height}>
            <line {...line} stroke="#000" strokeWidth="4" />
            <line {...line} stroke="#fff" strokeWidth="2" />
          </svg>
        )}
      </div>
    </StageRoom>
  );
}
