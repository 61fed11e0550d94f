import { useEffect, useRef, type PointerEvent } from "react";
import { StageRoom } from "../StageRoom";
import type { Stage } from "../useStage";

interface Props {
  name: string;
  bitmap: ImageBitmap | undefined;
  /** The view without its edits of tone and colour, shown while a key is held. */
  stage: Stage;
  /** Takes a colour from the picture. */
  onColour: ((colour: string) => void) | undefined;
}

/** The picture with its edits, of which a colour can be taken. */
export function ShownView({ name, bitmap, stage, onColour }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const plate = useRef<HTMLDivElement>(null);
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
        data-tool={onColour ? "colour" : "none"}
        style={stage.place}
        onPointerDown={(event) => {
          if (event.button !== 0 || stage.panning || !onColour) return;
          const colour = colourAt(event);
          if (colour) onColour(colour);
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
      </div>
    </StageRoom>
  );
}
