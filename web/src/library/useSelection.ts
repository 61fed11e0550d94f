import { useState } from "react";
import type { FilterBody, Which } from "../api/client";

export interface Selection {
  ids: ReadonlySet<string>;
  /** Whether all that meet the filter are selected, those that were not scrolled to as well. */
  everything: boolean;
  /** How many are selected, as far as that is known here. */
  has: (id: string) => boolean;
  toggle: (id: string) => void;
  /** Everything from the row that was touched last up to this one. */
  extend: (id: string) => void;
  only: (id: string) => void;
  all: () => void;
  clear: () => void;
  /** The selection as the server takes it; nothing where nothing is selected. */
  which: Which | undefined;
}

/** Which rows are selected; `order` is how they stand in the list that `filter` made. */
export function useSelection(order: string[], filter: FilterBody): Selection {
  const [ids, setIds] = useState<ReadonlySet<string>>(new Set());
  const [everything, setEverything] = useState(false);
  const [anchor, setAnchor] = useState<string>();
  const start = everything ? new Set(order) : ids;
  const set = (next: ReadonlySet<string>) => {
    setEverything(false);
    setIds(next);
  };
  const chosen = order.filter((id) => ids.has(id));
  const others = [...ids].filter((id) => !order.includes(id));
  return {
    ids,
    everything,
    has: (id) => everything || ids.has(id),
    toggle: (id) => {
      setAnchor(id);
      const next = new Set(start);
      if (!next.delete(id)) next.add(id);
      set(next);
    },
    extend: (id) => {
      const from = anchor === undefined ? -1 : order.indexOf(anchor);
      const to = order.indexOf(id);
      const span = from < 0 ? [id] : order.slice(Math.min(from, to), Math.max(from, to) + 1);
      set(new Set([...start, ...span]));
    },
    only: (id) => {
      setAnchor(id);
      set(new Set([id]));
    },
    all: () => { setEverything(true); },
    clear: () => { set(new Set()); },
    which: everything ? { filter } : ids.size > 0 ? { ids: [...chosen, ...others] } : undefined,
  };
}
