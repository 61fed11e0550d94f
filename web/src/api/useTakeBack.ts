import { useMutation, useQueryClient } from "@tanstack/react-query";
import { count } from "../ui/figures";
import { notices } from "../ui/notice";
import { api, unwrap } from "./client";

/** Takes a change back, by its number. */
export function useTakeBack() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (id: string) => unwrap(await api.POST("/changes/{id}/back", { params: { path: { id } } })),
    onSuccess: ({ summary, pictures, changed_since }) => {
      const kept = changed_since > 0 ? `; ${count(changed_since, "picture")} changed again since, which stays` : "";
      notices.show({ words: `Taken back: ${summary} (${count(pictures, "picture")} as before${kept}).` });
      void queries.invalidateQueries();
    },
    onError: (error) => {
      notices.show({ words: `Not taken back: ${error.message}` });
    },
  });
}
