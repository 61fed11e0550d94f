import { useEffect, useRef, useState, type PointerEvent } from "react";

export interface Offset {
  x: number;
  y: number;
}

interface Props {
  /** What is shown. */
  image: ImageBitmap | undefined;
  /** Device pixels per picture pixel. */
  zoom: number;
  /** How far the view is moved into the picture, in device pixels. */
  offset: Offset;
  onPan: (offset: Offset) => void;
  label: string;
  testId: string;
}

/** A canvas of device pixels, snapped to the screen's grid: one picture pixel is exactly one of
 * them, or a whole number of them, and nothing is smoothed. */
export function TrueSize({ image, zoom, offset, onPan, label, testId }: Props) {
  const room = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const grid = useDeviceGrid(room);
  const grip = useRef<{ x: number; y: number; from: Offset }>(undefined);

  const width = image ? image.width * zoom : 0;
  const height = image ? image.height * zoom : 0;
  const most = { x: Math.max(0, width - grid.width), y: Math.max(0, height - grid.height) };
  const at = { x: Math.min(offset.x, most.x), y: Math.min(offset.y, most.y) };
  // A picture smaller than the room stands in its middle, on a whole pixel.
  const origin = {
    x: most.x > 0 ? -at.x : Math.floor((grid.width - width) / 2),
    y: most.y > 0 ? -at.y : Math.floor((grid.height - height) / 2),
  };

  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (!context) return;
    context.clearRect(0, 0, grid.width, grid.height);
    context.imageSmoothingEnabled = false;
    if (image) context.drawImage(image, origin.x, origin.y, width, height);
  });

  const onPointerMove = ({ clientX, clientY }: PointerEvent) => {
    const start = grip.current;
    if (!start) return;
    const moved = (now: number, then: number) => Math.round((now - then) * devicePixelRatio);
    onPan({
      x: Math.max(0, Math.min(most.x, start.from.x - moved(clientX, start.x))),
      y: Math.max(0, Math.min(most.y, start.from.y - moved(clientY, start.y))),
    });
  };
  return (
    <div
      className="true-size"
      ref={room}
      role="presentation"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        grip.current = { x: event.clientX, y: event.clientY, from: at };
      }}
      onPointerMove={onPointerMove}
      onPointerUp={() => {
        grip.current = undefined;
      }}
    >
      <canvas
        ref={canvas}
        role="img"
        aria-label={label}
        data-testid={testId}
        data-shown={image ? `${image.width}x${image.height}` : ""}
        data-origin={`${origin.x},${origin.y}`}
        width={grid.width}
        height={grid.height}
        style={{
          width: grid.width / grid.ratio,
          height: grid.height / grid.ratio,
          left: grid.left,
          top: grid.top,
        }}
      />
    </div>
  );
}

/** The whole device pixels inside an element, and how far their grid is from its corner. */
function useDeviceGrid(room: React.RefObject<HTMLDivElement | null>) {
  const [grid, setGrid] = useState({ width: 0, height: 0, left: 0, top: 0, ratio: 1 });
  useEffect(() => {
    const element = room.current;
    if (!element) return;
    const measure = () => {
      const ratio = devicePixelRatio;
      const box = element.getBoundingClientRect();
      const first = (edge: number) => Math.ceil(edge * ratio - 1 / 64);
      const last = (edge: number) => Math.floor(edge * ratio + 1 / 64);
      setGrid({
        width: Math.max(0, last(box.right) - first(box.left)),
        height: Math.max(0, last(box.bottom) - first(box.top)),
        left: first(box.left) / ratio - box.left,
        top: first(box.top) / ratio - box.top,
        ratio,
      });
    };
    measure();
    const observer = new ResizeObserver(measure);
    observer.observe(element);
    addEventListener("resize", measure);
    return () => {
      observer.disconnect();
      removeEventListener("resize", measure);
    };
  }, [room]);
  return grid;
}
