import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { accept, api, unwrap, type Adjustments } from "../../api/client";

/** All files of the picture for a slot; files that are made meanwhile come in by themselves. */
export function useSet(id: string, slot: string | undefined, adjustments: Adjustments) {
  return useQuery({
    queryKey: ["set", id, slot, adjustments],
    enabled: slot !== undefined,
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: async ({ signal }) => {
      if (!slot) throw new Error("no slot yet");
      return unwrap(
        await api.POST("/pictures/{id}/set", { params: { path: { id } }, body: { slot, adjustments }, signal }),
      );
    },
  });
}

/** Makes what is missing of a set, as a job: it goes on when the page is left. */
export function useMakeSet(id: string, slot: string | undefined, adjustments: Adjustments) {
  const queries = useQueryClient();
  const refresh = () => queries.invalidateQueries({ queryKey: ["set", id] });
  const make = useMutation({
    mutationFn: async () => {
      if (!slot) throw new Error("no slot yet");
      const body = { slot, adjustments };
      return unwrap(await api.POST("/pictures/{id}/set/files", { params: { path: { id } }, body }));
    },
    onSettled: refresh,
  });
  /** Cancels it; what was made stays. */
  const cancel = useMutation({
    mutationFn: async (job: string) => {
      accept(await api.DELETE("/jobs/{id}", { params: { path: { id: job } } }));
    },
    onSettled: refresh,
  });
  return { make, cancel };
}
