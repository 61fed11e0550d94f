import { Button, Input } from "antd";
import { useState } from "react";
import type { IssueKind, FilterBody } from "../api/client";
import { sameFilter } from "./filters";
import { useForgetFilter, useSaveFilter, useShelves } from "./useLibrary";

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
  const chosen = filter.issues ?? [];
  const toggle = (issue: IssueKind) => {
    const without = chosen.filter((one) => one !== issue);
    onFilter({ ...own, issues: without.length < chosen.length ? without : [...chosen, issue] });
  };
  const offered = shelves.data?.issues.filter(({ issue, pictures }) => pictures > 0 || chosen.includes(issue)) ?? [];
  const saved = shelves.data?.filters.find(({ filter: one }) => sameFilter(one, own));
  const isFiltered = chosen.length > 0 || Boolean(filter.search) || Boolean(filter.folder);
  if (offered.length === 0) return null;
  return (
    <div className="bar filters" role="group" aria-label="Filters">
      <span className="soft">Only</span>
      {offered.map(({ issue, words, pictures }) => (
        <button
          key={issue}
          type="button"
          className="filter-word"
          aria-pressed={chosen.includes(issue)}
          onClick={() => {
            toggle(issue);
          }}
        >
          {words} <span className="figure soft">{pictures}</span>
        </button>
      ))}
      <span className="gap" />
      {isFiltered && saved && <ForgetFilter id={saved.id} name={saved.name} />}
      {isFiltered && !saved && <SaveFilter filter={filter} />}
    </div>
  );
}

function ForgetFilter({ id, name }: { id: string; name: string }) {
  const forget = useForgetFilter();
  return (
    <Button
      loading={forget.isPending}
      onClick={() => {
        forget.mutate(id);
      }}
    >
      Forget “{name}”
    </Button>
  );
}

function SaveFilter({ filter }: { filter: FilterBody }) {
  const [name, setName] = useState<string>();
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
          { name, filter },
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
