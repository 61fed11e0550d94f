import type { HeavierPage, RequestKind, TimeMargin } from "../api/client";
import { bytes, millis } from "../ui/figures";

/** `margin 910 ms`, `overrun 3.2 s`. */
export const timeWords = ({ margin }: TimeMargin) =>
  margin < 0 ? `overrun ${millis(-margin)}` : `margin ${millis(margin)}`;

export const KINDS: Record<RequestKind, string> = {
  document: "page",
  style: "style sheet",
  script: "script",
  font: "font",
  picture: "picture",
  other: "other",
};

/** What a file is called at the end of its address. */
export function fileOf(address: string) {
  const path = address.split(/[?#]/)[0] ?? "";
  const name = path.split("/").findLast((part) => part !== "");
  try {
    return decodeURIComponent(name ?? address);
  } catch {
    return name ?? address;
  }
}

/** `dome.jpg 80.0 KB → 900 KB`, `band.jpg new, 40.0 KB`. */
export const growthWords = ({ address, before, after }: HeavierPage["grown"][number]) =>
  `${fileOf(address)} ${before > 0 ? `${bytes(before)} → ` : "new, "}${bytes(after)}`;

/** `people wait about 34 h less`. */
export const hoursWords = (hours: number) =>
  hours < 1
    ? `people wait about ${Math.max(0, Math.round(hours * 60)).toLocaleString("en")} min less`
    : `people wait about ${Math.round(hours).toLocaleString("en")} h less`;
