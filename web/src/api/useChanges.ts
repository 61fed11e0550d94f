import { siteApi } from "./client";
import { listen } from "./listen";
import { useQueryClient, type Query } from "@tanstack/react-query";
import { useEffect } from "react";

/** Which queries show rows of a kind: those that begin with one of these words. */
const shows: Record<string, string[]> = {
  pictures: ["pictures", "picture", "picture-page", "tally", "shelves", "alike", "bench", "set", "proof"],
  variants: ["picture", "picture-page", "set", "tally", "bench"],
  trials: ["proof"],
  steps: ["bench", "step", "picture"],
  jobs: ["jobs", "measuring", "set", "runs", "open-runs", "publications", "films"],
  layouts: [
    "margins",
    "publications",
    "layouts",
    "measuring",
    "picture-page",
    "framings",
    "bench",
    "set",
    "proof",
    "tally",
  ],
  rules: ["rule", "decision", "set", "proof"],
  site: ["site", "sites", "layouts", "set"],
  shelves: ["shelves", "pictures"],
  presets: ["finishes"],
  alike: ["alike"],
  runs: ["runs", "run-items", "run-checks", "open-runs"],
  publications: ["publications", "changed-since", "publication-file", "films"],
  overruns: ["overruns"],
  icons: ["icons"],
  folder: ["site-folder", "changed-since", "publication-file"],
};

/** Queries of one picture or run, whose second word is its id: another one's change is none of theirs. */
const ofOne = [
  "picture",
  "picture-page",
  "bench",
  "set",
  "proof",
  "runs",
  "run-items",
  "run-checks",
  "publications",
  "changed-since",
  "publication-file",
  "films",
];
/** The kinds whose ids are those of pictures or runs. */
const toldByOne = ["pictures", "variants", "trials", "steps", "runs", "publications"];

/** Whether a query shows what changed; `ids` are missing where many rows did. */
export function concerns(query: Pick<Query, "queryKey">, kind: string, ids: string[] | undefined) {
  const [subject, of] = query.queryKey;
  if (typeof subject !== "string" || !shows[kind]?.includes(subject)) return false;
  if (!ids || !toldByOne.includes(kind) || !ofOne.includes(subject)) return true;
  return typeof of !== "string" || ids.includes(of);
}

/** Looks again at what others changed, and at nothing else: a script that uploads, a second window. */
export function useChanges() {
  const queries = useQueryClient();
  useEffect(() => {
    const all = () => void queries.invalidateQueries();
    const some = Object.keys(shows).map((kind) => {
      const heard = (event: MessageEvent<string>) => {
        const { ids } = JSON.parse(event.data) as { ids?: string[] };
        void queries.invalidateQueries({ predicate: (query) => concerns(query, kind, ids) });
      };
      return [kind, heard] as const;
    });
    // What happened before the stream was open, or while it was broken, was not told.
    return listen(`${siteApi}/events`, { open: all, all, ...Object.fromEntries(some) });
  }, [queries]);
}
