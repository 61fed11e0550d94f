import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, siteApi, unwrap, type IconDesign, type Icons } from "../api/client";
import { usePaused } from "../ui/usePaused";

/** How long a design has to rest until it is drawn. */
const PAUSE = 200;

/** What is kept of the site's icons. */
export function useIcons() {
  return useQuery({
    queryKey: ["icons"],
    queryFn: async ({ signal }) => unwrap(await api.GET("/icons", { signal })),
  });
}

/** How icons of a design look, once it rests. */
export function useLooks(design: IconDesign | undefined) {
  const resting = usePaused(design ? JSON.stringify(design) : "", PAUSE);
  return useQuery({
    queryKey: ["icon-looks", resting],
    queryFn: async ({ signal }) =>
      unwrap(await api.POST("/icons/looks", { body: JSON.parse(resting) as IconDesign, signal })),
    enabled: resting !== "" && Boolean((JSON.parse(resting || "{}") as Partial<IconDesign>).master),
    placeholderData: keepPreviousData,
    retry: false,
    staleTime: Infinity,
  });
}

/** Has what comes back of an act be what is known of the icons. */
function useAct<Asked>(act: (asked: Asked) => Promise<Icons>) {
  const queries = useQueryClient();
  return useMutation({
    meta: { told: true },
    mutationFn: act,
    onSuccess: (icons) => {
      queries.setQueryData(["icons"], icons);
    },
  });
}

export interface Saved {
  design: IconDesign;
  /** The version that was seen. */
  version: number;
}

export const useSaveIcons = () => useAct<Saved>(async (body) => unwrap(await api.PUT("/icons", { body })));

/** Saves a design where it is another one, and makes its files. */
export const useMakeIcons = () =>
  useAct<Saved | undefined>(async (body) => {
    if (body) unwrap(await api.PUT("/icons", { body }));
    return unwrap(await api.POST("/icons/files"));
  });

/** Checks what the site serves; at one page where an address is given. */
export const useCheckIcons = () =>
  useAct<string | undefined>(async (address) =>
    unwrap(await api.POST("/icons/check", { body: address ? { address } : {} })),
  );

export const iconPackageUrl = `${siteApi}/icons/package`;
export const iconFileUrl = (name: string) => `${siteApi}/icons/files/${encodeURIComponent(name)}`;

/** Prepares a publication of the icons that were made; returns its id. */
export function usePrepareIcons() {
  const queries = useQueryClient();
  return useMutation({
    meta: { told: true },
    mutationFn: async () => unwrap(await api.POST("/publications", { body: { icons: true, name: "Icons" } })),
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: ["publications"] });
    },
  });
}
