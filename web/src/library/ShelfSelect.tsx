import { Select } from "antd";
import type { FilterBody } from "../api/client";
import { useParts, type Part } from "./useParts";

interface Props {
  filter: FilterBody;
  onFilter: (filter: FilterBody) => void;
}

/** The part of the library that is in view, where the window has no room for their list. */
export function ShelfSelect({ filter, onFilter }: Props) {
  const { groups, here } = useParts(filter);
  const option = ({ key, words, pictures }: Part) => ({
    value: key,
    label: pictures === undefined ? words : `${words} (${pictures.toLocaleString("en")})`,
  });
  type Option = ReturnType<typeof option>;
  const options = groups.flatMap<Option | { label: string; options: Option[] }>(({ name, parts }) =>
    name === undefined ? parts.map(option) : [{ label: name, options: parts.map(option) }],
  );
  return (
    <Select
      aria-label="Part of the library"
      showSearch={{ optionFilterProp: "label" }}
      className="shelf-select"
      value={here.key}
      onChange={(next: string) => {
        const part = groups.flatMap(({ parts }) => parts).find(({ key }) => key === next);
        if (part) onFilter(part.filter);
      }}
      options={options}
    />
  );
}
