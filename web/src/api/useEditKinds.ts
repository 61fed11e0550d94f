import { useQuery } from "@tanstack/react-query";
import { api, unwrap, type Edit, type EditKind, type Figure } from "./client";

export type Kind = Edit["kind"];

/** The edits that can be added, as the server knows them; they change only with it. */
export function useEditKinds() {
  return useQuery({
    queryKey: ["edit-kinds"],
    queryFn: async ({ signal }) => unwrap(await api.GET("/edit-kinds", { signal })),
    staleTime: Infinity,
  });
}

export const kindOf = (kinds: EditKind[], kind: Kind) => kinds.find(({ first }) => first.kind === kind);

/** What an edit is called; its own word while names are not there yet. */
export const nameOf = (kinds: EditKind[], kind: Kind) => kindOf(kinds, kind)?.name ?? kind;

/** The number `key` of a kind. */
export const numberOf = (kind: EditKind | undefined, key: string): Figure | undefined =>
  [...(kind?.figures ?? []), ...(kind?.lengths ?? [])].find((figure) => figure.key === key);
