import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { accept, api, unwrap, type OutputRule } from "../../api/client";
import { notices } from "../../ui/notice";

/** Whose rule: the site's where nothing is given. */
export interface RuleOf {
  slot?: string;
  picture?: string;
}

/** What is said at one level. */
export function useRule(of: RuleOf, open: boolean) {
  return useQuery({
    queryKey: ["rule", of],
    enabled: open,
    queryFn: async ({ signal }) => unwrap(await api.GET("/output-rules", { params: { query: of }, signal })),
  });
}

/** Says something else at one level; the notice takes it back. */
export function useSayRule(of: RuleOf, whose: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async ({ rule, seen }: { rule: OutputRule; seen: OutputRule }) =>
      unwrap(await api.PUT("/output-rules", { params: { query: of }, body: { ...rule, seen } })),
    onSettled: () => queries.invalidateQueries(),
    onSuccess: (before, { rule }) => {
      const undo = async () => {
        accept(await api.PUT("/output-rules", { params: { query: of }, body: { ...before, seen: rule } }));
        notices.show({ words: `The rule of ${whose} is as it was.` });
        await queries.invalidateQueries();
      };
      notices.show({ words: `The rule of ${whose} was changed.`, undo });
    },
  });
}

/** What holds for a picture, in a slot where one is given, and who decided it. */
export function useDecision(picture: string, slot: string | undefined, open: boolean) {
  return useQuery({
    queryKey: ["decision", picture, slot],
    enabled: open,
    queryFn: async ({ signal }) =>
      unwrap(
        await api.GET("/pictures/{id}/decision", {
          params: { path: { id: picture }, query: slot ? { slot } : {} },
          signal,
        }),
      ),
  });
}
