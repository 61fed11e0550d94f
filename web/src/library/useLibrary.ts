/** The library's data, and what can be done with it. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { accept, api, unwrap, type Change, type FilterBody, type PictureFields, type Which } from "../api/client";
import { notices } from "../ui/notice";

export function useShelves() {
  return useQuery({
    queryKey: ["shelves"],
    queryFn: async ({ signal }) => unwrap(await api.GET("/shelves", { signal })),
  });
}

export function usePicturePage(id: string) {
  return useQuery({
    queryKey: ["picture-page", id],
    queryFn: async ({ signal }) => unwrap(await api.GET("/pictures/{id}/page", { params: { path: { id } }, signal })),
  });
}

export function usePairs() {
  return useQuery({
    queryKey: ["alike"],
    queryFn: async ({ signal }) => unwrap(await api.GET("/alike", { signal })),
  });
}

/** Tells what was done and how to take it back, and looks at everything again. */
function useDone() {
  const queries = useQueryClient();
  return (change: Change | null | undefined) => {
    if (change) {
      const words = change.summary.charAt(0).toUpperCase() + change.summary.slice(1);
      notices.show({ words: `${words}.`, change: change.id });
    }
    void queries.invalidateQueries();
  };
}

const sorry = (error: Error) => {
  notices.show({ words: `Not done: ${error.message}` });
};

/** Describes pictures, each in its own words. */
export function useDescribe() {
  const onSuccess = useDone();
  return useMutation({
    mutationFn: async (pictures: Record<string, PictureFields>) =>
      unwrap(await api.PATCH("/pictures", { body: { pictures } })),
    onSuccess,
    onError: sorry,
  });
}

/** Describes many pictures in the same words. */
export function useDescribeAll() {
  const onSuccess = useDone();
  return useMutation({
    mutationFn: async (body: { which: Which; set: PictureFields; from_file: boolean }) =>
      unwrap(await api.POST("/pictures/describe", { body })),
    onSuccess,
  });
}

export function useNames() {
  return useMutation({
    mutationFn: async (which: Which) => unwrap(await api.POST("/pictures/names", { body: { which } })),
  });
}

/** Removes pictures, or says beforehand what that means. */
export function useRemove() {
  const done = useDone();
  return useMutation({
    mutationFn: async (body: { which: Which; dry_run: boolean; seen?: string }) =>
      unwrap(await api.POST("/pictures/remove", { body })),
    onSuccess: ({ change }) => {
      if (change) done(change);
    },
    onError: sorry,
  });
}

export function useBringBack() {
  const onSuccess = useDone();
  return useMutation({
    mutationFn: async (which: Which) => unwrap(await api.POST("/pictures/bring-back", { body: { which } })),
    onSuccess,
    onError: sorry,
  });
}

export function useMerge() {
  const onSuccess = useDone();
  return useMutation({
    mutationFn: async (body: { kept: string; gone: string[] }) => unwrap(await api.POST("/alike/merge", { body })),
    onSuccess,
    onError: sorry,
  });
}

export function useTellApart() {
  const done = useDone();
  return useMutation({
    mutationFn: async (body: { one: string; other: string; apart: boolean }) => {
      accept(await api.POST("/alike/apart", { body }));
    },
    onSuccess: () => {
      done(null);
    },
    onError: sorry,
  });
}

export function useCollect() {
  const done = useDone();
  return useMutation({
    mutationFn: async (body: { name: string; which: Which; add: boolean; seen?: string[] }) =>
      unwrap(await api.PUT("/collections", { body })),
    onSuccess: () => {
      done(null);
    },
  });
}

/** Deletes a collection; its notice brings it back. */
export function useForgetCollection() {
  const done = useDone();
  return useMutation({
    mutationFn: async (id: string) => unwrap(await api.DELETE("/collections/{id}", { params: { path: { id } } })),
    onSuccess: ({ name, pictures }) => {
      const undo = async () => {
        unwrap(await api.PUT("/collections", { body: { name, which: { ids: pictures }, add: false } }));
        done(null);
      };
      done(null);
      notices.show({ words: `Deleted the collection “${name}”; its pictures stay.`, undo });
    },
    onError: sorry,
  });
}

/** What has a name of its own in the list of parts. */
export interface Shelf {
  kind: "collection" | "filter";
  id: string;
  name: string;
}

async function rename({ kind, id, name, seen }: Shelf & { seen: string }) {
  const asked = { params: { path: { id } }, body: { name, seen } };
  return unwrap(
    kind === "collection" ? await api.PATCH("/collections/{id}", asked) : await api.PATCH("/filters/{id}", asked),
  );
}

/** Renames a collection or a saved filter; its notice brings the old name back. */
export function useRename() {
  const done = useDone();
  return useMutation({
    meta: { told: true },
    mutationFn: rename,
    onSuccess: ({ before }, shelf) => {
      const undo = async () => {
        await rename({ ...shelf, name: before, seen: shelf.name.trim() });
        done(null);
      };
      done(null);
      notices.show({ words: `“${before}” is called “${shelf.name.trim()}” now.`, undo });
    },
  });
}

export function useSaveFilter() {
  const done = useDone();
  return useMutation({
    mutationFn: async (body: { name: string; filter: FilterBody; seen: FilterBody | null }) => {
      accept(await api.PUT("/filters", { body }));
    },
    onSuccess: (_, { name }) => {
      notices.show({ words: `Saved the filter “${name}”.` });
      done(null);
    },
  });
}

export function useForgetFilter() {
  const done = useDone();
  return useMutation({
    mutationFn: async (id: string) => unwrap(await api.DELETE("/filters/{id}", { params: { path: { id } } })),
    onSuccess: ({ name, filter }) => {
      const undo = async () => {
        accept(await api.PUT("/filters", { body: { name, filter } }));
        done(null);
      };
      done(null);
      notices.show({ words: `Deleted the filter “${name}”.`, undo });
    },
    onError: sorry,
  });
}

/** Reads descriptions from a table, or says what it would change. */
export function useTable() {
  const done = useDone();
  return useMutation({
    mutationFn: async ({ text, apply }: { text: File; apply: boolean }) => {
      const answer = await api.POST("/descriptions.csv", {
        params: { query: { apply } },
        body: text as unknown as string,
        bodySerializer: (body) => body as unknown as BodyInit,
        headers: { "Content-Type": "text/csv" },
      });
      return unwrap(answer);
    },
    onSuccess: ({ change }) => {
      if (change) done(change);
    },
  });
}
