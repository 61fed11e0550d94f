import { useEffect, useState, type KeyboardEvent, type MouseEvent } from "react";
import type { FilterBody, Which } from "../api/client";
import { leaveSelected, selectedOf } from "./listMemory";

/** Selects by a click: this one, this one too with Ctrl, all up to it with Shift. */
export function selectByClick(selection: Selection, event: MouseEvent, id: string) {
  if (event.shiftKey) selection.extend(id);
  else if (event.ctrlKey || event.metaKey) selection.toggle(id);
  else selection.only(id);
}

/** Selects or opens by a key, the picture `id` being the current one; false for any other key. */
export function selectByKey(
  selection: Selection,
  event: KeyboardEvent,
  id: string | undefined,
  onOpen: (id: string) => void,
): boolean {
  if (event.key === " " && id) (event.shiftKey ? selection.extend : selection.toggle)(id);
  else if (event.key === "Enter" && id && event.target === event.currentTarget) onOpen(id);
  else if (event.key === "a" && (event.ctrlKey || event.metaKey)) selection.all();
  else if (event.key === "Escape") selection.clear();
  else return false;
  return true;
}

export interface Selection {
  ids: ReadonlySet<string>;
  /** Whether the rows in view are those of the list that is asked for; until then none of them is selected. */
  isReady: boolean;
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

/**
 * Which rows are selected; `order` is how they stand in the list that `filter` made, or, where it is not there yet
 * (`isReady`), in the one before it, whose rows are not to be taken for its own.
 */
export function useSelection(order: string[], filter: FilterBody, isReady = true): Selection {
  const name = JSON.stringify(filter);
  const [{ ids, everything }, setSelected] = useState(() => selectedOf(name));
  const [of, setOf] = useState(name);
  if (of !== name) {
    // Another list: what was selected is not in view any more.
    setOf(name);
    setSelected(selectedOf(name));
  }
  useEffect(() => {
    leaveSelected(name, { ids, everything });
  }, [name, ids, everything]);
  const [anchor, setAnchor] = useState<string>();
  const start = everything ? new Set(order) : ids;
  const set = (next: ReadonlySet<string>) => {
    if (isReady || next.size === 0) setSelected({ ids: next, everything: false });
  };
  const chosen = order.filter((id) => ids.has(id));
  const others = [...ids].filter((id) => !order.includes(id));
  return {
    ids,
    isReady,
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
    all: () => {
      setSelected({ ids, everything: true });
    },
    clear: () => {
      set(new Set());
    },
    which: everything ? { filter } : ids.size > 0 ? { ids: [...chosen, ...others] } : undefined,
  };
}
