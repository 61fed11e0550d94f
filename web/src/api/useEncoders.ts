import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, unwrap, type Encoders, type OutsideEncoder } from "./client";

const KEY = ["encoders"];

/** The site's encoders from outside, the programs that may be run, and the formats that can be made. */
export function useEncoders() {
  return useQuery({
    queryKey: KEY,
    queryFn: async ({ signal }) => unwrap(await api.GET("/encoders", { signal })),
  });
}

/** The formats that files can be made in, with who shows them; none until they are known. */
export const useFormats = (): Encoders["formats"] => useEncoders().data?.formats ?? [];

/** Keeps encoders in place of those that were seen. */
export function useKeepEncoders() {
  const queries = useQueryClient();
  return useMutation({
    meta: { told: true },
    mutationFn: async (body: { encoders: OutsideEncoder[]; seen: OutsideEncoder[] }) =>
      unwrap(await api.PUT("/encoders", { body })),
    onSuccess: (encoders) => {
      queries.setQueryData(KEY, encoders);
    },
  });
}

/** Tries an encoder on a picture of the library. */
export const useTryEncoder = () =>
  useMutation({
    meta: { told: true },
    mutationFn: async (body: OutsideEncoder) => unwrap(await api.POST("/encoders/try", { body })),
  });
