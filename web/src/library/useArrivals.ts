import { useQuery } from "@tanstack/react-query";
import { useSyncExternalStore } from "react";
import { api, unwrap } from "../api/client";
import { bytes } from "../ui/figures";
import { arrivals } from "./arrivals";

export const useArrivals = () => useSyncExternalStore(arrivals.subscribe, arrivals.all);

/** Brings files in, within the server's own limits. */
export function useBringIn(): (files: Iterable<File>) => void {
  const limits = useQuery({
    queryKey: ["limits"],
    queryFn: async () => unwrap(await api.GET("/api/limits")),
    staleTime: Infinity,
  });
  const most = limits.data?.file ?? Infinity;
  return (files) => { arrivals.add(files, most, bytes(most)); };
}
