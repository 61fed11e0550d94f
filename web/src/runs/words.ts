import type { Run, RunItem, SkipReason } from "../api/client";
import { count } from "../ui/figures";

/** Why pictures are skipped, after how many they are. */
export const SKIPPED: Record<SkipReason, [one: string, many: string]> = {
  removed: ["was removed from the library", "were removed from the library"],
  broken: ["could not be read", "could not be read"],
  excluded: ["is excluded by a rule", "are excluded by a rule"],
  "not-used": ["is used in no slot", "are used in no slot"],
  "already-small": ["is already small", "are already small"],
  unchanged: ["has all its files already", "have all their files already"],
  cancelled: ["was cancelled", "were cancelled"],
};

export const skippedWords = (reason: SkipReason, pictures: number) =>
  `${count(pictures, "picture")} ${SKIPPED[reason][pictures === 1 ? 0 : 1]}`;

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
