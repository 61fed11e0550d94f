import type { Run, RunItem } from "../api/client";
import { count } from "../ui/figures";

export const STATES: Record<Run["state"], string> = {
  running: "running",
  paused: "paused",
  cancelled: "cancelled",
  done: "done",
};

export const ITEM_STATES: Record<RunItem["state"], string> = {
  waiting: "waits for its turn",
  done: "done",
  skipped: "skipped",
  failed: "failed",
  "taken-back": "taken back",
};

/** What a run is called; one without a name by what it is about. */
export const nameOf = (run: Run) =>
  run.name || `${count(run.forecast.pictures, "picture")}, ${count(run.forecast.sets, "set")} of files`;
