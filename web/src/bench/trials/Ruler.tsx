import { useState, type KeyboardEvent } from "react";
import { bytes } from "../../ui/figures";

interface Props {
  width: number;
  /** Bytes at its right end. */
  end: number;
  budget: number;
  /** What a click on it does, in words. */
  title: string;
  onPoint: (bytes: number) => void;
}

/** How far an arrow key goes, and with Shift, of the whole ruler. */
const STEP = 0.01;
const STRIDE = 0.1;

/** The byte ruler over the bands. A point on it asks for a trial of that weight; by keyboard, arrow
 * keys set a weight and Enter tries it. */
export function Ruler({ width, end, budget, title, onPoint }: Props) {
  const steps = ticks(end);
  const [typed, setTyped] = useState<number>();
  const at = typed ?? budget;
  const onKeyDown = (event: KeyboardEvent) => {
    const way = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 }[event.key];
    if (event.key === "Enter") onPoint(Math.max(1, Math.round(at)));
    else if (way === undefined) return;
    else setTyped(Math.min(end, Math.max(1, at + way * end * (event.shiftKey ? STRIDE : STEP))));
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <svg
      className="byte-ruler"
      width={width}
      height={30}
      role="slider"
      tabIndex={0}
      aria-label={`Weight to try, the budget is ${bytes(budget)}; arrow keys set it, Enter tries it`}
      aria-valuemin={1}
      aria-valuemax={Math.round(end)}
      aria-valuenow={Math.round(at)}
      aria-valuetext={bytes(Math.round(at))}
      onKeyDown={onKeyDown}
      onBlur={() => {
        setTyped(undefined);
      }}
      onClick={(event) => {
        const left = event.currentTarget.getBoundingClientRect().left;
        onPoint(Math.max(1, Math.round(((event.clientX - left) / width) * end)));
      }}
    >
      <title>{title}</title>
      <line x1={0} x2={width} y1={29.5} y2={29.5} stroke="var(--ink-soft)" />
      {steps.map((value) => {
        const x = Math.round((value / end) * width) + 0.5;
        const near = Math.abs(value - budget) / end < 0.07;
        return (
          <g key={value}>
            <line x1={x} x2={x} y1={23} y2={29} stroke="var(--ink-soft)" />
            {!near && x < width - 28 && (
              <text x={x + 3} y={27} className="ruler-text">
                {bytes(value)}
              </text>
            )}
          </g>
        );
      })}
      {typed === undefined ? (
        <text x={Math.min((budget / end) * width + 4, width - 108)} y={12} className="ruler-text strong">
          budget {bytes(budget)}
        </text>
      ) : (
        <g>
          <line x1={(typed / end) * width} x2={(typed / end) * width} y1={0} y2={29} stroke="var(--accent)" />
          <text x={Math.min((typed / end) * width + 4, width - 60)} y={12} className="ruler-text strong">
            {bytes(Math.round(typed))}
          </text>
        </g>
      )}
    </svg>
  );
}

/** Four to eight round figures up to `end`. */
function ticks(end: number) {
  const rough = end / 6;
  const power = 10 ** Math.floor(Math.log10(rough));
  const step = [1, 2, 5, 10].map((n) => n * power).find((n) => n >= rough) ?? rough;
  return Array.from({ length: Math.floor(end / step) }, (_, n) => (n + 1) * step);
}
