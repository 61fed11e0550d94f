import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, unwrap, type Picture } from "../api/client";
import { count } from "../ui/figures";
import { notices } from "../ui/notice";
import type { WorkOnBench } from "./useWork";

/** Has the adjustments hold wherever the picture is shown, over the version that held before. */
export function useSave(picture: Picture, on: WorkOnBench) {
  const queries = useQueryClient();
  const places = on.bench.places.length;
  return useMutation({
    meta: { told: true },
    mutationFn: async (over: string) => {
      const step = await on.flush();
      if (!step) throw new Error("there is no change to be saved");
      const path = { id: picture.id };
      const saved = unwrap(await api.POST("/pictures/{id}/save", { params: { path }, body: { step, over } }));
      return { step, saved };
    },
    onSuccess: async ({ step, saved }) => {
      on.onSaved(step);
      notices.show({
        words: `Saved ${picture.name}${places > 0 ? `: ${count(places, "place")} show it so` : ""}.`,
        ...(saved.change && { change: saved.change.id }),
      });
      queries.setQueryData(["picture", picture.id], saved.picture);
      await queries.invalidateQueries();
    },
  });
}
