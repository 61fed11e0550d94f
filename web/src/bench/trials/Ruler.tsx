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

/** The byte ruler over the bands. A point on it asks for a trial of that weight. */
export function Ruler({ width, end, budget, title, onPoint }: Props) {
  const steps = ticks(end);
  return (
    <svg
      className="byte-ruler"
      width={width}
      height={30}
      role="img"
      aria-label={`Bytes from 0 to ${bytes(end)}, budget ${bytes(budget)}`}
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
      <text x={Math.min((budget / end) * width + 4, width - 108)} y={12} className="ruler-text strong">
        budget {bytes(budget)}
      </text>
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
