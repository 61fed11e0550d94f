import { expect, test } from "vitest";
import type { Run } from "../api/client";
import { errorWords, limitWords, rulesOf, standOf, takenBackWords } from "./words";

test("limits, errors and what stays are told in sentences", () => {
  const limits = { pictures: 1, minutes: 30, bytes: 2_000_000, least_saving: null };
  expect(limitWords({ limits })).toBe("at most 1 picture, at most 30 minutes of work, at most 2.00 MB of files");
  expect(limitWords({ limits: {} })).toBe("");
  expect(errorWords(-0.041)).toBe("the forecast was 4.1 % too low");
  const taken = { sets: 2, places: [1, 2], files: 12, kept: 1, gone: 0, rules: 0, rules_kept: 0 };
  expect(takenBackWords({ ...taken, kept: 0 })).toBe("Taken back: 2 sets, 12 files.");
  expect(takenBackWords(taken)).toContain("1 file stays: another run or somebody counts on it");
  const rules = takenBackWords({ ...taken, rules: 2, rules_kept: 1 });
  expect(rules).toContain("2 pictures have their own rule back");
  expect(rules).toContain("1 picture keeps the own rule that somebody said since");
});

test("a rule that was chosen for a run comes before those that hold otherwise", () => {
  const forecast = { rule: "WebP, JPEG; good" } as Run["forecast"];
  expect(rulesOf({ forecast, rules: 0 })).toBe("WebP, JPEG; good");
  const own = { ...forecast, own_rule: "lean" };
  expect(rulesOf({ forecast: own, rules: 3 })).toBe(
    "lean, chosen for it (now part of the own rule of 3 pictures); else WebP, JPEG; good",
  );
});

test("a run that waits or stopped says so before it says that it runs", () => {
  const run = { state: "running" } as Run;
  expect(standOf(run)).toBe("running");
  expect(standOf({ ...run, held: "the disk is full" })).toBe("waits");
  expect(standOf({ ...run, held: "x", stopped: "the bucket refused it" })).toBe("stopped");
});
