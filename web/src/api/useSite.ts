import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, unwrap, type SiteChange } from "./client";

/** The site's settings. */
export function useSite() {
  return useQuery({
    queryKey: ["site"],
    queryFn: async ({ signal }) => unwrap(await api.GET("/site", { signal })),
  });
}

export function useChangeSite() {
  const queries = useQueryClient();
  return useMutation({
    meta: { told: true },
    mutationFn: async (body: SiteChange) => unwrap(await api.PATCH("/site", { body })),
    onSuccess: (site) => {
      queries.setQueryData(["site"], site);
    },
  });
}
