import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { accept, api, unwrap, type PageBudgets, type PageOrder } from "../api/client";

/** From where pages are looked at; the server says what is usual where nothing is given. */
export interface View {
  connection?: string;
  width?: number;
}

/** The pages of the site with their margins. */
export function useMargins(view: View, order: PageOrder) {
  return useQuery({
    queryKey: ["margins", view, order],
    queryFn: async ({ signal }) => unwrap(await api.GET("/margins", { params: { query: { ...view, order } }, signal })),
    placeholderData: (previous) => previous,
  });
}

/** What is in a HAR file, or in one before and one after, over a connection. */
export function useArchives(before: File | undefined, after: File | undefined, connection: string | undefined) {
  return useQuery({
    queryKey: ["archives", stampOf(before), stampOf(after), connection],
    enabled: before !== undefined,
    queryFn: async ({ signal }) => {
      const form = new FormData();
      if (before) form.append("before", before);
      if (after) form.append("after", after);
      const body = form as unknown as { before: string; after?: string };
      return unwrap(
        await api.POST("/margins/har", {
          params: { query: connection ? { connection } : {} },
          body,
          bodySerializer: () => form,
          signal,
        }),
      );
    },
    placeholderData: (previous) => previous,
    retry: false,
  });
}

const stampOf = (file: File | undefined) => file && [file.name, file.size, file.lastModified];

/** What all pages weighed over time. */
export function useSiteHistory(view: View) {
  return useQuery({
    queryKey: ["margins", "history", view],
    queryFn: async ({ signal }) => unwrap(await api.GET("/margins/history", { params: { query: view }, signal })),
    placeholderData: (previous) => previous,
  });
}

/** How a page comes, today and as it could. */
export function usePageMargins(page: string, view: View) {
  return useQuery({
    queryKey: ["margins", page, view],
    queryFn: async ({ signal }) =>
      unwrap(await api.GET("/margins/{page}", { params: { path: { page }, query: view }, signal })),
    placeholderData: (previous) => previous,
  });
}

/** Says how often a page is looked at in a month; nothing where nobody knows. */
export function useSayViews(page: string) {
  const queries = useQueryClient();
  return useMutation({
    meta: { told: true },
    mutationFn: async (views: number | null) => {
      const body = { per_month: views };
      accept(await api.PUT("/margins/{page}/views", { params: { path: { page } }, body }));
    },
    onSuccess: () => queries.invalidateQueries({ queryKey: ["margins"] }),
  });
}

/** Reads page views from a table. */
export function useReadViews() {
  const queries = useQueryClient();
  return useMutation({
    meta: { told: true },
    mutationFn: async (file: File) => {
      const body = await file.text();
      const headers = { "content-type": "text/csv" };
      return unwrap(await api.POST("/margins/views.csv", { body, headers, bodySerializer: (text) => text }));
    },
    onSuccess: () => queries.invalidateQueries({ queryKey: ["margins"] }),
  });
}

/** Says what a page may weigh and take. */
export function useSayBudgets(page: string) {
  const queries = useQueryClient();
  return useMutation({
    meta: { told: true },
    mutationFn: async (body: { bytes: number | null; time: number | null; seen: PageBudgets }) => {
      accept(await api.PUT("/margins/{page}/budgets", { params: { path: { page } }, body }));
    },
    onSuccess: () => queries.invalidateQueries({ queryKey: ["margins"] }),
  });
}
