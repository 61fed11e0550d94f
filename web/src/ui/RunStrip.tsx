import { Button } from "antd";
import { Link, useLocation } from "react-router";
import type { Run } from "../api/client";
import { useActOnRun, useOpenRuns } from "../api/useOpenRuns";
import { Bytes } from "./Bytes";
import { count } from "./figures";
import { allOf, nameOf, progressOf } from "./runWords";

/** The run that goes on, in the tally of every screen but its own. */
export function RunStrip() {
  const runs = useOpenRuns().data ?? [];
  const { pathname } = useLocation();
  const run = runs.find(({ state }) => state === "running") ?? runs[0];
  if (!run || pathname.startsWith(`/runs/${run.id}`)) return null;
  return <OpenRun run={run} behind={runs.length - 1} />;
}

function OpenRun({ run, behind }: { run: Run; behind: number }) {
  const act = useActOnRun(run.id);
  const all = allOf(run);
  const pausing = run.state === "running";
  return (
    <section className="run-strip" aria-label="The run that goes on">
      <Link to={`/runs/${run.id}`} className="run-name" title={nameOf(run)}>
        <bdi>{nameOf(run)}</bdi>
      </Link>
      <progress max={all} value={all - run.waiting} aria-label="Sets of files that had their turn" />
      <span className="figure">{progressOf(run)}</span>
      {run.state === "paused" && <b>paused</b>}
      {run.held && <span>waits: {run.held}</span>}
      {run.stopped && <b>stopped: {run.stopped}</b>}
      {run.saving.saved > 0 && (
        <span>
          saves <Bytes of={run.saving.saved} /> so far
        </span>
      )}
      {run.failed > 0 && <b>{run.failed.toLocaleString("en")} failed</b>}
      {behind > 0 && <span className="soft">{count(behind, "other run")} behind it</span>}
      <span className="gap" />
      <Button
        size="small"
        loading={act.isPending}
        onClick={() => {
          act.mutate(pausing && !run.stopped ? "pause" : "resume");
        }}
      >
        {pausing && !run.stopped ? "Pause run" : "Resume run"}
      </Button>
      {act.error && <span role="alert">{act.error.message}</span>}
    </section>
  );
}
