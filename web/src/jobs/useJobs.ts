import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { accept, api, unwrap } from "../api/client";

/** What goes on in the background; the server tells when it changes. */
export function useJobs() {
  return useQuery({
    queryKey: ["jobs"],
    queryFn: async ({ signal }) => unwrap(await api.GET("/jobs", { signal })),
  });
}

/** Cancels a job, or has one tried again that was set aside. */
export function useJobActions() {
  const queries = useQueryClient();
  const onSettled = () => queries.invalidateQueries({ queryKey: ["jobs"] });
  const cancel = useMutation({
    mutationFn: async (id: string) => {
      accept(await api.DELETE("/jobs/{id}", { params: { path: { id } } }));
    },
    onSettled,
  });
  const retry = useMutation({
    mutationFn: async (id: string) => {
      accept(await api.POST("/jobs/{id}/retry", { params: { path: { id } } }));
    },
    onSettled,
  });
  return { cancel, retry };
}
