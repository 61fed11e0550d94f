import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, unwrap, type Trial } from "../../api/client";

/** The frames of a moving trial, the worst first, and which of them is shown: the worst until another is
 * chosen. Nothing is asked for a trial that stands still. */
export function useFrames(trial: Trial | undefined, moves: boolean) {
  const [chosen, setChosen] = useState<number>();
  const query = useQuery({
    queryKey: ["frames", trial?.id],
    enabled: moves && trial !== undefined,
    staleTime: Infinity,
    retry: false,
    queryFn: async ({ signal }) =>
      unwrap(await api.GET("/trials/{id}/frames", { params: { path: { id: trial?.id ?? "" } }, signal })),
  });
  const frames = query.data ?? [];
  const shown = frames.find(({ frame }) => frame === chosen) ?? frames[0];
  const next = () => {
    const at = frames.findIndex(({ frame }) => frame === shown?.frame);
    setChosen(frames[(at + 1) % Math.max(frames.length, 1)]?.frame);
  };
  return { frames, shown, choose: setChosen, next, isLooking: query.isFetching, error: query.error };
}
