import { Link, useNavigate, useParams } from "react-router";
import { ApiError, siteApi, type PageComing, type PageMargin } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { count } from "../ui/figures";
import { MarginBar, MarginWords } from "../ui/MarginBar";
import { ProblemNote } from "../ui/ProblemNote";
import { useAddress } from "../ui/useAddress";
import { useKey } from "../ui/useKey";
import { useTitle } from "../ui/useTitle";
import { WaitingRows } from "../ui/Waiting";
import "../ui/tables.css";
import "./margins.css";
import { ChartOrTable, useAsTable } from "./ChartOrTable";
import { LoadSection } from "./LoadSection";
import { PageFigures } from "./PageFigures";
import { PastWeights } from "./PastWeights";
import { usePageMargins } from "./useMargins";
import { useView, ViewChoice } from "./ViewChoice";
import { timeWords } from "./words";

/** How a page comes: request by request, today and about as it could. */
export function PageMarginsPage() {
  const { id = "" } = useParams();
  const [address] = useAddress();
  const view = useView();
  const page = usePageMargins(id, view);
  const navigate = useNavigate();
  useTitle(page.data?.page.name, "Margins");
  useKey((event) => {
    if (event.key === "Escape") void navigate(`/margins?${address}`);
  });
  const gone = page.error instanceof ApiError && page.error.status === 404;
  const asTable = useAsTable();
  return (
    <>
      <div className="work">
        <main>
          <div className="bar">
            <Link to={`/margins?${address}`}>Margins</Link>
            <h1 title={page.data?.page.address}>
              <bdi>{page.data?.page.name}</bdi>
            </h1>
            {page.data && <ViewChoice view={page.data.view} />}
            <span className="gap" />
            {page.data?.publication && <Link to={filmOf(page.data, page.data.publication)}>Film strip</Link>}
            {page.data && (
              <a href={`${siteApi}/margins/${id}/requests.har?${address}`} download>
                HAR
              </a>
            )}
            <ChartOrTable />
          </div>
          {page.isPending && <WaitingRows />}
          {gone && (
            <div className="empty">
              <h2>What this page weighs is not known</h2>
              <span className="soft">
                It was never measured at this width. <Link to="/layouts">Measure it in Layouts</Link>.
              </span>
            </div>
          )}
          {page.error && !gone && <ProblemNote error={page.error} again={() => void page.refetch()} />}
          {page.data && (
            <>
              <PageFigures key={JSON.stringify(page.data.budgets)} coming={page.data} />
              <Loads coming={page.data} asTable={asTable} />
            </>
          )}
        </main>
      </div>
      <PageTally page={page.data?.page} />
    </>
  );
}

/** Where it is seen how the page comes before and after its latest publication. */
function filmOf({ view }: PageComing, { id, page }: NonNullable<PageComing["publication"]>) {
  const query = new URLSearchParams({ page, show: "film", connection: view.connection.value });
  if (view.width != null) query.set("width", String(view.width));
  return `/publish/${id}?${query}`;
}

function PageTally({ page }: { page: PageMargin | undefined }) {
  return (
    <footer className="tally" aria-label="Tally" aria-live="polite">
      {page && (
        <>
          <span className="part">
            <b>{count(page.today.weight.requests, "request")}</b> today <Bytes of={page.today.weight.total} /> → about{" "}
            <Bytes of={page.possible.weight.total} />
          </span>
          <span className="part">
            <MarginBar margin={page.bytes} today={page.today.weight.total} />
            <MarginWords margin={page.bytes} />
          </span>
          <span className={page.time.margin < 0 ? "figure overrun" : "figure"}>{timeWords(page.time)}</span>
          <div className="actions">
            <Link to={`/layouts?page=${page.id}`}>Layouts</Link>
            <Link to={`/runs/new?page=${page.id}`}>Make this page&apos;s files…</Link>
          </div>
        </>
      )}
    </footer>
  );
}

interface LoadsProps {
  coming: PageComing;
  asTable: boolean;
}

/** How it comes today and as it could, on one axis of time, and what it weighed before. */
function Loads({ coming: { page, today, possible, history }, asTable }: LoadsProps) {
  const end = Math.max(page.today.times.end, page.possible.times.end);
  const loads = [
    { name: "Today", figures: page.today, requests: today },
    { name: "Possible, about", figures: page.possible, requests: possible },
  ];
  return (
    // Keys scroll it, too.
    <div className="loads" role="group" aria-label="Loads" tabIndex={0}>
      {loads.map((load) => (
        <LoadSection key={load.name} {...load} end={end} asTable={asTable} />
      ))}
      {history.length > 1 && <PastWeights history={history} />}
    </div>
  );
}
