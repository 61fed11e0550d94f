import { useVirtualizer } from "@tanstack/react-virtual";
import { useMemo, useRef } from "react";
import { Link } from "react-router";
import type { PageMargin, PageOrder } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { bytes, count, millis } from "../ui/figures";
import { MarginBar, MarginWords } from "../ui/MarginBar";
import { timeWords } from "./words";

/** About how high a row is, in CSS px. */
const ROW = 48;
/** Orders with the most first. */
const FALLING: PageOrder[] = ["saving", "month"];

interface TableProps {
  pages: PageMargin[];
  order: PageOrder;
  /** What stands in the address. */
  query: string;
  /** Words of the names or addresses of the pages to show. */
  find: string;
  onOrder: (by: PageOrder) => void;
}

/** Pages with their margins; only those in sight are drawn. */
export function PageTable({ pages, order, query, find, onOrder }: TableProps) {
  const scroller = useRef<HTMLDivElement>(null);
  const words = find.trim().toLowerCase();
  const shown = useMemo(
    () => pages.filter(({ name, address }) => `${name} ${address}`.toLowerCase().includes(words)),
    [pages, words],
  );
  const rows = useVirtualizer({
    count: shown.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 8,
  });
  const seen = rows.getVirtualItems();
  const above = seen[0]?.start ?? 0;
  const below = rows.getTotalSize() - (seen.at(-1)?.end ?? 0);
  const column = (by: PageOrder, words: string, right = false) => (
    <th
      scope="col"
      {...(right ? { className: "right" } : {})}
      aria-sort={order === by ? (FALLING.includes(by) ? "descending" : "ascending") : "none"}
    >
      <button
        type="button"
        className="quiet-button"
        onClick={() => {
          onOrder(by);
        }}
      >
        {words}
        {order === by ? (FALLING.includes(by) ? " ↓" : " ↑") : ""}
      </button>
    </th>
  );
  return (
    <div className="margin-pages" ref={scroller}>
      <table className="done-table" aria-rowcount={shown.length + 1}>
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
          <Space height={above} />
          {seen.map(({ index }) => {
            const page = shown[index];
            return (
              page && <PageRow key={page.id} page={page} index={index} measure={rows.measureElement} query={query} />
            );
          })}
          <Space height={below} />
        </tbody>
      </table>
      {shown.length === 0 && <p className="soft">No page is called so.</p>}
    </div>
  );
}

/** The room of rows that are not drawn. */
function Space({ height }: { height: number }) {
  return (
    height > 0 && (
      <tr aria-hidden="true">
        <td colSpan={5} style={{ height, padding: 0 }} />
      </tr>
    )
  );
}

interface RowProps {
  page: PageMargin;
  index: number;
  measure: (row: HTMLTableRowElement | null) => void;
  query: string;
}

function PageRow({ page, index, measure, query }: RowProps) {
  const { today, possible, time } = page;
  return (
    <tr ref={measure} data-index={index} aria-rowindex={index + 2} data-page={page.id}>
      <td className="page-name">
        <Link to={`/margins/${page.id}?${query}`} title={page.address}>
          <bdi>{page.name}</bdi>
        </Link>
        {page.month && (
          <span className="figure soft month-line">
            {count(page.month.views, "view")} a month, {bytes(page.month.today)} → {bytes(page.month.possible)}
          </span>
        )}
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
