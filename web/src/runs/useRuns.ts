import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, unwrap, type NewRun, type RunItem } from "../api/client";

/** The runs of the site, the newest first. */
export function useRuns() {
  return useQuery({
    queryKey: ["runs"],
    queryFn: async ({ signal }) => unwrap(await api.GET("/runs", { signal })),
  });
}

/** What a run would do; the last one is told while the next is worked out. */
export function useForecast(wish: NewRun | undefined) {
  return useQuery({
    queryKey: ["run-forecast", wish],
    queryFn: async ({ signal }) => unwrap(await api.POST("/runs/forecast", { body: wish ?? {}, signal })),
    enabled: wish !== undefined,
    placeholderData: (previous) => previous,
    retry: false,
  });
}

export function useStartRun() {
  const queries = useQueryClient();
  return useMutation({
    meta: { told: true },
    mutationFn: async (body: NewRun) => unwrap(await api.POST("/runs", { body })),
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

export type ResultOrder = "score" | "saving";

export function useRunItems(id: string, state: RunItem["state"] | undefined, order: ResultOrder) {
  const params = { path: { id }, query: state ? { state, order } : { order } };
  return useQuery({
    queryKey: ["run-items", id, state, order],
    queryFn: async ({ signal }) => unwrap(await api.GET("/runs/{id}/items", { params, signal })),
    placeholderData: (previous) => previous,
  });
}

/** The results that nobody looked at yet, the lowest scores first. */
export function useChecks(id: string) {
  const params = { path: { id } };
  return useQuery({
    queryKey: ["run-checks", id],
    queryFn: async ({ signal }) => unwrap(await api.GET("/runs/{id}/checks", { params, signal })),
    placeholderData: (previous) => previous,
  });
}

/** The sets that two runs made, side by side. */
export function useComparison(id: string, other: string | undefined) {
  return useQuery({
    queryKey: ["run-items", id, "against", other],
    queryFn: async ({ signal }) =>
      unwrap(await api.GET("/runs/{id}/against/{other}", { params: { path: { id, other: other ?? "" } }, signal })),
    enabled: other !== undefined,
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

/** Makes the sets at `places` of a run again that failed or were taken back. */
export function useMakeAgain(id: string) {
  const queries = useQueryClient();
  return useMutation({
    meta: { told: true },
    mutationFn: async (places: number[]) =>
      unwrap(await api.POST("/runs/{id}/again", { params: { path: { id } }, body: { places } })),
    onSuccess: () => queries.invalidateQueries(),
  });
}

/** Says of the sets at `places` of a run that they are good, or that nobody looked at them. */
export function useApprove(id: string) {
  const queries = useQueryClient();
  return useMutation({
    meta: { told: true },
    mutationFn: async (body: { places: number[]; approved: boolean }) =>
      unwrap(await api.POST("/runs/{id}/approve", { params: { path: { id } }, body })),
    onSuccess: () =>
      Promise.all(["runs", "run-items", "run-checks"].map((one) => queries.invalidateQueries({ queryKey: [one, id] }))),
  });
}
