import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { accept, apiOf, installation, unwrap, type NewSite } from "../api/client";
import { listen } from "../api/listen";

/** Every site, removed ones among them. */
export function useSites() {
  return useQuery({
    queryKey: ["sites"],
    queryFn: async ({ signal }) => unwrap(await installation.GET("/api/sites", { signal })),
  });
}

/** Looks at the sites again when something changed at one of them. */
export function useChangesOfAll() {
  const queries = useQueryClient();
  useEffect(() => {
    const refresh = () => void queries.invalidateQueries({ queryKey: ["sites"] });
    const kinds = ["open", "all", "sites", "site", "jobs", "layouts", "pictures"];
    return listen("/api/events", Object.fromEntries(kinds.map((kind) => [kind, refresh])));
  }, [queries]);
}

/** Adds a site and has it measured, at its address or in its folder; then goes there. */
export function useAddSite() {
  return useMutation({
    mutationFn: async (body: NewSite) => {
      const site = unwrap(await installation.POST("/api/sites", { body }));
      if (site.address || body.folder) {
        const wish = { address: site.address ?? "", whole_site: true };
        const answer = await apiOf(site.slug).POST("/measurements", { body: wish });
        // The site is there; a folder without pages is a folder of pictures.
        if (answer.response.status >= 500) accept(answer);
      }
      return site;
    },
    // Here and not where it is called: the form goes away once the list has the site.
    onSuccess: (site) => {
      location.assign(`/${site.slug}/layouts`);
    },
  });
}

export function useSiteActions() {
  const queries = useQueryClient();
  const onSettled = () => queries.invalidateQueries({ queryKey: ["sites"] });
  const remove = useMutation({
    mutationFn: async (site: string) => {
      accept(await installation.DELETE("/api/sites/{site}", { params: { path: { site } } }));
    },
    onSettled,
  });
  const restore = useMutation({
    mutationFn: async (site: string) => {
      accept(await installation.POST("/api/sites/{site}/restore", { params: { path: { site } } }));
    },
    onSettled,
  });
  return { remove, restore };
}
