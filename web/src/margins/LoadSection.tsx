import { lazy, Suspense } from "react";
import type { PageMargin, RequestBody } from "../api/client";
import { bytes, millis } from "../ui/figures";
import { WaitingRows } from "../ui/Waiting";
import { RequestTable } from "./RequestTable";

// The chart library comes with the chart.
const Waterfall = lazy(() => import("./Waterfall").then(({ Waterfall }) => ({ default: Waterfall })));

interface Props {
  name: string;
  figures: PageMargin["today"];
  requests: RequestBody[];
  /** Where the axis of time ends, in ms. */
  end: number;
  asTable: boolean;
}

/** How a page comes: its weight, its LCP, and its requests as a chart or a table. */
export function LoadSection({ name, figures: { weight, times }, requests, end, asTable }: Props) {
  return (
    <section aria-label={name}>
      <h2>
        {name}{" "}
        <span className="figure soft">
          {bytes(weight.total)}, LCP {millis(times.lcp)}
        </span>
      </h2>
      {asTable ? (
        <RequestTable requests={requests} />
      ) : (
        <Suspense fallback={<WaitingRows />}>
          <Waterfall name={name} requests={requests} times={times} end={end} />
        </Suspense>
      )}
    </section>
  );
}
