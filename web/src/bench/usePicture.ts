import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, unwrap, type FocalPoint, type Place, type Wish } from "../api/client";

/** One picture and the files made of it. */
export function usePicture(id: string | undefined) {
  return useQuery({
    queryKey: ["picture", id],
    enabled: id !== undefined,
    queryFn: async ({ signal }) =>
      unwrap(await api.GET("/api/pictures/{id}", { params: { path: { id: id ?? "" } }, signal })),
  });
}

/** How the picture would fill the place: asked again at every change, stale answers dropped. */
export function useFitting(id: string, place: Place | undefined, focal: FocalPoint) {
  return useQuery({
    queryKey: ["fitting", id, place, focal],
    enabled: place !== undefined,
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: async ({ signal }) => {
      if (!place) throw new Error("no slot yet");
      const body = { ...place, focal };
      return unwrap(
        await api.POST("/api/pictures/{id}/fitting", { params: { path: { id } }, body, signal }),
      );
    },
  });
}

/** Moves the focal point for good. */
export function useMoveFocal(id: string) {
  const queries = useQueryClient();
  return useMutation({
    // One after the other, so that the last move wins.
    scope: { id: `focal ${id}` },
    mutationFn: async (focal: FocalPoint) =>
      unwrap(await api.PATCH("/api/pictures/{id}", { params: { path: { id } }, body: { focal } })),
    onSuccess: (picture) => { queries.setQueryData(["picture", id], picture); },
  });
}

/** Makes a file, or finds the one that was made for the same wish. */
export function useMakeFile(id: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (body: Wish) =>
      unwrap(await api.POST("/api/pictures/{id}/variants", { params: { path: { id } }, body })),
    onSuccess: () => queries.invalidateQueries(),
  });
}
