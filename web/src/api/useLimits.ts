import { useQuery } from "@tanstack/react-query";
import { installation, unwrap } from "./client";

/** What the server takes at most, and which site it serves. */
export function useLimits() {
  return useQuery({
    queryKey: ["limits"],
    queryFn: async () => unwrap(await installation.GET("/api/limits")),
    staleTime: Infinity,
  });
}
