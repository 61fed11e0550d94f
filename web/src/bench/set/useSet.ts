import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, unwrap, type ResponsiveSet, type Adjustments } from "../../api/client";

const setKey = (id: string, slot: string | undefined, adjustments: Adjustments) => ["set", id, slot, adjustments];

/** All files of the picture for a slot; files that are made meanwhile come in by themselves. */
export function useSet(id: string, slot: string | undefined, adjustments: Adjustments) {
  return useQuery({
    queryKey: setKey(id, slot, adjustments),
    enabled: slot !== undefined,
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: async ({ signal }) => {
      if (!slot) throw new Error("no slot yet");
      return unwrap(
        await api.POST("/api/pictures/{id}/set", { params: { path: { id } }, body: { slot, adjustments }, signal }),
      );
    },
  });
}

export interface Making {
  /** When it was begun, and how many files there were then. */
  since: number;
  before: number;
}

/** Makes what is missing of a set. Cancelling keeps what was made. */
export function useMakeSet(id: string, slot: string | undefined, adjustments: Adjustments) {
  const queries = useQueryClient();
  const [making, setMaking] = useState<Making>();
  const [error, setError] = useState<Error>();
  const wish = useRef<AbortController>(undefined);
  const make = async (set: ResponsiveSet) => {
    if (!slot) return;
    const controller = new AbortController();
    wish.current = controller;
    setError(undefined);
    setMaking({ since: performance.now(), before: set.made });
    try {
      const body = { slot, adjustments };
      const made = unwrap(
        await api.POST("/api/pictures/{id}/set/files", { params: { path: { id } }, body, signal: controller.signal }),
      );
      queries.setQueryData(setKey(id, slot, adjustments), made);
    } catch (problem) {
      if (!controller.signal.aborted) setError(problem as Error);
    } finally {
      setMaking(undefined);
      void queries.invalidateQueries({ queryKey: ["set", id] });
    }
  };
  return {
    making,
    error,
    make,
    cancel: () => {
      wish.current?.abort();
    },
  };
}
