import { Button, Input } from "antd";
import { useState } from "react";
import type { IssueKind, FilterBody } from "../api/client";
import { MenuButton } from "../ui/MenuButton";
import { useWidth } from "../ui/useWidth";
import { sameFilter } from "./filters";
import { FilterMenu } from "./ShelfMenu";
import { useSaveFilter, useShelves } from "./useLibrary";

interface Props {
  /** All that narrows the list, the search among it. */
  filter: FilterBody;
  /** The same without the search. */
  own: FilterBody;
  onFilter: (filter: FilterBody) => void;
}

/** Filters in plain words, each with how many pictures it lets through. */
export function FilterBar({ filter, own, onFilter }: Props) {
  const shelves = useShelves();
  const [attach, width] = useWidth();
  const chosen = filter.issues ?? [];
  const toggle = (issue: IssueKind) => {
    const without = chosen.filter((one) => one !== issue);
    onFilter({ ...own, issues: without.length < chosen.length ? without : [...chosen, issue] });
  };
  const offered = shelves.data?.issues.filter(({ issue, pictures }) => pictures > 0 || chosen.includes(issue)) ?? [];
  const saved = shelves.data?.filters.find(({ filter: one }) => sameFilter(one, filter));
  const isFiltered = chosen.length > 0 || Boolean(filter.search) || Boolean(filter.folder);
  if (shelves.isSuccess && offered.length === 0) return null;
  // Those that are chosen stay in sight; the rest of them that do not fit stand in a menu.
  const sorted = offered.toSorted((a, b) => Number(chosen.includes(b.issue)) - Number(chosen.includes(a.issue)));
  const fit = fitting(
    sorted.map(({ words, pictures }) => `${words} ${pictures}`),
    width - (isFiltered ? ROOM_FOR_SAVING : 0),
  );
  const rest = sorted.slice(fit);
  return (
    <div className="bar filters" role="group" aria-label="Filters" ref={attach}>
      <span className="soft">Only</span>
      {sorted.slice(0, fit).map(({ issue, words, pictures }) => (
        <button
          key={issue}
          type="button"
          className="filter-word"
          aria-pressed={chosen.includes(issue)}
          onClick={() => {
            toggle(issue);
          }}
        >
          {words} <span className="figure soft">{pictures.toLocaleString("en")}</span>
        </button>
      ))}
      {rest.length > 0 && (
        <MenuButton
          size="small"
          items={rest.map(({ issue, words, pictures }) => ({
            key: issue,
            label: `${words} (${pictures.toLocaleString("en")})`,
            onClick: () => {
              toggle(issue);
            },
          }))}
        >
          {rest.length} more
        </MenuButton>
      )}
      <span className="gap" />
      {isFiltered && (
        <Button
          size="small"
          onClick={() => {
            onFilter({ ...own, issues: [] });
          }}
          disabled={chosen.length === 0}
          title={chosen.length === 0 ? "No filter of this line is chosen" : undefined}
        >
          Clear
        </Button>
      )}
      {isFiltered && saved && <FilterMenu shelf={{ kind: "filter", id: saved.id, name: saved.name }} />}
      {isFiltered && !saved && <SaveFilter filter={filter} />}
    </div>
  );
}

/** How wide a letter of a filter is about, and what stands around its words, in CSS px. */
const LETTER = 6.2;
const AROUND = 26;
const ROOM_FOR_SAVING = 190;
/** What stands before and after the filters. */
const ENDS = 130;

/** How many of `words` have room in a line that is `width` wide. */
export function fitting(words: string[], width: number) {
  let used = ENDS;
  const last = words.findIndex((one) => {
    used += one.length * LETTER + AROUND;
    return used > width;
  });
  return last < 0 ? words.length : last;
}

function SaveFilter({ filter }: { filter: FilterBody }) {
  const [name, setName] = useState<string>();
  const shelves = useShelves();
  const save = useSaveFilter();
  if (name === undefined)
    return (
      <Button
        onClick={() => {
          setName("");
        }}
      >
        Save this filter…
      </Button>
    );
  return (
    <form
      className="inline-form"
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate(
          { name, filter, seen: shelves.data?.filters.find((one) => one.name === name.trim())?.filter ?? null },
          {
            onSuccess: () => {
              setName(undefined);
            },
          },
        );
      }}
    >
      <Input
        aria-label="Name of the filter"
        placeholder="Its name"
        value={name}
        ref={(field) => {
          field?.focus();
        }}
        onChange={({ target }) => {
          setName(target.value);
        }}
        onKeyDown={({ key }) => {
          if (key === "Escape") setName(undefined);
        }}
      />
      {name.trim() ? (
        <Button htmlType="submit" type="primary" loading={save.isPending}>
          Save
        </Button>
      ) : (
        <Button disabled>Name it first</Button>
      )}
      {save.error && <span role="alert">{save.error.message}</span>}
    </form>
  );
}
