import { useState } from "react";

export interface Selection {
  ids: ReadonlySet<string>;
  toggle: (id: string) => void;
  /** Everything from the row that was touched last up to this one. */
  extend: (id: string) => void;
  only: (id: string) => void;
  clear: () => void;
}

/** Which rows are selected; `order` is how they stand in the list. */
export function useSelection(order: string[]): Selection {
  const [ids, setIds] = useState<ReadonlySet<string>>(new Set());
  const [anchor, setAnchor] = useState<string>();
  return {
    ids,
    toggle: (id) => {
      setAnchor(id);
      setIds((now) => {
        const next = new Set(now);
        if (!next.delete(id)) next.add(id);
        return next;
      });
    },
    extend: (id) => {
      const from = anchor === undefined ? -1 : order.indexOf(anchor);
      const to = order.indexOf(id);
      const span = from < 0 ? [id] : order.slice(Math.min(from, to), Math.max(from, to) + 1);
      setIds((now) => new Set([...now, ...span]));
    },
    only: (id) => {
      setAnchor(id);
      setIds(new Set([id]));
    },
    clear: () => { setIds(new Set()); },
  };
}
