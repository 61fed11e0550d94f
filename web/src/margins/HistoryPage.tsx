import { lazy, Suspense } from "react";
import { Link, useNavigate } from "react-router";
import type { SiteHistory } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { DoneTable } from "../ui/DoneTable";
import { count, moment } from "../ui/figures";
import { ProblemNote } from "../ui/ProblemNote";
import { useAddress } from "../ui/useAddress";
import { useKey } from "../ui/useKey";
import { useTitle } from "../ui/useTitle";
import { WaitingRows } from "../ui/Waiting";
import "../ui/tables.css";
import "./margins.css";
import { pathOf, timeline, wordsOf } from "./timeline";
import { useSiteHistory } from "./useMargins";
import { useView, WidthChoice } from "./ViewChoice";

const HistoryChart = lazy(() => import("./HistoryChart").then(({ HistoryChart }) => ({ default: HistoryChart })));

/** What all pages weighed over time, with publications and runs. */
export function HistoryPage() {
  useTitle("History", "Margins");
  const [address] = useAddress();
  const history = useSiteHistory(useView());
  const navigate = useNavigate();
  useKey((event) => {
    if (event.key === "Escape") void navigate(`/margins?${address}`);
  });
  const last = history.data?.points.at(-1);
  return (
    <>
      <div className="work">
        <main>
          <div className="bar">
            <Link to={`/margins?${address}`}>Margins</Link>
            <h1>History</h1>
            {history.data && <WidthChoice {...history.data.view} />}
          </div>
          {history.error && <ProblemNote error={history.error} again={() => void history.refetch()} />}
          {history.isPending && <WaitingRows />}
          {history.data?.points.length === 0 && (
            <div className="empty">
              <h2>No weight is known yet</h2>
              <span className="soft">
                <Link to="/layouts">Measure the site in Layouts</Link>. Each measuring that finds other weights stands
                here, beside what was published and made meanwhile.
              </span>
            </div>
          )}
          {history.data && history.data.points.length > 0 && (
            <div className="loads">
              <Suspense fallback={<WaitingRows />}>
                <HistoryChart history={history.data} />
              </Suspense>
              <Timeline history={history.data} />
            </div>
          )}
        </main>
      </div>
      <footer className="tally" aria-label="Tally">
        {last && (
          <span className="part">
            <b>{count(last.pages, "page")}</b> transfer <Bytes of={last.total} />, pictures <Bytes of={last.pictures} />
          </span>
        )}
        <div className="actions">
          <Link to="/layouts">Measure again</Link>
        </div>
      </footer>
    </>
  );
}

function Timeline({ history }: { history: SiteHistory }) {
  return (
    <DoneTable columns={["When", "What"]}>
      {timeline(history)
        .toReversed()
        .map((event) => (
          <tr key={`${event.at} ${"kind" in event ? event.id : ""}`}>
            <td>
              <time dateTime={event.at}>{moment(event.at)}</time>
            </td>
            <td>
              {"kind" in event ? (
                <Link to={pathOf(event)}>
                  <bdi>{wordsOf(event)}</bdi>
                </Link>
              ) : (
                wordsOf(event)
              )}
            </td>
          </tr>
        ))}
    </DoneTable>
  );
}
