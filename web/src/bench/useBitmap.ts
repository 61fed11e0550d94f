import { keepPreviousData, useQuery } from "@tanstack/react-query";

/** The decoded pixels at an address that never changes its content. Where it `keeps`, those of the address
 * before stay until the next ones are there. */
export function useBitmap(url: string | undefined, { keeps = false } = {}) {
  return useQuery({
    queryKey: ["bitmap", url],
    enabled: url !== undefined,
    staleTime: Infinity,
    gcTime: 30_000,
    retry: false,
    ...(keeps && { placeholderData: keepPreviousData }),
    queryFn: async ({ signal }) => {
      const answer = await fetch(url ?? "", { signal });
      if (!answer.ok) throw new Error(`the picture cannot be shown: the server answered ${answer.status}`);
      return createImageBitmap(await answer.blob());
    },
  });
}
