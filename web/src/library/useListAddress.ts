import { useMemo } from "react";
import type { FilterBody, IssueKind, SortBy } from "../api/client";
import { useAddress } from "../ui/useAddress";
import type { Order } from "../api/usePictures";

export const VIEWS = ["rows", "pictures", "write"] as const;
export type View = (typeof VIEWS)[number];

/** What of the library stands in its address: filter, search, order, view and the current picture. */
export interface ListAddress {
  /** What narrows the list, without the search. */
  own: FilterBody;
  /** All that narrows it. */
  filter: FilterBody;
  search: string;
  order: Order;
  view: View;
  /** The side of a picture on the contact sheet, in CSS px. */
  side: number;
  /** The picture that is the current one. */
  at: string | undefined;
  onFilter: (filter: FilterBody) => void;
  onOrder: (order: Order) => void;
  onView: (view: View) => void;
  onSide: (side: number) => void;
  onAt: (id: string | undefined) => void;
}

export function useListAddress(): ListAddress {
  const [address, change] = useAddress();
  const key = address.toString();
  const read = useMemo(() => readList(new URLSearchParams(key)), [key]);
  return {
    ...read,
    onFilter: (filter) => {
      change({ ...writtenFilter(filter), at: undefined }, "back");
    },
    onOrder: ({ sort, descending }) => {
      change({ sort, down: descending });
    },
    onView: (view) => {
      change({ view: view === "rows" ? undefined : view }, "back");
    },
    onSide: (side) => {
      change({ side });
    },
    onAt: (at) => {
      change({ at });
    },
  };
}

/** The list that an address tells of. */
export function readList(address: URLSearchParams) {
  const text = (name: string) => address.get(name) ?? undefined;
  const search = address.get("q") ?? "";
  const issues = address.getAll("issue") as IssueKind[];
  const own: FilterBody = {
    ...(issues.length > 0 && { issues }),
    ...(text("format") && { format: text("format") as NonNullable<FilterBody["format"]> }),
    ...(text("folder") && { folder: text("folder") }),
    ...(text("collection") && { collection: text("collection") }),
    ...(address.has("removed") && { removed: true }),
  } as FilterBody;
  const sort = (text("sort") ?? (own.collection ? "collection" : "arrival")) as SortBy;
  const order: Order = { sort, descending: address.has("sort") ? address.has("down") : sort === "arrival" };
  const view = VIEWS.find((one) => one === address.get("view")) ?? "rows";
  const side = Number(address.get("side") ?? 160);
  return { own, filter: { ...own, ...(search && { search }) }, search, order, view, side, at: text("at") };
}

/** A filter as it stands in the address of the library; its search is a value of its own there. */
export function writtenFilter({ issues, format, folder, collection, removed, search }: FilterBody) {
  return { issue: issues ?? [], format, folder, collection, removed: removed ?? false, ...(search && { q: search }) };
}
