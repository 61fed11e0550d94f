import { useSyncExternalStore } from "react";
import { useLimits } from "../api/useLimits";
import { bytes } from "../ui/figures";
import { arrivals, type Incoming } from "./arrivals";

export const useArrivals = () => useSyncExternalStore(arrivals.subscribe, arrivals.all);

/** Brings files in, within the server's own limits. */
export function useBringIn(): (files: Iterable<Incoming>) => void {
  const limits = useLimits();
  const most = limits.data?.file ?? Infinity;
  return (files) => {
    arrivals.add(files, most, bytes(most));
  };
}
