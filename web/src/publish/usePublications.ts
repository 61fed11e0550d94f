import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, unwrap, type NewFilm, type NewPublication } from "../api/client";

/** The publications of the site, the newest first, and what could be published. */
export function usePublications() {
  return useQuery({
    queryKey: ["publications"],
    queryFn: async ({ signal }) => unwrap(await api.GET("/publications", { signal })),
  });
}

/** A publication with all that it changes. */
export function usePublication(id: string) {
  const params = { path: { id } };
  return useQuery({
    queryKey: ["publications", id],
    queryFn: async ({ signal }) => unwrap(await api.GET("/publications/{id}", { params, signal })),
    placeholderData: (previous) => previous,
  });
}

/** Files of a publication that somebody else changed since; asked for where it stands on the site, or can go there. */
export function useChangedSince(id: string, asks: boolean) {
  const params = { path: { id } };
  return useQuery({
    queryKey: ["changed-since", id],
    queryFn: async ({ signal }) => unwrap(await api.GET("/publications/{id}/changed-since", { params, signal })),
    enabled: asks,
  });
}

/** The lines of a page or style sheet that differ. */
export function useFileDifferences(id: string, path: string | undefined) {
  const params = { path: { id }, query: { path: path ?? "" } };
  return useQuery({
    queryKey: ["publication-file", id, path],
    queryFn: async ({ signal }) => unwrap(await api.GET("/publications/{id}/file", { params, signal })),
    enabled: path !== undefined,
  });
}

/** How a page comes before and after a publication, as far as it was filmed. */
export function useFilms(id: string, page: string) {
  const params = { path: { id }, query: { page } };
  return useQuery({
    queryKey: ["films", id, page],
    queryFn: async ({ signal }) => unwrap(await api.GET("/publications/{id}/films", { params, signal })),
  });
}

/** Has a page filmed. */
export function useFilmPage(id: string) {
  const queries = useQueryClient();
  return useMutation({
    meta: { told: true },
    mutationFn: async (body: NewFilm) =>
      unwrap(await api.POST("/publications/{id}/films", { params: { path: { id } }, body })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["films", id] }),
  });
}

export function usePrepare() {
  const queries = useQueryClient();
  return useMutation({
    meta: { told: true },
    mutationFn: async (body: NewPublication) => unwrap(await api.POST("/publications", { body })),
    // The list is not waited for: it is asked for anew as often as the work tells of itself.
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: ["publications"] });
    },
  });
}

export type Act = "prepare" | "publish" | "publish-anyway" | "take-back" | "take-all-back" | "cancel";

/** Does something with a publication. */
export function useActOnPublication(id: string) {
  const queries = useQueryClient();
  const asked = { params: { path: { id } } };
  return useMutation({
    meta: { told: true },
    mutationFn: async (act: Act) => {
      if (act === "prepare") return unwrap(await api.POST("/publications/{id}/prepare", asked));
      if (act === "publish" || act === "publish-anyway") {
        const query = { anyway: act === "publish-anyway" };
        return unwrap(await api.POST("/publications/{id}/publish", { params: { ...asked.params, query } }));
      }
      if (act === "cancel") return unwrap(await api.POST("/publications/{id}/cancel", asked));
      const body = { changed_since: act === "take-all-back" };
      return unwrap(await api.POST("/publications/{id}/take-back", { ...asked, body }));
    },
    onSuccess: () => queries.invalidateQueries({ queryKey: ["publications"] }),
  });
}

/** Forgets a publication of which nothing is on the site. */
export function useForgetPublication(id: string) {
  const queries = useQueryClient();
  return useMutation({
    meta: { told: true },
    mutationFn: async () => {
      unwrap(await api.DELETE("/publications/{id}", { params: { path: { id } } }));
    },
    onSuccess: () => queries.invalidateQueries({ queryKey: ["publications"] }),
  });
}
