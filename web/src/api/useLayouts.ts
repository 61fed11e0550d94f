import { useQuery } from "@tanstack/react-query";
import { api, unwrap } from "./client";

/** The site's pages and slots. */
export function useLayouts() {
  return useQuery({
    queryKey: ["layouts"],
    queryFn: async ({ signal }) => unwrap(await api.GET("/layouts", { signal })),
    placeholderData: (previous) => previous,
  });
}
