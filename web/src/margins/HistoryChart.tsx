import { useState } from "react";
import type { SiteHistory } from "../api/client";
import { bytes, moment } from "../ui/figures";
import { stepsBy, textOf, useChart, type Colours } from "./chart";
import { timeline, wordsOf } from "./timeline";

/** What all pages weighed, step by step, with what was done meanwhile; arrow keys go from one to the next. */
export function HistoryChart({ history }: { history: SiteHistory }) {
  const [at, setAt] = useState<number>();
  const events = timeline(history);
  const chosen = at === undefined ? undefined : events[at];
  const place = useChart((colours) => optionOf(history, chosen?.at, colours));
  return (
    <div className="waterfall">
      <div
        ref={place}
        className="history-chart"
        {...stepsBy({ count: events.length, at, onStep: setAt, keys: ["ArrowLeft", "ArrowRight"] })}
        aria-label="Weight of all pages over time"
        aria-valuetext={chosen ? wordsOf(chosen) : "none chosen"}
      />
      <p className="soft waterfall-words" role="status">
        {chosen
          ? `${moment(chosen.at)}: ${wordsOf(chosen)}`
          : "Upper line: all that pages transfer. Lower line, filled: pictures. Dashed: published, taken back or made. Arrow keys tell of each."}
      </p>
    </div>
  );
}

function optionOf({ points, marks }: SiteHistory, chosen: string | undefined, colours: Colours) {
  const { ink, accent, line, "ink-soft": soft, "accent-ground": ground } = colours;
  const text = textOf(colours);
  // What was measured last holds until now.
  const last = points.at(-1);
  const held = last ? [...points, { ...last, at: new Date().toISOString() }] : points;
  const series = (of: "total" | "pictures") => held.map((point) => [point.at, point[of]]);
  return {
    grid: { left: 72, right: 24, top: 24, bottom: 28 },
    xAxis: {
      type: "time" as const,
      axisLabel: { ...text, color: soft, hideOverlap: true },
      splitLine: { show: false },
    },
    yAxis: {
      type: "value" as const,
      min: 0,
      axisLabel: { ...text, color: soft, formatter: (size: number) => bytes(size) },
      splitLine: { lineStyle: { color: line } },
    },
    series: [
      {
        type: "line" as const,
        step: "end" as const,
        silent: true,
        symbolSize: 5,
        color: ink,
        data: series("total"),
        markLine: {
          silent: true,
          symbol: "none",
          label: { show: false },
          data: [
            ...marks.map(({ at }) => ({ xAxis: at, lineStyle: { color: soft, type: "dashed" as const } })),
            ...(chosen ? [{ xAxis: chosen, lineStyle: { color: ink, type: "solid" as const, width: 1.5 } }] : []),
          ],
        },
      },
      {
        type: "line" as const,
        step: "end" as const,
        silent: true,
        symbol: "none",
        color: accent,
        areaStyle: { color: ground },
        data: series("pictures"),
      },
    ],
  };
}
