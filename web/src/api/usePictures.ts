/** The library's list, as every screen that offers pictures reads it. */
import { useInfiniteQuery } from "@tanstack/react-query";
import { api, unwrap, type FilterBody, type SortBy } from "./client";

export interface Order {
  sort: SortBy;
  descending: boolean;
}

/** A filter as it stands in an address. */
export const queryOf = ({ search, issues, format, folder, collection, removed }: FilterBody) => ({
  ...(search && { search }),
  ...(issues && issues.length > 0 && { issues: issues.join(",") }),
  ...(format && { format }),
  ...(folder && { folder }),
  ...(collection && { collection }),
  ...(removed && { removed }),
});

/** The library as far as it was scrolled, part by part. */
export function usePictures(filter: FilterBody, order: Order) {
  return useInfiniteQuery({
    queryKey: ["pictures", filter, order],
    initialPageParam: undefined as string | undefined,
    queryFn: async ({ pageParam, signal }) => {
      const query = { ...queryOf(filter), ...order, limit: 200, ...(pageParam && { after: pageParam }) };
      return unwrap(await api.GET("/pictures", { params: { query }, signal }));
    },
    getNextPageParam: (last) => last.next ?? undefined,
    placeholderData: (previous) => previous,
  });
}
