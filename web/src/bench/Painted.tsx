import { useLayoutEffect, useRef } from "react";

interface Part {
  x: number;
  y: number;
  width: number;
  height: number;
}

interface Props {
  bitmap: ImageBitmap | undefined;
  /** The part of the bitmap that is shown, in its pixels. */
  part: Part | undefined;
  /** In CSS pixels. */
  width: number;
  height: number;
  label: string;
  testId?: string;
}

/** A part of a bitmap, painted in device pixels. */
export function Painted({ bitmap, part, width, height, label, testId }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const ratio = devicePixelRatio;
  const across = Math.max(1, Math.round(width * ratio));
  const down = Math.max(1, Math.round(height * ratio));
  useLayoutEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (!context) return;
    context.clearRect(0, 0, across, down);
    if (!bitmap || !part) return;
    context.imageSmoothingQuality = "high";
    context.drawImage(bitmap, part.x, part.y, part.width, part.height, 0, 0, across, down);
  }, [bitmap, part, across, down]);
  return (
    <canvas
      ref={canvas}
      role="img"
      aria-label={label}
      data-testid={testId}
      data-painted={bitmap && part ? "yes" : "no"}
      width={across}
      height={down}
      style={{ width: across / ratio, height: down / ratio }}
    />
  );
}
