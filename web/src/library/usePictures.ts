import { useInfiniteQuery } from "@tanstack/react-query";
import { api, unwrap } from "../api/client";

export type Sort = "newest" | "name" | "heaviest";

/** The library as far as it was scrolled, part by part. */
export function usePictures(search: string, sort: Sort) {
  return useInfiniteQuery({
    queryKey: ["pictures", search, sort],
    initialPageParam: undefined as string | undefined,
    queryFn: async ({ pageParam, signal }) => {
      const query = { sort, limit: 200, ...(search && { search }), ...(pageParam && { after: pageParam }) };
      return unwrap(await api.GET("/api/pictures", { params: { query }, signal }));
    },
    getNextPageParam: (last) => last.next ?? undefined,
    placeholderData: (previous) => previous,
  });
}
