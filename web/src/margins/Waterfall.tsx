import { useState } from "react";
import type { LoadTimes, RequestBody } from "../api/client";
import { bytes, count, millis } from "../ui/figures";
import { stepsBy, textOf, useChart, type Colours } from "./chart";
import { fileOf, KINDS } from "./words";

const ROW = 20;

interface Props {
  name: string;
  requests: RequestBody[];
  times: LoadTimes;
  /** Where the axis of time ends, in ms. */
  end: number;
}

/** Requests as bars along one axis of time; arrow keys go from one to the next and tell of it. */
export function Waterfall({ name, requests, times, end }: Props) {
  const [at, setAt] = useState<number>();
  const rows = requests.filter(({ timing }) => timing != null);
  const lazy = requests.length - rows.length;
  const place = useChart((colours) => optionOf(rows, times, end, at, colours));
  const chosen = at === undefined ? undefined : rows[at];
  return (
    <div className="waterfall">
      <div
        ref={place}
        className="waterfall-chart"
        style={{ height: rows.length * ROW + 44 }}
        {...stepsBy({ count: rows.length, at, onStep: setAt, keys: ["ArrowUp", "ArrowDown"] })}
        aria-orientation="vertical"
        aria-label={`${name}: ${count(rows.length, "request")}, LCP ${millis(times.lcp)}`}
        aria-valuetext={chosen ? wordsOf(chosen) : "none chosen"}
      />
      <p className="soft waterfall-words" role="status">
        {chosen
          ? wordsOf(chosen)
          : `Outlined: waiting. Solid: bytes come, pictures in the accent colour. Arrow keys tell of each request.${lazy > 0 ? ` ${count(lazy, "lazy request")} not shown.` : ""}`}
      </p>
    </div>
  );
}

function wordsOf({ address, kind, bytes: size, timing }: RequestBody) {
  const what = `${fileOf(address)}, ${KINDS[kind]}, ${bytes(size)}`;
  if (!timing) return what;
  const { discovered, sent, first_byte: first, end } = timing;
  return `${what}: found at ${millis(discovered)}, asked at ${millis(sent)}, first byte at ${millis(first)}, there at ${millis(end)}`;
}

function optionOf(rows: RequestBody[], times: LoadTimes, end: number, at: number | undefined, colours: Colours) {
  const { ink, accent, line, page, "ink-soft": soft, "accent-ground": ground } = colours;
  const timings = rows.map(({ timing }) => timing);
  const parts = timings.map((timing) => {
    const { discovered = 0, first_byte: first = 0, end: there = 0 } = timing ?? {};
    return { discovered, waits: first - discovered, comes: there - first };
  });
  const text = textOf(colours);
  const mark = (at: number, words: string) => ({ xAxis: at, label: { formatter: words } });
  return {
    grid: { left: 170, right: 72, top: 22, bottom: 22 },
    xAxis: {
      type: "value" as const,
      max: end,
      axisLabel: {
        ...text,
        color: soft,
        formatter: (ms: number) => millis(ms),
        hideOverlap: true,
        showMaxLabel: false,
      },
      splitLine: { lineStyle: { color: line } },
    },
    yAxis: {
      type: "category" as const,
      inverse: true,
      data: rows.map(({ address }) => fileOf(address)),
      axisTick: { show: false },
      axisLine: { lineStyle: { color: line } },
      axisLabel: { ...text, width: 156, overflow: "truncate" as const, interval: 0 },
    },
    series: [
      {
        type: "bar" as const,
        stack: "time",
        silent: true,
        itemStyle: { color: "transparent" },
        data: parts.map((p) => p.discovered),
      },
      {
        type: "bar" as const,
        stack: "time",
        silent: true,
        barWidth: 11,
        data: parts.map((part, row) => ({
          value: part.waits,
          itemStyle: { color: row === at ? ground : "transparent", borderColor: soft, borderWidth: 1 },
        })),
      },
      {
        type: "bar" as const,
        stack: "time",
        silent: true,
        label: {
          show: true,
          position: "right" as const,
          backgroundColor: page,
          ...text,
          formatter: ({ dataIndex }: { dataIndex: number }) => bytes(rows[dataIndex]?.bytes ?? 0),
        },
        data: parts.map((part, row) => ({
          value: part.comes,
          itemStyle: {
            color: rows[row]?.kind === "picture" ? accent : soft,
            borderColor: ink,
            borderWidth: row === at ? 2 : 0,
          },
        })),
        markLine: {
          symbol: "none",
          silent: true,
          lineStyle: { color: ink, type: "solid" as const, width: 1.5 },
          label: { ...text, position: "start" as const },
          data: [mark(times.lcp, `LCP ${millis(times.lcp)}`)],
        },
      },
    ],
  };
}
