import type { Run } from "../api/client";
import { count, timeLeft } from "./figures";

/** What a run is called; one without a name by what it is about. */
export const nameOf = (run: Run) =>
  run.name || `${count(run.forecast.pictures, "picture")}, ${count(run.forecast.sets, "set")} of files`;

/** Every set of a run, and every picture that it skips. */
export const allOf = (run: Run) => run.waiting + run.done + run.skipped + run.failed + run.taken_back;

/** How far a run is: `12 of 52 sets, 8.4 a minute, about 3 min left`. */
export function progressOf(run: Run) {
  const all = allOf(run);
  return [
    `${(all - run.waiting).toLocaleString("en")} of ${count(all, "set")}`,
    run.sets_a_minute != null && `${run.sets_a_minute.toFixed(1)} a minute`,
    run.seconds_left != null && timeLeft(run.seconds_left),
  ]
    .filter((part) => part !== false)
    .join(", ");
}
