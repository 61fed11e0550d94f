import type { Publication, PublicationSums } from "../api/client";
import { count } from "../ui/figures";

export const STATES: Record<Publication["state"], string> = {
  preparing: "being prepared",
  failed: "not prepared",
  ready: "ready to publish",
  outdated: "out of date",
  publishing: "being published",
  interrupted: "stopped halfway",
  published: "published",
  "taking-back": "being taken back",
  "partly-back": "partly taken back",
  "taken-back": "taken back",
};

/** What a publication is called: as somebody called it, or what it is about. */
export function nameOf({ name, wish }: Pick<Publication, "name" | "wish">) {
  if (name) return name;
  const parts = [
    wish.pictures && count(wish.pictures.length, "picture"),
    wish.pages ? `on ${count(wish.pages.length, "page")}` : wish.pictures ? "wherever shown" : "All that is ready",
  ];
  return parts.filter(Boolean).join(" ");
}

/** `2 pages, 1 style sheet, 61 files added`. */
export function sumWords(sums: PublicationSums) {
  const parts = [
    sums.pages > 0 && count(sums.pages, "page"),
    sums.styles > 0 && count(sums.styles, "style sheet"),
    sums.added > 0 && `${count(sums.added, "file")} added`,
    sums.replaced > 0 && `${count(sums.replaced, "file")} replaced`,
  ];
  return parts.filter((part) => part !== false).join(", ") || "nothing changes";
}

/** Whether a publication that was worked out writes nothing. */
export const changesNothing = ({ pages, styles, added, replaced }: PublicationSums) =>
  pages + styles + added + replaced === 0;
