import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { accept, api, unwrap, type NewSizeSet, type Slot, type SlotBoxes } from "./client";

/** Named sets of sizes. */
export function useSizeSets() {
  return useQuery({
    queryKey: ["layouts", "size-sets"],
    queryFn: async ({ signal }) => unwrap(await api.GET("/size-sets", { signal })),
  });
}

/** Does something with a set, and reads the layouts again. */
function useChange<Wish, Answer>(mutationFn: (wish: Wish) => Promise<Answer>) {
  const queries = useQueryClient();
  return useMutation({ mutationFn, onSuccess: () => queries.invalidateQueries({ queryKey: ["layouts"] }) });
}

export const useKeepSizeSet = () =>
  useChange(async (body: NewSizeSet) => unwrap(await api.PUT("/size-sets", { body })));

export const useRemoveSizeSet = () =>
  useChange(async (id: string) => {
    accept(await api.DELETE("/size-sets/{id}", { params: { path: { id } } }));
  });

/** Gives slots the sizes of a set; the answer is what was set by hand before. */
export const useApplySizeSet = () =>
  useChange(async ({ set, slots }: { set: string; slots: Slot[] }) =>
    unwrap(
      await api.POST("/size-sets/{id}/apply", {
        params: { path: { id: set } },
        body: {
          slots: slots.map(({ id }) => id),
          seen: Object.fromEntries(slots.map((slot) => [slot.id, boxesByHand(slot)])),
        },
      }),
    ),
  );

/** The boxes of a slot that somebody set by hand, as they stand in the row that is seen. */
export const boxesByHand = ({ boxes, boxes_by_hand }: Slot) => (boxes_by_hand ? boxes : null);

/** Sets the boxes of slots by hand, or goes back to those measured. */
export const useSetBoxes = () =>
  useChange(async (body: SlotBoxes[]) => unwrap(await api.PUT("/slots/boxes", { body })));
