import { useQuery } from "@tanstack/react-query";
import { api, unwrap } from "./client";

/** Lists of edits that were saved under a name. */
export function useEditPresets() {
  return useQuery({
    queryKey: ["finishes"],
    queryFn: async ({ signal }) => unwrap(await api.GET("/finishes", { signal })),
  });
}
