import type { Format, Proof, Trial } from "../../api/client";
import { bytes, formatName } from "../../ui/figures";

const SIZE = { width: 236, height: 240 };
const EDGE = { left: 30, right: 8, top: 8, bottom: 22 };
const DASHES: Record<Format, string> = {
  jpeg: "",
  webp: "7 3",
  avif: "2 2",
  png: "9 2 2 2",
  gif: "4 4",
  jxl: "10 3 1 3",
};

interface Props {
  proof: Proof;
  end: number;
  chosen: string | undefined;
  onPoint: (trial: Trial) => void;
}

/** Score against bytes, one line a format through everything that was tried; a point adds its
 * trial to the strip. */
export function Curve({ proof, end, chosen, onPoint }: Props) {
  const lowest = Math.min(40, ...proof.trials.map((trial) => Math.max(trial.score, -20)));
  // From the lightest to the heaviest, so that what lies close together can be told apart.
  const weights = proof.trials.map((trial) => trial.margin.weight);
  const from = Math.min(...weights, end) * 0.9;
  const to = Math.max(...weights) * 1.1;
  const x = (value: number) =>
    EDGE.left + ((value - from) / Math.max(1, to - from)) * (SIZE.width - EDGE.left - EDGE.right);
  const y = (score: number) =>
    EDGE.top + ((100 - Math.max(score, lowest)) / (100 - lowest)) * (SIZE.height - EDGE.top - EDGE.bottom);
  const formats = [...new Set(proof.trials.map((trial) => trial.format))];
  return (
    <figure className="curve">
      <svg
        width={SIZE.width}
        height={SIZE.height}
        role="group"
        aria-label="Score against bytes of everything that was tried"
      >
        {proof.grades.map(({ grade, target }) => (
          <g key={grade}>
            <line x1={EDGE.left} x2={SIZE.width - EDGE.right} y1={y(target)} y2={y(target)} stroke="var(--line)" />
            <text x={EDGE.left - 4} y={y(target) + 4} textAnchor="end" className="ruler-text">
              {grade}
            </text>
          </g>
        ))}
        <line x1={EDGE.left} x2={EDGE.left} y1={EDGE.top} y2={SIZE.height - EDGE.bottom} stroke="var(--ink-soft)" />
        <line
          x1={EDGE.left}
          x2={SIZE.width - EDGE.right}
          y1={SIZE.height - EDGE.bottom}
          y2={SIZE.height - EDGE.bottom}
          stroke="var(--ink-soft)"
        />
        {proof.budget > from && proof.budget < to && (
          <line
            x1={x(proof.budget)}
            x2={x(proof.budget)}
            y1={EDGE.top}
            y2={SIZE.height - EDGE.bottom}
            stroke="var(--ink)"
            strokeWidth="1.5"
          />
        )}
        <text x={EDGE.left} y={SIZE.height - 6} className="ruler-text">
          {bytes(Math.round(from))}
        </text>
        <text x={SIZE.width - EDGE.right} y={SIZE.height - 6} textAnchor="end" className="ruler-text">
          {bytes(Math.round(to))}
        </text>
        {formats.map((format) => (
          <polyline
            key={format}
            fill="none"
            stroke="var(--ink)"
            strokeDasharray={DASHES[format]}
            points={proof.trials
              .filter((trial) => trial.format === format)
              .toSorted((a, b) => a.margin.weight - b.margin.weight)
              .map((trial) => `${x(trial.margin.weight)},${y(trial.score)}`)
              .join(" ")}
          />
        ))}
        {proof.trials.map((trial) => (
          <circle
            key={trial.id}
            cx={x(trial.margin.weight)}
            cy={y(trial.score)}
            r={trial.id === chosen ? 5 : 3.5}
            fill={trial.id === chosen ? "var(--accent)" : trial.spots.length > 0 ? "var(--ink)" : "var(--sheet)"}
            stroke="var(--ink)"
            className="curve-point"
            role="button"
            tabIndex={0}
            aria-label={`${trial.name}, ${bytes(trial.margin.weight)}, ${trial.word} ${trial.score.toFixed(1)}`}
            onKeyDown={(event) => {
              if (event.key !== "Enter" && event.key !== " ") return;
              event.preventDefault();
              onPoint(trial);
            }}
            onClick={() => {
              onPoint(trial);
            }}
          >
            <title>{`${trial.name} · ${bytes(trial.margin.weight)} · ${trial.word} ${trial.score.toFixed(1)}`}</title>
          </circle>
        ))}
      </svg>
      <figcaption>
        {formats.map((format) => (
          <span key={format}>
            <svg width="22" height="8" aria-hidden="true">
              <line x1="0" x2="22" y1="4" y2="4" stroke="var(--ink)" strokeDasharray={DASHES[format]} />
            </svg>
            {formatName[format]}
          </span>
        ))}
      </figcaption>
    </figure>
  );
}
