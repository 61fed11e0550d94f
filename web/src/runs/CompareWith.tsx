import { Select } from "antd";
import { useNavigate } from "react-router";
import type { Run } from "../api/client";
import { moment } from "../ui/figures";
import { nameOf } from "../ui/runWords";
import { useRuns } from "./useRuns";

/** Chooses another run to be compared with this one. */
export function CompareWith({ run }: { run: Run }) {
  const runs = useRuns();
  const navigate = useNavigate();
  const others = (runs.data ?? []).filter(({ id, done }) => id !== run.id && done > 0);
  const lacking =
    run.done === 0 ? "This run made nothing" : others.length === 0 ? "No other run made files" : undefined;
  return (
    <Select
      className="run-compare"
      aria-label="Compare with another run"
      placeholder="Compare with…"
      {...(lacking && { title: lacking })}
      disabled={lacking !== undefined}
      value={null}
      options={others.map((other) => ({ value: other.id, label: `${nameOf(other)}, ${moment(other.created_at)}` }))}
      onChange={(other: string) => void navigate(`/runs/${run.id}/against/${other}`)}
    />
  );
}
