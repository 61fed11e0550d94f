import { keepPreviousData, useMutation, useQueries, useQuery, useQueryClient } from "@tanstack/react-query";
import {
  accept,
  api,
  unwrap,
  type By,
  type Format,
  type PlaceAsked,
  type Proof,
  type Trial,
  type Tried,
  type Adjustments,
} from "../../api/client";
import { notices } from "../../ui/notice";

/** What is proved: a size to fill, and the slot and layout width that it is for. */
export interface Target extends PlaceAsked {
  place?: { slot: string; viewport: number };
}

const proofKey = (id: string, target: Target | undefined, adjustments: Adjustments) => [
  "proof",
  id,
  adjustments,
  target,
];

/** What was tried of the picture for a target, and by which rules files are made. */
export function useProof(id: string, target: Target | undefined, adjustments: Adjustments) {
  return useQuery({
    queryKey: proofKey(id, target, adjustments),
    enabled: target !== undefined,
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: async ({ signal }) => {
      if (!target) throw new Error("no size yet");
      return unwrap(
        await api.POST("/pictures/{id}/proof", {
          params: { path: { id } },
          body: { ...target, adjustments },
          signal,
        }),
      );
    },
  });
}

async function ask(
  id: string,
  target: Target,
  adjustments: Adjustments,
  format: Format,
  how: By,
  signal?: AbortSignal,
): Promise<Tried> {
  const body = { ...target, adjustments, format, how };
  return unwrap(await api.POST("/pictures/{id}/trials", { params: { path: { id } }, body, ...(signal && { signal }) }));
}

/** Searches each format as the rules say, side by side; one that is no longer wanted hangs up. */
export function useSearches(
  id: string,
  target: Target | undefined,
  adjustments: Adjustments,
  proof: Proof | undefined,
) {
  const queries = useQueryClient();
  const rule = proof && JSON.stringify([proof.decision.want, proof.decision.settled, proof.decision.cap]);
  return useQueries({
    queries: (target && proof ? proof.formats : []).map((format) => ({
      queryKey: ["tried", id, adjustments, target, rule, format],
      retry: false,
      staleTime: Infinity,
      queryFn: async ({ signal }: { signal: AbortSignal }) => {
        if (!target) throw new Error("no size yet");
        const tried = await ask(id, target, adjustments, format, { by: "rule", want: null }, signal);
        // Answers of searches side by side may overtake each other: the server knows all of them. It is
        // over once the strip shows what it found.
        await queries.invalidateQueries({ queryKey: ["proof", id] });
        return { format, tried };
      },
    })),
  });
}

/** Adds one trial. */
export function useTrial(id: string, target: Target | undefined, adjustments: Adjustments) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async ({ format, how }: { format: Format; how: By }) => {
      if (!target) throw new Error("no size yet");
      return ask(id, target, adjustments, format, how);
    },
    onSuccess: (tried) => {
      queries.setQueryData(proofKey(id, target, adjustments), tried.proof);
    },
  });
}

/** Makes a trial the rule of the picture, or of a slot; the notice takes it back. */
export function useChoose(picture: string) {
  const queries = useQueryClient();
  const refresh = () => queries.invalidateQueries({ queryKey: ["proof"] });
  return useMutation({
    mutationFn: async ({ trial, slot }: { trial: Trial; slot: string | null }) =>
      unwrap(await api.POST("/trials/{id}/choose", { params: { path: { id: trial.id } }, body: { slot } })),
    onSuccess: (before, { trial, slot }) => {
      const undo = async () => {
        const query = slot ? { slot } : { picture };
        accept(await api.PUT("/output-rules", { params: { query }, body: before }));
        notices.show({ words: `The rule for this ${slot ? "slot" : "picture"} is as it was.` });
        await refresh();
      };
      notices.show({ words: `${trial.name} is the rule for this ${slot ? "slot" : "picture"} now.`, undo });
      return refresh();
    },
  });
}
