import type { FilterBody } from "../api/client";
import { normal, sameFilter } from "./filters";
import { useShelves } from "./useLibrary";

/** A part of the library that one can go to. */
export interface Part {
  key: string;
  words: string;
  filter: FilterBody;
  pictures?: number;
}

/** Parts under a heading; the first ones stand under none. */
export interface PartGroup {
  name: string | undefined;
  parts: Part[];
}

const ALL: Part = { key: "all", words: "All pictures", filter: {} };

/** The parts of the library, and which of them `filter` shows, whatever else it asks for. */
export function useParts(filter: FilterBody): { groups: PartGroup[]; here: Part } {
  const { folders = [], collections = [], filters = [], removed = 0 } = useShelves().data ?? {};
  const saved = filters.map(({ id, name, filter }) => ({ key: `filter:${id}`, words: name, filter: normal(filter) }));
  const shelves: PartGroup[] = [
    {
      name: undefined,
      parts: [ALL, { key: "removed", words: "Removed", filter: { removed: true }, pictures: removed }],
    },
    {
      name: "Collections",
      parts: collections.map(({ id, name, pictures }) => ({
        key: `collection:${id}`,
        words: name,
        filter: { collection: id },
        pictures,
      })),
    },
    {
      name: "Folders",
      parts: folders.map(({ path, pictures }) => ({
        key: `folder:${path}`,
        words: path,
        filter: { folder: path },
        pictures,
      })),
    },
  ];
  const [first, ...rest] = shelves;
  const groups = [first, { name: "Saved filters", parts: saved }, ...rest].filter((group) => group !== undefined);
  const here =
    saved.find((part) => sameFilter(part.filter, filter)) ??
    shelves.flatMap(({ parts }) => parts).find((part) => sameFilter(part.filter, shelfOf(filter))) ??
    ALL;
  return { groups: groups.filter(({ parts }) => parts.length > 0), here };
}

/** The part of the library that a filter is in. */
const shelfOf = ({ folder, collection, removed }: FilterBody): FilterBody =>
  normal({ ...(folder && { folder }), ...(collection && { collection }), ...(removed && { removed }) });
