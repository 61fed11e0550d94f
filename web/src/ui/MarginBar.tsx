import type { Margin } from "../api/client";
import { bytes } from "./figures";

const WIDTH = 144;
const NOTCH = WIDTH / 2;
const HEIGHT = 16;

/** Where a weight ends on the bar, its budget being at the notch. */
const end = (weight: number, budget: number) => Math.min(weight / budget, 2) * NOTCH;

/**
 * Our mark: the notch is the budget and stands at the same place in every row. Today's weight is
 * an outline, the new weight a solid bar; the rest to the notch is margin, beyond it is overrun.
 * Past twice the budget an end is broken off.
 */
export function MarginBar({ margin, today }: { margin: Margin; today?: number }) {
  const solid = end(margin.weight, margin.budget);
  const original = today === undefined ? "" : `; the original has ${bytes(today)}`;
  const spoken = `${bytes(margin.weight)} of a budget of ${bytes(margin.budget)}, ${inWords(margin)}${original}`;
  return (
    <svg
      className="margin-bar"
      width={WIDTH + 6}
      height={HEIGHT}
      role="img"
      aria-label={spoken}
      data-margin={margin.margin}
    >
      <title>{spoken}</title>
      <defs>
        <pattern id="overrun" width="4" height="4" patternUnits="userSpaceOnUse">
          <path d="M-1 1 L1 -1 M0 4 L4 0 M3 5 L5 3" stroke="var(--ink)" strokeWidth="1" />
        </pattern>
      </defs>
      <line x1="0" x2={WIDTH} y1="13.5" y2="13.5" stroke="var(--line)" />
      {today !== undefined && <Outline today={today} budget={margin.budget} />}
      <rect x="0" y="6" width={Math.min(solid, NOTCH)} height="4" fill="var(--ink)" />
      {margin.margin > 0 && <rect x={solid} y="6" width={NOTCH - solid} height="4" fill="var(--accent)" />}
      {margin.margin < 0 && (
        <rect x={NOTCH} y="3" width={solid - NOTCH} height="10" fill="url(#overrun)" stroke="var(--ink)" />
      )}
      <path d={`M${NOTCH} 1 V15 M${NOTCH - 2} 1 H${NOTCH + 2}`} stroke="var(--ink)" strokeWidth="1.5" />
    </svg>
  );
}

function Outline({ today, budget }: { today: number; budget: number }) {
  const x = end(today, budget);
  return (
    <>
      <path d={`M${x} 4.5 H0.5 V11.5 H${x}${today / budget < 2 ? " Z" : ""}`} fill="none" stroke="var(--ink-soft)" />
      {today / budget > 2 && <BrokenEnd x={x} />}
    </>
  );
}

function BrokenEnd({ x }: { x: number }) {
  return <path d={`M${x} 3 l3 2.5 l-3 2.5 l3 2.5 l-3 2.5`} fill="none" stroke="var(--ink-soft)" />;
}

/** `margin 21.8 KB`, `overrun 69.3 KB`, `no margin`. */
function inWords(margin: Margin) {
  if (margin.margin === 0) return "no margin";
  return margin.margin > 0 ? `margin ${bytes(margin.margin)}` : `overrun ${bytes(-margin.margin)}`;
}

/** The margin as a word and a figure. */
export function MarginWords({ margin }: { margin: Margin }) {
  return (
    <span className={margin.margin < 0 ? "figure overrun" : "figure"} title={`${margin.margin} bytes`}>
      {inWords(margin)}
    </span>
  );
}
