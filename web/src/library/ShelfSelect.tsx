import { Select } from "antd";
import type { FilterBody } from "../api/client";
import { normal, sameFilter } from "./filters";
import { useShelves } from "./useLibrary";

interface Props {
  filter: FilterBody;
  onFilter: (filter: FilterBody) => void;
}

/** The part of the library that is in view: all, a saved filter, a folder, a collection, or what was removed. */
export function ShelfSelect({ filter, onFilter }: Props) {
  const shelves = useShelves();
  const { folders = [], collections = [], filters = [], removed = 0 } = shelves.data ?? {};
  const counted = (name: string, pictures: number) => `${name} (${pictures})`;
  const options = [
    { value: "all", label: "The whole library" },
    { value: "removed", label: counted("Removed", removed) },
    { label: "Saved filters", options: filters.map(({ id, name }) => ({ value: `filter:${id}`, label: name })) },
    {
      label: "Collections",
      options: collections.map(({ id, name, pictures }) => ({
        value: `collection:${id}`,
        label: counted(name, pictures),
      })),
    },
    {
      label: "Folders",
      options: folders.map(({ path, pictures }) => ({ value: `folder:${path}`, label: counted(path, pictures) })),
    },
  ].filter((group) => group.options === undefined || group.options.length > 0);
  const saved = filters.find((one) => sameFilter(one.filter, filter));
  const value = filter.removed
    ? "removed"
    : saved
      ? `filter:${saved.id}`
      : filter.collection
        ? `collection:${filter.collection}`
        : filter.folder
          ? `folder:${filter.folder}`
          : "all";
  const choose = (next: string) => {
    const [kind, ...rest] = next.split(":");
    const key = rest.join(":");
    if (kind === "filter") onFilter(normal(filters.find(({ id }) => id === key)?.filter ?? {}));
    else if (kind === "collection") onFilter({ collection: key });
    else if (kind === "folder") onFilter({ folder: key });
    else onFilter(kind === "removed" ? { removed: true } : {});
  };
  return (
    <Select
      aria-label="Part of the library"
      showSearch={{ optionFilterProp: "label" }}
      className="shelf-select"
      value={value}
      onChange={choose}
      options={options}
    />
  );
}
