import { Button, InputNumber } from "antd";
import { lazy, Suspense, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { ApiError, type PageComing, type RequestBody } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { bytes, count } from "../ui/figures";
import { MarginBar, MarginWords } from "../ui/MarginBar";
import { ProblemNote } from "../ui/ProblemNote";
import { useAddress } from "../ui/useAddress";
import { useKey } from "../ui/useKey";
import { useTitle } from "../ui/useTitle";
import { WaitingRows } from "../ui/Waiting";
import "../ui/tables.css";
import "./margins.css";
import { RequestTable } from "./RequestTable";
import { useMargins, usePageMargins, useSayBudgets } from "./useMargins";
import { useView, ViewChoice } from "./ViewChoice";
import { millis, timeWords } from "./words";

// The chart library comes with the chart.
const Waterfall = lazy(() => import("./Waterfall").then(({ Waterfall }) => ({ default: Waterfall })));

/** How a page comes: request by request, today and about as it could. */
export function PageMarginsPage() {
  const { id = "" } = useParams();
  const [address, change] = useAddress();
  const view = useView();
  const page = usePageMargins(id, view);
  const site = useMargins(view, "time");
  const navigate = useNavigate();
  useTitle(page.data?.name, "Margins");
  useKey((event) => {
    if (event.key === "Escape") void navigate(`/margins?${address}`);
  });
  const gone = page.error instanceof ApiError && page.error.status === 404;
  const asTable = address.get("as") === "table";
  return (
    <>
      <div className="work">
        <main>
          <div className="bar">
            <Link to={`/margins?${address}`}>Margins</Link>
            <h1 title={page.data?.address}>
              <bdi>{page.data?.name}</bdi>
            </h1>
            {site.data && <ViewChoice {...site.data} />}
            <span className="gap" />
            <Button
              aria-pressed={asTable}
              onClick={() => {
                change({ as: asTable ? undefined : "table" });
              }}
            >
              {asTable ? "Chart" : "Table"}
            </Button>
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
              <Figures key={JSON.stringify(page.data.budgets)} page={page.data} />
              <div className="loads">
                <Load name="Today" page={page.data} load={page.data.today} asTable={asTable} />
                <Load name="Possible, about" page={page.data} load={page.data.possible} asTable={asTable} />
              </div>
            </>
          )}
        </main>
      </div>
      <PageTally page={page.data} />
    </>
  );
}

function PageTally({ page }: { page: PageComing | undefined }) {
  return (
    <footer className="tally" aria-label="Tally" aria-live="polite">
      {page && (
        <>
          <span className="part">
            <b>{count(page.today.figures.weight.requests, "request")}</b> today{" "}
            <Bytes of={page.today.figures.weight.total} /> → about <Bytes of={page.possible.figures.weight.total} />
          </span>
          <span className="part">
            <MarginBar margin={page.bytes} today={page.today.figures.weight.total} />
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

/** What was worked out, and the budgets that it is held against. */
function Figures({ page }: { page: PageComing }) {
  const { today, possible, budgets } = page;
  const [kb, setKb] = useState<number | null>(budgets.bytes == null ? null : budgets.bytes / 1_000);
  const [ms, setMs] = useState<number | null>(budgets.time ?? null);
  const say = useSayBudgets(page.id);
  const wish = { bytes: kb === null ? null : Math.round(kb * 1_000), time: ms };
  const isSaid = wish.bytes === (budgets.bytes ?? null) && wish.time === (budgets.time ?? null);
  const time = (ms: number) => <span className="figure">{millis(ms)}</span>;
  return (
    <div className="page-figures">
      <FigureTable
        loads={[today, possible]}
        rows={[
          ["Until loaded", ({ weight }) => <Bytes of={weight.total} />],
          ["of that, pictures", ({ weight }) => <Bytes of={weight.picture} />],
          ["Lazy", ({ weight }) => <Bytes of={weight.lazy} />],
        ]}
      />
      <FigureTable
        loads={[today, possible]}
        rows={[
          ["First paint", ({ times }) => time(times.first_paint)],
          ["LCP", ({ times }) => time(times.lcp)],
          ["Last picture", ({ times }) => time(times.last_picture)],
        ]}
      />
      <form
        className="page-budgets"
        onSubmit={(event) => {
          event.preventDefault();
          say.mutate(wish);
        }}
      >
        <label htmlFor="budget-kb">Byte budget, KB</label>
        <InputNumber
          id="budget-kb"
          min={0}
          max={1_000_000}
          value={kb}
          onChange={setKb}
          placeholder={`of its slots: ${bytes(page.bytes.budget)}`}
        />
        <label htmlFor="budget-ms">Time budget, ms</label>
        <InputNumber
          id="budget-ms"
          min={0}
          max={600_000}
          precision={0}
          value={ms}
          onChange={setMs}
          placeholder={`default: ${millis(page.time.budget)}`}
        />
        {isSaid ? (
          <Button disabled title="Nothing was changed">
            Save
          </Button>
        ) : (
          <Button type="primary" htmlType="submit" loading={say.isPending}>
            Save
          </Button>
        )}
        {say.error && <ProblemNote error={say.error} />}
      </form>
      <p className="soft">
        Times come from a model of {page.connection.words}: hand-shakes, slow start, priorities, what blocks, and the
        decoding of pictures.
      </p>
    </div>
  );
}

type LoadFigures = PageComing["today"]["figures"];

interface FigureTableProps {
  /** Today, and as it could be. */
  loads: PageComing["today"][];
  rows: [string, (figures: LoadFigures) => React.ReactNode][];
}

function FigureTable({ loads, rows }: FigureTableProps) {
  return (
    <table className="done-table">
      <thead>
        <tr>
          <td />
          {["Today", "About"].map((name) => (
            <th key={name} scope="col" className="right">
              {name}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {rows.map(([name, of]) => (
          <tr key={name}>
            <th scope="row">{name}</th>
            {loads.map(({ figures }, n) => (
              <td key={n} className="right">
                {of(figures)}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

interface LoadProps {
  name: string;
  page: PageComing;
  load: { figures: LoadFigures; requests: RequestBody[] };
  asTable: boolean;
}

function Load({ name, page, load, asTable }: LoadProps) {
  const end = Math.max(page.today.figures.times.end, page.possible.figures.times.end);
  return (
    <section aria-label={name}>
      <h2>
        {name}{" "}
        <span className="figure soft">
          {bytes(load.figures.weight.total)}, LCP {millis(load.figures.times.lcp)}
        </span>
      </h2>
      {asTable ? (
        <RequestTable requests={load.requests} />
      ) : (
        <Suspense fallback={<WaitingRows />}>
          <Waterfall name={name} load={load} end={end} />
        </Suspense>
      )}
    </section>
  );
}
