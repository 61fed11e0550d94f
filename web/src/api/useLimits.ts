import { useQuery } from "@tanstack/react-query";
import { api, unwrap } from "./client";

/** What the server takes at most, and which site it serves. */
export function useLimits() {
  return useQuery({
    queryKey: ["limits"],
    queryFn: async () => unwrap(await api.GET("/api/limits")),
    staleTime: Infinity,
  });
}
