import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, unwrap } from "./client";

/** Runs that go on or are paused, the oldest first. */
export function useOpenRuns() {
  return useQuery({
    queryKey: ["open-runs"],
    queryFn: async ({ signal }) => unwrap(await api.GET("/runs/open", { signal })),
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
    onSuccess: () =>
      Promise.all([
        queries.invalidateQueries({ queryKey: ["runs"] }),
        queries.invalidateQueries({ queryKey: ["open-runs"] }),
      ]),
  });
}
