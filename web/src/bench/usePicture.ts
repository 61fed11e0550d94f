import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, unwrap, type PlaceAsked, type Wish, type Adjustments } from "../api/client";

/** One picture and the files made of it. */
export function usePicture(id: string | undefined) {
  return useQuery({
    queryKey: ["picture", id],
    enabled: id !== undefined,
    queryFn: async ({ signal }) =>
      unwrap(await api.GET("/pictures/{id}", { params: { path: { id: id ?? "" } }, signal })),
  });
}

/** How the picture with these adjustments would fill the place. */
export function useFitting(id: string, place: PlaceAsked | undefined, adjustments: Adjustments) {
  return useQuery({
    queryKey: ["fitting", id, adjustments, place],
    enabled: place !== undefined,
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: async ({ signal }) => {
      if (!place) throw new Error("no slot yet");
      const body = { ...place, adjustments };
      return unwrap(await api.POST("/pictures/{id}/fitting", { params: { path: { id } }, body, signal }));
    },
  });
}

/** A file as it is typed, or as a trial was judged, for the picture or a slot. */
export type FileWish = Wish | { trial: string; slot: string | null };

/** Makes a file, or finds the one that was made for the same wish. */
export function useMakeFile(id: string) {
  const queries = useQueryClient();
  return useMutation({
    meta: { told: true },
    mutationFn: async (wish: FileWish) => {
      if (!("trial" in wish)) {
        return unwrap(await api.POST("/pictures/{id}/variants", { params: { path: { id } }, body: wish }));
      }
      const { trial, slot } = wish;
      return unwrap(await api.POST("/trials/{id}/variant", { params: { path: { id: trial } }, body: { slot } }));
    },
    onSuccess: () => queries.invalidateQueries(),
  });
}
