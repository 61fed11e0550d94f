import { expect, test } from "vitest";
import type { SiteHistory } from "../api/client";
import { pathOf, timeline, wordsOf } from "./timeline";

const history = {
  points: [
    { at: "2026-11-01T04:00:00Z", pages: 7, total: 32_300_000, pictures: 32_100_000 },
    { at: "2026-11-03T04:00:00Z", pages: 7, total: 1_150_000, pictures: 900_000 },
    { at: "2026-11-20T04:00:00Z", pages: 8, total: 1_950_000, pictures: 1_700_000 },
  ],
  marks: [{ at: "2026-11-02T12:00:00Z", kind: "published", id: "p1", words: "Published: All that is ready" }],
} as unknown as SiteHistory;

test("what was done stands between the weights before and after it", () => {
  const events = timeline(history);
  expect(events.map(wordsOf)).toEqual([
    "Measured: 7 pages, 32.3 MB, pictures 32.1 MB",
    "Published: All that is ready",
    "Measured: 7 pages, 1.15 MB, −31.1 MB, pictures 900 KB",
    "Measured: 8 pages, 1.95 MB, +800 KB, pictures 1.70 MB",
  ]);
  expect(history.marks.map(pathOf)).toEqual(["/publish/p1"]);
});
