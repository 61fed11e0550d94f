import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, unwrap, type BenchBody, type Picture } from "../api/client";
import { count } from "../ui/figures";
import { notices } from "../ui/notice";
import type { WorkOnBench } from "./useWork";

/**
 * Has the adjustments hold wherever the picture is shown, over the version that held before; over another one that
 * somebody saw and chose, where it is told. What is saved while a save is on its way follows it.
 */
export function useSave(picture: Picture, on: WorkOnBench) {
  const queries = useQueryClient();
  const places = on.bench.places.length;
  return useMutation({
    meta: { told: true },
    scope: { id: `save ${picture.id}` },
    mutationFn: async (chosen: string | undefined) => {
      const step = await on.flush();
      const over = chosen ?? on.held();
      if (!step || !over) throw new Error("there is no change to be saved");
      if (step === over) return undefined;
      const path = { id: picture.id };
      const saved = unwrap(await api.POST("/pictures/{id}/save", { params: { path }, body: { step, over } }));
      return { step, saved };
    },
    onSuccess: (done) => {
      if (!done) return;
      const { step, saved } = done;
      on.onSaved(step);
      notices.show({
        words: `Saved ${picture.name}${places > 0 ? `: ${count(places, "place")} show it so` : ""}.`,
        ...(saved.change && { change: saved.change.id }),
      });
      queries.setQueryData(["picture", picture.id], saved.picture);
      queries.setQueryData<BenchBody>(["bench", picture.id], (known) => known && { ...known, holds: step });
      // It is saved: whoever goes on working does not wait until all else is read anew.
      void queries.invalidateQueries();
    },
  });
}
