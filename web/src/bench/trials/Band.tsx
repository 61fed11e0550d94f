import { siteApi } from "../../api/client";
import { useEffect, useRef } from "react";
import type { Spot, Trial } from "../../api/client";
import { bytes } from "../../ui/figures";
import { useBitmap } from "../useBitmap";

interface Props {
  trial: Trial;
  /** The place that every band shows. */
  spot: Spot | undefined;
  /** The frame that every band shows, of what moves. */
  frame: number | undefined;
  /** Device pixels per picture pixel. */
  zoom: number;
  /** Width of the strip, and height of the detail, in CSS pixels. */
  width: number;
  height: number;
  original: ImageBitmap | undefined;
  /** What is painted: the file, its differences, or the original in its place. */
  paints: "file" | "differences" | "original";
  chosen: boolean;
  /** Where its bytes lie on the ruler, in CSS pixels. */
  at: number;
  onChoose: () => void;
}

/** One trial: the detail at true size, and its mark on the byte ruler. */
export function Band({ trial, spot, frame, zoom, width, height, original, paints, chosen, at, onChoose }: Props) {
  const moves = frame !== undefined;
  const own = `${siteApi}/trials/${trial.id}${moves ? `/frames/${frame}` : ""}`;
  const file = useBitmap(`${own}/file`, { keeps: moves });
  const differences = useBitmap(paints === "differences" ? `${own}/differences` : undefined, { keeps: moves });
  const canvas = useRef<HTMLCanvasElement>(null);
  const ratio = devicePixelRatio;
  const size = { width: Math.floor(width * ratio), height: Math.floor(height * ratio) };
  const shown = paints === "differences" ? differences : file;
  const image = paints === "original" ? original : shown.data;
  // The frame before stays in view until the one that is asked for is there.
  const isOfBefore = paints !== "original" && shown.isPlaceholderData;
  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (!context) return;
    context.clearRect(0, 0, size.width, size.height);
    context.imageSmoothingEnabled = false;
    if (!image) return;
    const middle = spot?.place ?? { x: 0, y: 0, width: image.width, height: image.height };
    const span = { width: size.width / zoom, height: size.height / zoom };
    // The spot in the middle, and no further than the picture's edges.
    const from = (centre: number, part: number, all: number) =>
      Math.round(all <= part ? (all - part) / 2 : Math.min(Math.max(centre - part / 2, 0), all - part));
    const x = from(middle.x + middle.width / 2, span.width, image.width);
    const y = from(middle.y + middle.height / 2, span.height, image.height);
    context.drawImage(image, -x * zoom, -y * zoom, image.width * zoom, image.height * zoom);
  });
  const words = `${trial.name}, ${bytes(trial.margin.weight)}, ${trial.word} ${trial.score.toFixed(1)}`;
  const rightwards = at < width * 0.62;
  return (
    <button
      type="button"
      className="band"
      data-trial={trial.name}
      data-bytes={trial.margin.weight}
      data-chosen={chosen}
      aria-pressed={chosen}
      aria-label={words}
      onClick={onChoose}
    >
      <canvas
        ref={canvas}
        width={size.width}
        height={size.height}
        style={{ width: size.width / ratio, height: size.height / ratio }}
        data-paints={image && !isOfBefore ? paints : "nothing"}
      />
      {file.error && <span className="band-note">{file.error.message}</span>}
      <span className="band-rail">
        <span className="band-bar" style={{ width: at }} data-over={trial.margin.margin < 0} />
        <span className="band-mark" style={rightwards ? { left: at + 6 } : { right: width - at + 6 }}>
          <b>{trial.name}</b>
          <span className="figure" title={`${trial.margin.weight.toLocaleString("en")} bytes`}>
            {bytes(trial.margin.weight)}
          </span>
          <span className="figure">
            {trial.word} {trial.score.toFixed(1)}
          </span>
          {trial.margin.margin < 0 && <span className="figure overrun">overrun {bytes(-trial.margin.margin)}</span>}
        </span>
      </span>
    </button>
  );
}
