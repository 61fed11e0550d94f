import { Button } from "antd";
import { Link } from "react-router";
import type { Run } from "../api/client";
import type { useActOnRun } from "../api/useOpenRuns";
import { allOf, nameOf, progressOf } from "../ui/runWords";
import { usePublishKey } from "../ui/usePublishKey";
import { standOf } from "./words";

interface Props {
  run: Run;
  act: ReturnType<typeof useActOnRun>;
  taking: boolean;
  onTakeBack: (places: number[] | null) => void;
}

/** How far a run is, and what can be done with it. */
export function RunBar({ run, act, taking, onTakeBack }: Props) {
  const all = allOf(run);
  const publishes = `/publish?run=${run.id}&name=${encodeURIComponent(nameOf(run))}`;
  usePublishKey(publishes);
  const isOpen = run.state === "running" || run.state === "paused";
  return (
    <div className="bar">
      <h1 className="run-name" title={nameOf(run)}>
        <bdi>{nameOf(run)}</bdi>
      </h1>
      <span role="status" data-testid="run-state">
        {standOf(run)}
      </span>
      {isOpen && <progress max={all} value={all - run.waiting} aria-label="Sets of files that had their turn" />}
      <span className="soft">{progressOf(run)}</span>
      <span className="gap" />
      {!isOpen && run.done + run.skipped > 0 && <Link to={publishes}>Publish…</Link>}
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
        disabled={run.done === 0 && run.rules === 0}
        title={
          run.done === 0 && run.rules === 0
            ? "It made nothing that could be taken back"
            : "The files that it made go, but for those that another run or somebody counts on"
        }
        loading={taking}
        onClick={() => {
          onTakeBack(null);
        }}
      >
        Take back all
      </Button>
    </div>
  );
}
