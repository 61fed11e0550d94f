import { Button, Input, Segmented } from "antd";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { type Margins, type PageOrder } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { count, percent } from "../ui/figures";
import { ProblemNote } from "../ui/ProblemNote";
import { Tally } from "../ui/Tally";
import { useAddress } from "../ui/useAddress";
import { useKey } from "../ui/useKey";
import { useTitle } from "../ui/useTitle";
import { WaitingRows } from "../ui/Waiting";
import "../ui/tables.css";
import { benchOf, Gains } from "./Gains";
import { Heavier } from "./Heavier";
import "./margins.css";
import { PageTable } from "./PageTable";
import { Reports } from "./Reports";
import { FormatShares, SlotShares } from "./ShareTable";
import { SiteBudgets } from "./SiteBudgets";
import { useMargins } from "./useMargins";
import { useView, ViewChoice } from "./ViewChoice";
import { hoursWords } from "./words";

const ORDERS: PageOrder[] = ["time", "bytes", "saving", "month", "name"];

const PARTS: { value: "pages" | "slots" | "formats"; label: string }[] = [
  { value: "pages", label: "Pages" },
  { value: "slots", label: "Slots" },
  { value: "formats", label: "Formats" },
];

/** Margins, the home: what each page leaves under its budgets, and where most can be gained. */
export function MarginsPage() {
  useTitle("Margins");
  const [address, change] = useAddress();
  const view = useView();
  const order = ORDERS.find((one) => one === address.get("order")) ?? "time";
  const margins = useMargins(view, order);
  const by = PARTS.find(({ value }) => value === address.get("by"))?.value ?? "pages";
  const [isBudgeting, setBudgeting] = useState(false);
  const navigate = useNavigate();
  const next = margins.data?.gains[0];
  useKey((event) => {
    if (event.key === "n" && next) void navigate(benchOf(next));
  });
  const query = new URLSearchParams(address);
  query.delete("order");
  query.delete("find");
  query.delete("by");
  return (
    <>
      <div className="work">
        <main>
          <div className="bar">
            <h1>Margins</h1>
            {margins.data && <ViewChoice view={margins.data.view} />}
            {margins.data && margins.data.pages.length > 0 && (
              <Segmented
                aria-label="Margins by"
                options={PARTS}
                value={by}
                onChange={(next) => {
                  change({ by: next === "pages" ? undefined : next });
                }}
              />
            )}
            {margins.data && margins.data.pages.length > 0 && by === "pages" && (
              <Input
                aria-label="Search pages"
                placeholder="Search pages"
                allowClear
                value={address.get("find") ?? ""}
                className="page-search"
                onChange={({ target }) => {
                  change({ find: target.value });
                }}
              />
            )}
            <span className="gap" />
            {margins.data && (
              <Button
                onClick={() => {
                  setBudgeting(true);
                }}
              >
                Budgets…
              </Button>
            )}
            {margins.data && margins.data.pages.length > 0 && (
              <>
                <Link to={`/margins/history?${query}`}>History</Link>
                <Reports query={query.toString()} />
              </>
            )}
          </div>
          {margins.error && <ProblemNote error={margins.error} again={() => void margins.refetch()} />}
          {margins.isPending && <WaitingRows />}
          {margins.data?.pages.length === 0 && <Nothing unknown={margins.data.unknown} />}
          {margins.data && margins.data.pages.length > 0 && (
            <>
              <Sum
                margins={margins.data}
                onMonth={() => {
                  change({ order: "month" });
                }}
              />
              <div className="margins">
                {by === "slots" && <SlotShares shares={margins.data.by_slot} />}
                {by === "formats" && <FormatShares shares={margins.data.by_format} />}
                {by === "pages" && (
                  <PageTable
                    pages={margins.data.pages}
                    order={order}
                    query={address.toString()}
                    find={address.get("find") ?? ""}
                    onOrder={(by) => {
                      change({ order: by });
                    }}
                  />
                )}
                <aside className="gains" aria-label="Where to go on">
                  <Heavier pages={margins.data.heavier} query={query.toString()} />
                  <Gains gains={margins.data.gains} />
                </aside>
              </div>
            </>
          )}
        </main>
      </div>
      {margins.data && (
        <SiteBudgets
          budgets={margins.data.budgets}
          usualTime={margins.data.usual_time}
          open={isBudgeting}
          onClose={() => {
            setBudgeting(false);
          }}
        />
      )}
      <Tally of={{ filter: {} }} where="in the library">
        {next && <Link to={benchOf(next)}>Largest gain (N)</Link>}
      </Tally>
    </>
  );
}

function Nothing({ unknown }: { unknown: number }) {
  return (
    <div className="empty">
      <h2>{unknown > 0 ? "What pages weigh is not known yet" : "No page measured yet"}</h2>
      <span className="soft">
        {unknown > 0
          ? `${count(unknown, "page was", "pages were")} measured before weights were kept: `
          : "Give the address of the site or a page: "}
        <Link to="/layouts">{unknown > 0 ? "measure the site again" : "measure it in Layouts"}</Link>. Then each page
        stands here with the bytes and milliseconds that it has left. Or <Link to="/margins/har">weigh a HAR file</Link>{" "}
        of any page.
      </span>
    </div>
  );
}

/** All pages together. */
function Sum({ margins, onMonth }: { margins: Margins; onMonth: () => void }) {
  const { pages, saving, over, unknown, month } = margins;
  const late = over.time > 0 ? `${over.time} over the time budget` : "none over the time budget";
  const heavy = over.bytes > 0 ? `${over.bytes} over the byte budget` : "none over the byte budget";
  return (
    <p className="done-facts" data-testid="margins-sum">
      <b>{count(pages.length, "page")}</b>: today <Bytes of={saving.before} /> → about <Bytes of={saving.after} />,
      could save <Bytes of={saving.saved} /> <span className="figure">({percent(saving.percent)})</span>; {late},{" "}
      {heavy}
      {month && (
        <>
          ;{" "}
          <button type="button" className="quiet-button" title="The largest part of a month first" onClick={onMonth}>
            a month
          </button>{" "}
          <Bytes of={month.today} /> → about <Bytes of={month.possible} />, {hoursWords(month.hours)}
        </>
      )}
      {unknown > 0 && (
        <>
          ; {count(unknown, "page")} to be <Link to="/layouts">measured again</Link>
        </>
      )}
    </p>
  );
}
