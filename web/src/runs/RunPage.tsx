import { Button } from "antd";
import { useRef } from "react";
import { Link, useParams } from "react-router";
import { previewUrl, type Run, type RunItem } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { count, percent, timeLeft } from "../ui/figures";
import { ProblemNote } from "../ui/ProblemNote";
import { useKey } from "../ui/useKey";
import { useTitle } from "../ui/useTitle";
import { WaitingRows } from "../ui/Waiting";
import "./runs.css";
import { useActOnRun, useRun, useRunItems, useTakeRunBack } from "./useRuns";
import { ITEM_STATES, nameOf, STATES } from "./words";

/** One run: how far it is, and what became of each picture. */
export function RunPage() {
  const { id = "" } = useParams();
  const run = useRun(id);
  const items = useRunItems(id);
  const back = useTakeRunBack(id);
  useTitle(run.data && nameOf(run.data), "Runs");
  const table = useRef<HTMLTableElement>(null);
  useKey((event) => {
    if (event.key !== "n") return;
    // The next result to look at, those with the lowest scores first.
    const links = [...(table.current?.querySelectorAll<HTMLElement>("[data-result]") ?? [])];
    const at = links.findIndex((link) => link === document.activeElement);
    links[(at + 1) % Math.max(links.length, 1)]?.focus();
  });
  return (
    <>
      <div className="work">
        <main>
          {run.data && <RunBar run={run.data} onTakeBack={back.mutate} taking={back.isPending} />}
          {run.data?.stopped && (
            <div className="notice" role="alert">
              <b>It stopped:</b>
              <span>{run.data.stopped} Resume has it tried again.</span>
            </div>
          )}
          {run.error && <ProblemNote error={run.error} again={() => void run.refetch()} />}
          {items.error && <ProblemNote error={items.error} again={() => void items.refetch()} />}
          {back.error && <ProblemNote error={back.error} />}
          {items.isPending && <WaitingRows rows={10} />}
          {items.data && (
            <div className="run-items">
              <table className="run-table" ref={table}>
                <thead>
                  <tr>
                    <th scope="col" colSpan={2}>
                      Picture
                    </th>
                    <th scope="col">Slot</th>
                    <th scope="col" className="right">
                      Lowest score
                    </th>
                    <th scope="col" className="right">
                      Files
                    </th>
                    <th scope="col" className="right">
                      Today → after
                    </th>
                    <th scope="col">Result</th>
                    <th scope="col">
                      <span className="unseen">Take back</span>
                    </th>
                  </tr>
                </thead>
                <tbody>
                  {items.data.map((item) => (
                    <ItemRow key={item.place} item={item} onTakeBack={back.mutate} taking={back.isPending} />
                  ))}
                </tbody>
              </table>
              {run.data && items.data.length < allOf(run.data) && (
                <p className="soft">
                  {items.data.length.toLocaleString("en")} of {allOf(run.data).toLocaleString("en")} are listed: those
                  that failed, and those with the lowest scores.
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

/** Every set of a run, and every picture that it skips. */
const allOf = (run: Run) => run.waiting + run.done + run.skipped + run.failed + run.taken_back;

interface BarProps {
  run: Run;
  taking: boolean;
  onTakeBack: (places: number[] | null) => void;
}

function RunBar({ run, taking, onTakeBack }: BarProps) {
  const act = useActOnRun(run.id);
  const all = allOf(run);
  const isOpen = run.state === "running" || run.state === "paused";
  return (
    <>
      <div className="bar">
        <h1 className="run-name" title={nameOf(run)}>
          <bdi>{nameOf(run)}</bdi>
        </h1>
        <span role="status" data-testid="run-state">
          {run.stopped ? "stopped" : STATES[run.state]}
        </span>
        {isOpen && <progress max={all} value={all - run.waiting} aria-label="Sets of files that had their turn" />}
        <span className="soft">
          {(all - run.waiting).toLocaleString("en")} of {count(all, "set")}
          {run.seconds_left != null && `, ${timeLeft(run.seconds_left)}`}
        </span>
        <span className="gap" />
        {run.state === "running" && !run.stopped && (
          <Button
            loading={act.isPending}
            onClick={() => {
              act.mutate("pause");
            }}
          >
            Pause
          </Button>
        )}
        {(run.state === "paused" || run.stopped) && (
          <Button
            type="primary"
            loading={act.isPending}
            onClick={() => {
              act.mutate("resume");
            }}
          >
            Resume
          </Button>
        )}
        {isOpen && (
          <Button
            title="What was made stays, and can be taken back"
            loading={act.isPending}
            onClick={() => {
              act.mutate("cancel");
            }}
          >
            Cancel
          </Button>
        )}
        <Button
          disabled={run.done === 0}
          title={
            run.done === 0 ? "It made nothing that could be taken back" : "The files that it made go; nothing else"
          }
          loading={taking}
          onClick={() => {
            onTakeBack(null);
          }}
        >
          Take back all
        </Button>
      </div>
      {act.error && <ProblemNote error={act.error} />}
    </>
  );
}

interface RowProps {
  item: RunItem;
  taking: boolean;
  onTakeBack: (places: number[] | null) => void;
}

function ItemRow({ item, taking, onTakeBack }: RowProps) {
  const { picture, name, slot, before, after, score } = item;
  const saved = before != null && after != null && before > 0 ? 100 * (1 - after / before) : undefined;
  return (
    <tr data-state={item.state}>
      <td className="run-thumbnail">
        <img src={previewUrl(picture, "thumbnail", undefined)} alt="" loading="lazy" />
      </td>
      <td>
        <Link
          to={slot && item.state === "done" ? `/bench/${picture}?step=encode&for=${slot}` : `/library/${picture}`}
          data-result={item.state === "done" ? "" : undefined}
          title={item.state === "done" ? "Look at it on the bench" : undefined}
        >
          <bdi>{name}</bdi>
        </Link>
      </td>
      <td>
        <bdi>{item.slot_name}</bdi>
      </td>
      <td className="right figure">{score != null ? score.toFixed(1) : ""}</td>
      <td className="right figure">{item.files > 0 ? item.files : ""}</td>
      <td className="right">
        {before != null && after != null && (
          <>
            <Bytes of={before} /> → <Bytes of={after} />{" "}
            {saved !== undefined && <span className="figure soft">({percent(saved)})</span>}
          </>
        )}
      </td>
      <td>
        {ITEM_STATES[item.state]}
        {item.reason && <span className="soft">: {item.reason}</span>}
      </td>
      <td>
        {item.state === "done" && (
          <Button
            size="small"
            aria-label={`Take back ${name}`}
            loading={taking}
            onClick={() => {
              onTakeBack([item.place]);
            }}
          >
            Take back
          </Button>
        )}
      </td>
    </tr>
  );
}

function RunTally({ run }: { run: Run }) {
  return (
    <>
      <span className="part">
        <b>{count(run.done, "set")}</b> made, {count(run.files, "file")}
      </span>
      {run.done > 0 && (
        <span className="part">
          today <Bytes of={run.before} /> → <Bytes of={run.after} />
          {run.before > run.after && (
            <b>
              saves <Bytes of={run.before - run.after} />
            </b>
          )}
        </span>
      )}
      {run.skipped > 0 && <span className="part">{run.skipped.toLocaleString("en")} skipped</span>}
      {run.failed > 0 && <span className="part">{run.failed.toLocaleString("en")} failed</span>}
    </>
  );
}
