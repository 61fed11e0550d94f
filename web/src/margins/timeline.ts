import type { SiteHistory } from "../api/client";
import { bytes, count } from "../ui/figures";

type Point = SiteHistory["points"][number];
type Mark = SiteHistory["marks"][number];

/** Something that happened, with what all pages weighed before it. */
export type Event = (Point & { before?: number }) | Mark;

/** All of it in the order of time. */
export function timeline({ points, marks }: SiteHistory): Event[] {
  const measured = points.map((point, n) => {
    const before = points[n - 1]?.total;
    return before === undefined ? point : { ...point, before };
  });
  return [...measured, ...marks].sort((a, b) => Date.parse(a.at) - Date.parse(b.at));
}

/** Where what was done stands. */
export const pathOf = ({ kind, id }: Mark) => (kind === "run" ? `/runs/${id}` : `/publish/${id}`);

/** `Measured: 7 pages, 32.3 MB`, `Published: All that is ready`. */
export function wordsOf(event: Event) {
  if ("kind" in event) return event.words;
  const { pages, total, pictures, before } = event;
  const change =
    before === undefined || before === total ? "" : `, ${total > before ? "+" : ""}${bytes(total - before)}`;
  return `Measured: ${count(pages, "page")}, ${bytes(total)}${change}, pictures ${bytes(pictures)}`;
}
