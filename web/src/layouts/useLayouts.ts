import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import {
  accept,
  api,
  ApiError,
  unwrap,
  type NewSlot,
  type Problem,
  type SlotChange,
  siteApi,
  type MeasuredPage,
} from "../api/client";

/** Which places are asked for. */
type Asked = { page: string } | { slot: string } | { uncertain: boolean };

/** Where slots occur: on one page, of one slot, or all that are in doubt. */
export function usePlaces(asked: Asked | undefined) {
  return useQuery({
    queryKey: ["layouts", "occurrences", asked],
    queryFn: async ({ signal }) => unwrap(await api.GET("/occurrences", { params: { query: asked ?? {} }, signal })),
    enabled: asked !== undefined,
  });
}

/** The places of a page as they were measured last: read once, whatever else changes. */
export function usePlacesAsMeasured({ id, measured_at }: MeasuredPage) {
  return useQuery({
    queryKey: ["measured", id, measured_at],
    queryFn: async ({ signal }) => unwrap(await api.GET("/occurrences", { params: { query: { page: id } }, signal })),
    staleTime: Infinity,
  });
}

/** The pictures on a page that cannot be replaced. */
export function useFixedPictures(page: string | undefined) {
  return useQuery({
    queryKey: ["layouts", "fixed", page],
    queryFn: async ({ signal }) =>
      unwrap(await api.GET("/pages/{id}/fixed", { params: { path: { id: page ?? "" } }, signal })),
    enabled: page !== undefined,
  });
}

/** How far measuring is. */
export function useReport() {
  return useQuery({
    queryKey: ["measuring"],
    queryFn: async ({ signal }) => unwrap(await api.GET("/measurements/latest", { signal })),
    placeholderData: (previous) => previous,
  });
}

export function useMeasure() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (body: { address: string; whole_site: boolean }) =>
      unwrap(await api.POST("/measurements", { body })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["measuring"] }),
  });
}

/** Measures a site that comes as files: one zip, or a folder with the paths below it. */
export function useMeasureFiles() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (files: File[]) => {
      const form = new FormData();
      for (const file of files) form.append("file", file, file.webkitRelativePath || file.name);
      const response = await fetch(`${siteApi}/measurements/files`, { method: "POST", body: form });
      if (!response.ok) throw new ApiError((await response.json()) as Partial<Problem>, response.status);
    },
    onSuccess: () => queries.invalidateQueries({ queryKey: ["measuring"] }),
  });
}

export const cancelMeasuring = () => api.DELETE("/measurements/latest");

export function useChangeSlot(id: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (body: SlotChange) => unwrap(await api.PATCH("/slots/{id}", { params: { path: { id } }, body })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["layouts"] }),
  });
}

export function useAddSlot() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (body: NewSlot) => unwrap(await api.POST("/slots", { body })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["layouts"] }),
  });
}

/** Moves all places of a slot to another one. */
export function useJoin() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async ({ slot, into }: { slot: string; into: string }) => {
      const answer = await api.POST("/slots/{id}/join", {
        params: { path: { id: slot } },
        body: { slot_id: into },
      });
      accept(answer);
    },
    onSuccess: () => queries.invalidateQueries({ queryKey: ["layouts"] }),
  });
}

/** Says that an uncertain match is none. */
export function useKeepApart() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (place: string) => {
      accept(await api.POST("/occurrences/{id}/apart", { params: { path: { id: place } } }));
    },
    onSuccess: () => queries.invalidateQueries({ queryKey: ["layouts"] }),
  });
}

/** Adds the slots of a list, CSV or JSON by the file's name. */
export function useImportSlots() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (file: File) => {
      const type = /\.csv$/i.test(file.name) ? "text/csv" : "application/json";
      const response = await fetch(`${siteApi}/slots/import`, {
        method: "POST",
        headers: { "content-type": type },
        body: file,
      });
      if (!response.ok) throw new ApiError((await response.json()) as Partial<Problem>, response.status);
      return (await response.json()) as { added: number };
    },
    onSuccess: () => queries.invalidateQueries({ queryKey: ["layouts"] }),
  });
}

/** Gives a place a slot of its own. */
export function useSplit() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (place: string) =>
      unwrap(await api.POST("/occurrences/{id}/split", { params: { path: { id: place } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["layouts"] }),
  });
}

interface Placement {
  slot: string;
  picture: string | null;
  /** Only here; without it, wherever the slot occurs. */
  only: string[] | undefined;
}

export function usePlace() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async ({ slot, picture, only }: Placement) => {
      const body = { picture_id: picture, ...(only && { places: only }) };
      return unwrap(await api.POST("/slots/{id}/placement", { params: { path: { id: slot } }, body }));
    },
    onSuccess: () => queries.invalidateQueries({ queryKey: ["layouts"] }),
  });
}
