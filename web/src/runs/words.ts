import type { Run, RunItem, RunTakenBack } from "../api/client";
import { bytes, count, percent } from "../ui/figures";

export const STATES: Record<Run["state"], string> = {
  running: "running",
  paused: "paused",
  cancelled: "cancelled",
  done: "done",
};

/** Where a run stands, in a word. */
export const standOf = (run: Run) => (run.stopped ? "stopped" : run.held ? "waits" : STATES[run.state]);

export const ITEM_STATES: Record<RunItem["state"], string> = {
  waiting: "waits for its turn",
  done: "done",
  skipped: "skipped",
  failed: "failed",
  "taken-back": "taken back",
};

/** By which rules a run made its files. */
export function rulesOf({ forecast, rules }: Pick<Run, "forecast" | "rules">) {
  if (forecast.own_rule == null) return forecast.rule;
  const changed = rules > 0 && ` (now part of the own rule of ${count(rules, "picture")})`;
  return `${forecast.own_rule}, chosen for it${changed || ""}; else ${forecast.rule}`;
}

/** What a run was limited to, or nothing. */
export function limitWords({ limits }: Pick<Run, "limits">) {
  const parts = [
    limits.pictures != null && `at most ${count(limits.pictures, "picture")}`,
    limits.minutes != null && `at most ${count(limits.minutes, "minute")} of work`,
    limits.bytes != null && `at most ${bytes(limits.bytes)} of files`,
    limits.least_saving != null && `from ${bytes(limits.least_saving)} saved`,
  ];
  return parts.filter((part) => part !== false).join(", ");
}

/** `the forecast was 4.1 % too high`. */
export const errorWords = (error: number) =>
  `the forecast was ${percent(Math.abs(error) * 100)} too ${error >= 0 ? "high" : "low"}`;

/** What became of taking back: `Taken back: 3 sets, 18 files.` and what stays, and why. */
export function takenBackWords({ sets, files, kept, gone, rules, rules_kept }: RunTakenBack) {
  const parts = [
    `Taken back: ${count(sets, "set")}, ${count(files, "file")}`,
    kept > 0 &&
      `${count(kept, "file")} ${kept === 1 ? "stays" : "stay"}: another run or somebody counts on ${kept === 1 ? "it" : "them"}`,
    gone > 0 && `${count(gone, "file")} had been removed before`,
    rules > 0 && `${count(rules, "picture")} ${rules === 1 ? "has its" : "have their"} own rule back`,
    rules_kept > 0 &&
      `${count(rules_kept, "picture")} ${rules_kept === 1 ? "keeps" : "keep"} the own rule that somebody said since`,
  ];
  return `${parts.filter((part) => part !== false).join("; ")}.`;
}
