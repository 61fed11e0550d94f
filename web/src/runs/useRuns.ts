import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, unwrap, type Which } from "../api/client";

/** The runs of the site, the newest first. */
export function useRuns() {
  return useQuery({
    queryKey: ["runs"],
    queryFn: async ({ signal }) => unwrap(await api.GET("/runs", { signal })),
  });
}

/** What a run over some pictures would do. */
export function useForecast(which: Which | undefined) {
  return useQuery({
    queryKey: ["run-forecast", which],
    queryFn: async ({ signal }) =>
      unwrap(await api.POST("/runs/forecast", { body: { which: which ?? { ids: [] }, name: "" }, signal })),
    enabled: which !== undefined,
  });
}

export function useStartRun() {
  const queries = useQueryClient();
  return useMutation({
    meta: { told: true },
    mutationFn: async (body: { which: Which; name: string }) => unwrap(await api.POST("/runs", { body })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["runs"] }),
  });
}

export function useRun(id: string) {
  const params = { path: { id } };
  return useQuery({
    queryKey: ["runs", id],
    queryFn: async ({ signal }) => unwrap(await api.GET("/runs/{id}", { params, signal })),
    placeholderData: (previous) => previous,
  });
}

export function useRunItems(id: string) {
  const params = { path: { id } };
  return useQuery({
    queryKey: ["run-items", id],
    queryFn: async ({ signal }) => unwrap(await api.GET("/runs/{id}/items", { params, signal })),
    placeholderData: (previous) => previous,
  });
}

type Act = "pause" | "resume" | "cancel";

/** Pauses a run, has it go on, or cancels it. */
export function useActOnRun(id: string) {
  const queries = useQueryClient();
  const asked = { params: { path: { id } } };
  return useMutation({
    meta: { told: true },
    mutationFn: async (act: Act) => {
      if (act === "pause") return unwrap(await api.POST("/runs/{id}/pause", asked));
      if (act === "resume") return unwrap(await api.POST("/runs/{id}/resume", asked));
      return unwrap(await api.POST("/runs/{id}/cancel", asked));
    },
    onSuccess: () => queries.invalidateQueries({ queryKey: ["runs"] }),
  });
}

/** Takes back the sets at `places` of a run, or all of them. */
export function useTakeRunBack(id: string) {
  const queries = useQueryClient();
  return useMutation({
    meta: { told: true },
    mutationFn: async (places: number[] | null) =>
      unwrap(await api.POST("/runs/{id}/take-back", { params: { path: { id } }, body: { places } })),
    onSuccess: () => queries.invalidateQueries(),
  });
}
