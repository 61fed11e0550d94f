/** What was done last, and how to take it back. */
import { useSyncExternalStore } from "react";

export interface Notice {
  words: string;
  /** The change that can be taken back, by its number. */
  change?: string;
  /** What takes it back, where it is no change by number. */
  undo?: () => Promise<void>;
}

let current: Notice | undefined;
const listeners = new Set<() => void>();

export const notices = {
  show(notice: Notice | undefined) {
    current = notice;
    for (const listener of listeners) listener();
  },
  current: () => current,
  subscribe: (listener: () => void) => {
    listeners.add(listener);
    return () => {
      listeners.delete(listener);
    };
  },
};

export const useNotice = () => useSyncExternalStore(notices.subscribe, notices.current);
