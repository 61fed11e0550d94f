/** Charts: one library, our colours, and the keys that go from one mark to the next. */
import { BarChart, LineChart } from "echarts/charts";
import { AriaComponent, GridComponent, MarkLineComponent } from "echarts/components";
import { init, use as register, type EChartsCoreOption } from "echarts/core";
import { CanvasRenderer } from "echarts/renderers";
import { useEffect, useRef, type KeyboardEvent } from "react";

register([BarChart, LineChart, GridComponent, MarkLineComponent, AriaComponent, CanvasRenderer]);

const COLOURS = ["ink", "ink-soft", "accent", "line", "accent-ground", "page"] as const;
export type Colours = Record<(typeof COLOURS)[number], string>;

function colours(): Colours {
  const styles = getComputedStyle(document.documentElement);
  return Object.fromEntries(COLOURS.map((name) => [name, styles.getPropertyValue(`--${name}`).trim()])) as Colours;
}

/** How a chart writes. */
export const textOf = ({ ink }: Colours) => ({
  color: ink,
  fontSize: 12,
  fontFamily: '"Source Sans 3 Variable", sans-serif',
});

/** An element that shows what `draw` makes of our colours, as wide as there is room, in each theme. */
export function useChart(draw: (colours: Colours) => EChartsCoreOption) {
  const place = useRef<HTMLDivElement>(null);
  const theme = document.documentElement.dataset.theme;
  useEffect(() => {
    if (!place.current) return;
    const chart = init(place.current, null, { renderer: "canvas" });
    chart.setOption({ animation: false, aria: { enabled: false }, ...draw(colours()) });
    const watch = new ResizeObserver(() => {
      chart.resize();
    });
    watch.observe(place.current);
    return () => {
      watch.disconnect();
      chart.dispose();
    };
  }, [draw, theme]);
  return place;
}

interface Steps {
  /** How many marks. */
  count: number;
  /** The one that is told of. */
  at: number | undefined;
  onStep: (at: number | undefined) => void;
  /** The keys to the one before and after. */
  keys: [before: string, after: string];
}

/** Keys that go from one mark to the next and tell of it. */
export const stepsBy = ({ count, at, onStep, keys }: Steps) => ({
  role: "slider",
  tabIndex: 0,
  "aria-valuemin": 0,
  "aria-valuemax": count,
  "aria-valuenow": at === undefined ? 0 : at + 1,
  onKeyDown: (event: KeyboardEvent) => {
    const step = event.key === keys[1] ? 1 : event.key === keys[0] ? -1 : 0;
    if (step === 0) return;
    event.preventDefault();
    onStep(Math.min(count - 1, Math.max(0, (at ?? (step > 0 ? -1 : count)) + step)));
  },
  onBlur: () => {
    onStep(undefined);
  },
});
