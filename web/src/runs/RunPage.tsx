import { Segmented } from "antd";
import { useRef } from "react";
import { Link, useParams } from "react-router";
import { siteApi, type Run, type RunItem } from "../api/client";
import { useActOnRun } from "../api/useOpenRuns";
import { notices } from "../ui/notice";
import { ProblemNote } from "../ui/ProblemNote";
import { allOf, nameOf } from "../ui/runWords";
import { useAddress } from "../ui/useAddress";
import { useKey } from "../ui/useKey";
import { useTitle } from "../ui/useTitle";
import { WaitingRows } from "../ui/Waiting";
import { moment } from "../ui/figures";
import { ItemRow } from "./ItemRow";
import { RunBar } from "./RunBar";
import { RunTally } from "./RunTally";
import "./runs.css";
import { useMakeAgain, useRun, useRunItems, useTakeRunBack, type ResultOrder } from "./useRuns";
import { CompareWith } from "./CompareWith";
import { errorWords, limitWords, rulesOf, takenBackWords } from "./words";
import { DoneTable } from "../ui/DoneTable";

type Shown = RunItem["state"] | "all";

/** One run: how far it is, and what became of each picture. */
export function RunPage() {
  const { id = "" } = useParams();
  const [address, change] = useAddress();
  const shown = (address.get("state") ?? "all") as Shown;
  const run = useRun(id);
  const order: ResultOrder = address.get("order") === "saving" ? "saving" : "score";
  const items = useRunItems(id, shown === "all" ? undefined : shown, order);
  const back = useTakeRunBack(id);
  const again = useMakeAgain(id);
  const act = useActOnRun(id);
  useTitle(run.data && nameOf(run.data), "Runs");
  const table = useRef<HTMLTableElement>(null);
  useKey((event) => {
    if (event.key !== "n") return;
    // The next result to look at, those with the lowest scores first.
    const links = [...(table.current?.querySelectorAll<HTMLElement>("[data-result]") ?? [])];
    const at = links.findIndex((link) => link === document.activeElement);
    links[(at + 1) % Math.max(links.length, 1)]?.focus();
  });
  const takeBack = (places: number[] | null) => {
    back.mutate(places, {
      onSuccess: (taken) => {
        notices.show({
          words: takenBackWords(taken),
          undo: async () => {
            await again.mutateAsync(taken.places);
          },
        });
      },
    });
  };
  const busy = back.isPending || again.isPending;
  const error = items.error ?? back.error ?? again.error ?? act.error;
  const all = run.data && (shown === "all" ? allOf(run.data) : countIn(run.data, shown));
  return (
    <>
      <div className="work">
        <main>
          {run.data && (
            <>
              <RunBar run={run.data} act={act} taking={back.isPending} onTakeBack={takeBack} />
              <RunNotes run={run.data} />
            </>
          )}
          {run.error && <ProblemNote error={run.error} again={() => void run.refetch()} />}
          {error && <ProblemNote error={error} again={() => void items.refetch()} />}
          {run.data && (
            <div className="bar done-views">
              <Segmented<Shown>
                aria-label="Which results"
                value={shown}
                options={views(run.data)}
                onChange={(state) => {
                  change({ state: state === "all" ? undefined : state });
                }}
              />
              <Segmented<ResultOrder>
                aria-label="Which come first"
                value={order}
                options={[
                  { value: "score", label: "Lowest scores first" },
                  { value: "saving", label: "Largest savings first" },
                ]}
                onChange={(order) => {
                  change({ order: order === "score" ? undefined : order });
                }}
              />
              <span className="gap" />
              <CompareWith run={run.data} />
              <a href={`${siteApi}/runs/${id}/results.csv`} download>
                CSV
              </a>
              <a href={`${siteApi}/runs/${id}/results.json`} download={`run-${id}.json`}>
                JSON
              </a>
            </div>
          )}
          {items.isPending && <WaitingRows rows={10} />}
          {items.data && (
            <div className="done-rows">
              <DoneTable
                ref={table}
                columns={[
                  { unseen: "Thumbnail" },
                  "Picture",
                  "Slot",
                  { figures: "Lowest score" },
                  { figures: "Files" },
                  { figures: "Today → after" },
                  "Result",
                  { unseen: "Take back or make again" },
                ]}
              >
                {items.data.map((item) => (
                  <ItemRow
                    key={item.place}
                    item={item}
                    busy={busy}
                    onTakeBack={() => {
                      takeBack([item.place]);
                    }}
                    onAgain={() => {
                      again.mutate([item.place]);
                    }}
                  />
                ))}
              </DoneTable>
              {all !== undefined && items.data.length < all && (
                <p className="soft">
                  {items.data.length.toLocaleString("en")} of {all.toLocaleString("en")} are listed: those that failed,
                  and those {order === "score" ? "with the lowest scores" : "that save most"}. The tables hold all.
                </p>
              )}
            </div>
          )}
        </main>
      </div>
      <footer className="tally" aria-label="Tally">
        {run.data && <RunTally run={run.data} />}
      </footer>
    </>
  );
}

const countIn = (run: Run, state: RunItem["state"]) =>
  ({ waiting: run.waiting, done: run.done, skipped: run.skipped, failed: run.failed, "taken-back": run.taken_back })[
    state
  ];

/** All, and each state that some are in. */
function views(run: Run) {
  const states = [
    ["failed", "Failed"],
    ["done", "Done"],
    ["skipped", "Skipped"],
    ["taken-back", "Taken back"],
    ["waiting", "Waiting"],
  ] as const;
  const some = states.filter(([state]) => countIn(run, state) > 0);
  return [
    { value: "all" as const, label: `All ${allOf(run).toLocaleString("en")}` },
    ...some.map(([value, label]) => ({ value, label: `${label} ${countIn(run, value).toLocaleString("en")}` })),
  ];
}

/** What is to be known of a run before its results. */
function RunNotes({ run }: { run: Run }) {
  const limits = limitWords(run);
  const error = run.state === "done" && run.done > 0 ? run.forecast_error : undefined;
  return (
    <>
      {run.stopped && (
        <div className="notice" role="alert">
          <b>It stopped:</b>
          <span>{run.stopped} Resume has it tried again.</span>
        </div>
      )}
      {run.held && (
        <div className="notice" role="status">
          <b>It waits:</b>
          <span>{run.held}</span>
        </div>
      )}
      <p className="done-facts soft">
        Started {run.started_words}, {moment(run.created_at)}
        {run.ended_at && `; ended ${moment(run.ended_at)}`}
        {`; ${rulesOf(run)}`}
        {limits && `; ${limits}`}
        {error != null && `; ${errorWords(error)}`}
        {run.unchecked > 0 && (
          <>
            {". "}
            <Link to={`/runs/${run.id}/check`}>
              {run.unchecked === 1
                ? "Check 1 result at its worst spot"
                : `Check ${run.unchecked.toLocaleString("en")} results at their worst spots`}
            </Link>
          </>
        )}
      </p>
    </>
  );
}
