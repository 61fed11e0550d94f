import { Button, Checkbox, Input } from "antd";
import { useState } from "react";
import type { PictureFields, Which } from "../api/client";
import { useSite } from "../api/useSite";
import { count } from "../ui/figures";
import { ProblemNote } from "../ui/ProblemNote";
import { SideSheet } from "../ui/SideSheet";
import { useDescribe, useDescribeAll, useNames } from "./useLibrary";

const FIELDS = [
  ["title", "Title"],
  ["alt", "Alt text"],
  ["caption", "Caption"],
  ["creator", "Creator"],
  ["licence", "Licence"],
  ["source", "Source link"],
  ["folder", "Folder"],
] as const;

/** `fields` with `value`, or without that field. */
function withField<K extends keyof PictureFields>(
  fields: PictureFields,
  field: K,
  value: PictureFields[K] | undefined,
) {
  const kept = Object.entries(fields).filter(([name]) => name !== field);
  return Object.fromEntries(value == null ? kept : [...kept, [field, value]]) as PictureFields;
}

interface Props {
  which: Which | undefined;
  pictures: number;
  onClose: () => void;
}

/** The same words for all that is selected, what their files tell, and names by the pattern. */
export function DescribeSheet({ which, pictures, onClose }: Props) {
  return (
    <SideSheet title={`Describe ${count(pictures, "picture")}`} open={which !== undefined} onClose={onClose}>
      {which && (
        <>
          <SameWords which={which} onDone={onClose} />
          <Names key={JSON.stringify(which)} which={which} />
        </>
      )}
    </SideSheet>
  );
}

function SameWords({ which, onDone }: { which: Which; onDone: () => void }) {
  const [set, setSet] = useState<PictureFields>({});
  const [fromFile, setFromFile] = useState(false);
  const describe = useDescribeAll();
  const empty = Object.keys(set).length === 0 && !fromFile;
  return (
    <form
      className="add-slot"
      onSubmit={(event) => {
        event.preventDefault();
        describe.mutate({ which, set, from_file: fromFile }, { onSuccess: onDone });
      }}
    >
      <span className="soft">What is left empty here stays as it is.</span>
      {FIELDS.map(([field, label]) => (
        <div key={field} className="field">
          <label htmlFor={`all-${field}`}>{label}</label>
          <Input
            id={`all-${field}`}
            value={set[field] ?? ""}
            onChange={({ target }) => {
              setSet(withField(set, field, target.value || undefined));
            }}
          />
        </div>
      ))}
      <Checkbox
        checked={set.decorative ?? false}
        onChange={({ target }) => {
          setSet(withField(set, "decorative", target.checked || undefined));
        }}
      >
        Decorative (empty alt text)
      </Checkbox>
      <Checkbox
        checked={set.is_public ?? false}
        onChange={({ target }) => {
          setSet(withField(set, "is_public", target.checked || undefined));
        }}
      >
        Public: whoever has an address of one may fetch its files
      </Checkbox>
      <Checkbox
        checked={fromFile}
        onChange={({ target }) => {
          setFromFile(target.checked);
        }}
      >
        Fill what is empty from what each file tells, and alt texts from the pages
      </Checkbox>
      {empty ? (
        <Button disabled>Write something to be set</Button>
      ) : (
        <Button type="primary" htmlType="submit" loading={describe.isPending}>
          Apply to all
        </Button>
      )}
      {describe.error && <ProblemNote error={describe.error} />}
    </form>
  );
}

function Names({ which }: { which: Which }) {
  const site = useSite();
  const names = useNames();
  const describe = useDescribe();
  const changed = (names.data ?? []).filter(({ now, proposed }) => now !== proposed);
  return (
    <section className="sheet-part">
      <h2>File names</h2>
      <span className="soft">
        By the site’s pattern <span className="figure">{site.data?.name_pattern}</span>
      </span>
      <Button
        onClick={() => {
          names.mutate(which);
        }}
        loading={names.isPending}
      >
        Propose names
      </Button>
      {names.error && <ProblemNote error={names.error} />}
      {names.data && changed.length === 0 && <span>All of them are named so already.</span>}
      {changed.length > 0 && (
        <>
          <ul className="name-list">
            {changed.slice(0, 60).map(({ id, now, proposed }) => (
              <li key={id}>
                <bdi className="soft">{now}</bdi> → <bdi>{proposed}</bdi>
              </li>
            ))}
          </ul>
          {changed.length > 60 && <span className="soft">and {changed.length - 60} more</span>}
          <Button
            type="primary"
            loading={describe.isPending}
            onClick={() => {
              describe.mutate(Object.fromEntries(changed.map(({ id, proposed }) => [id, { name: proposed }])), {
                onSuccess: () => {
                  names.reset();
                },
              });
            }}
          >
            Rename {count(changed.length, "picture")}
          </Button>
        </>
      )}
    </section>
  );
}
