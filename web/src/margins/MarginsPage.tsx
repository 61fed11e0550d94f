import { Link, useNavigate } from "react-router";
import { siteApi, type Gain, type Margins, type PageMargin, type PageOrder } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { bytes, count, percent } from "../ui/figures";
import { MarginBar, MarginWords } from "../ui/MarginBar";
import { ProblemNote } from "../ui/ProblemNote";
import { Tally } from "../ui/Tally";
import { useAddress } from "../ui/useAddress";
import { useKey } from "../ui/useKey";
import { useTitle } from "../ui/useTitle";
import { WaitingRows } from "../ui/Waiting";
import "../ui/tables.css";
import "./margins.css";
import { useMargins } from "./useMargins";
import { useView, ViewChoice } from "./ViewChoice";
import { millis, timeWords } from "./words";

const ORDERS: PageOrder[] = ["time", "bytes", "saving", "name"];

/** Margins, the home: what each page leaves under its budgets, and where most can be gained. */
export function MarginsPage() {
  useTitle("Margins");
  const [address, change] = useAddress();
  const view = useView();
  const order = ORDERS.find((one) => one === address.get("order")) ?? "time";
  const margins = useMargins(view, order);
  const navigate = useNavigate();
  const next = margins.data?.gains[0];
  useKey((event) => {
    if (event.key === "n" && next) void navigate(benchOf(next));
  });
  const query = new URLSearchParams(address);
  query.delete("order");
  return (
    <>
      <div className="work">
        <main>
          <div className="bar">
            <h1>Margins</h1>
            {margins.data && <ViewChoice {...margins.data} />}
            <span className="gap" />
            {margins.data && margins.data.pages.length > 0 && (
              <>
                <a href={`${siteApi}/margins/report.html?${query}`} target="_blank" rel="noreferrer">
                  Report to print
                </a>
                <a href={`${siteApi}/margins/pages.csv?${query}`} download>
                  CSV
                </a>
              </>
            )}
          </div>
          {margins.error && <ProblemNote error={margins.error} again={() => void margins.refetch()} />}
          {margins.isPending && <WaitingRows />}
          {margins.data?.pages.length === 0 && <Nothing unknown={margins.data.unknown} />}
          {margins.data && margins.data.pages.length > 0 && (
            <>
              <Sum margins={margins.data} />
              <div className="margins">
                <PageTable
                  pages={margins.data.pages}
                  order={order}
                  query={query.toString()}
                  onOrder={(by) => {
                    change({ order: by });
                  }}
                />
                <Gains gains={margins.data.gains} />
              </div>
            </>
          )}
        </main>
      </div>
      <Tally of={{ filter: {} }} where="in the library">
        {next && <Link to={benchOf(next)}>Next overrun (N)</Link>}
      </Tally>
    </>
  );
}

const benchOf = (gain: Gain) => `/bench/${gain.picture}?slot=${gain.slot}`;

function Nothing({ unknown }: { unknown: number }) {
  return (
    <div className="empty">
      <h2>{unknown > 0 ? "What pages weigh is not known yet" : "No page measured yet"}</h2>
      <span className="soft">
        {unknown > 0
          ? `${count(unknown, "page was", "pages were")} measured before weights were kept: `
          : "Give the address of the site or a page: "}
        <Link to="/layouts">{unknown > 0 ? "measure the site again" : "measure it in Layouts"}</Link>. Then each page
        stands here with the bytes and milliseconds that it has left.
      </span>
    </div>
  );
}

/** All pages together. */
function Sum({ margins: { pages, saving, over, unknown } }: { margins: Margins }) {
  const late = over.time > 0 ? `${over.time} over the time budget` : "none over the time budget";
  const heavy = over.bytes > 0 ? `${over.bytes} over the byte budget` : "none over the byte budget";
  return (
    <p className="done-facts" data-testid="margins-sum">
      <b>{count(pages.length, "page")}</b>: today <Bytes of={saving.before} /> → about <Bytes of={saving.after} />,
      could save <Bytes of={saving.saved} /> <span className="figure">({percent(saving.percent)})</span>; {late},{" "}
      {heavy}
      {unknown > 0 && (
        <>
          ; {count(unknown, "page")} to be <Link to="/layouts">measured again</Link>
        </>
      )}
    </p>
  );
}

interface TableProps {
  pages: PageMargin[];
  order: PageOrder;
  query: string;
  onOrder: (by: PageOrder) => void;
}

function PageTable({ pages, order, query, onOrder }: TableProps) {
  const column = (by: PageOrder, words: string, right = false) => (
    <th
      scope="col"
      {...(right ? { className: "right" } : {})}
      aria-sort={order === by ? (by === "saving" ? "descending" : "ascending") : "none"}
    >
      <button
        type="button"
        className="quiet-button"
        onClick={() => {
          onOrder(by);
        }}
      >
        {words}
        {order === by ? (by === "saving" ? " ↓" : " ↑") : ""}
      </button>
    </th>
  );
  return (
    <div className="margin-pages">
      <table className="done-table">
        <thead>
          <tr>
            {column("name", "Page")}
            <th scope="col" className="right">
              Transfers
            </th>
            {column("bytes", "Byte margin")}
            {column("time", "Time margin", true)}
            {column("saving", "Could save", true)}
          </tr>
        </thead>
        <tbody>
          {pages.map((page) => (
            <PageRow key={page.id} page={page} query={query} />
          ))}
        </tbody>
      </table>
    </div>
  );
}

function PageRow({ page, query }: { page: PageMargin; query: string }) {
  const { today, possible, time } = page;
  return (
    <tr data-page={page.id}>
      <td className="page-name">
        <Link to={`/margins/${page.id}?${query}`} title={page.address}>
          <bdi>{page.name}</bdi>
        </Link>
      </td>
      <td className="right">
        <Bytes of={today.weight.total} />
        <span className="figure soft"> → {bytes(possible.weight.total)}</span>
      </td>
      <td>
        <span className="margin-cell">
          <MarginBar margin={page.bytes} today={today.weight.total} />
          <MarginWords margin={page.bytes} />
        </span>
      </td>
      <td className="right">
        <span className="margin-cell">
          <span className={time.margin < 0 ? "figure overrun" : "figure"}>{timeWords(time)}</span>
          <span className="figure soft">
            LCP {millis(today.times.lcp)} → {millis(possible.times.lcp)}
          </span>
        </span>
      </td>
      <td className="right">
        <Bytes of={page.saving.saved} />
      </td>
    </tr>
  );
}

/** The places with most to gain, each one press from the bench. */
function Gains({ gains }: { gains: Gain[] }) {
  return (
    <aside className="gains" aria-label="Most to gain">
      <h2>Most to gain</h2>
      {gains.length === 0 && (
        <span className="soft">No picture of these pages is in the library heavier than it could be.</span>
      )}
      <ol>
        {gains.map((gain) => (
          <li key={gain.place}>
            <Link to={benchOf(gain)}>
              <bdi>{gain.picture_name}</bdi>
            </Link>
            <span className="soft">{gain.slot_name}</span>
            <span className="figure">
              {bytes(gain.saving.before)} → about {bytes(gain.saving.after)}
            </span>
            <span className="figure soft">{millis(gain.time)} less on the link</span>
          </li>
        ))}
      </ol>
    </aside>
  );
}
