import { Button, Input, Select } from "antd";
import { useState } from "react";
import type { Site, ImportAction } from "../api/client";
import { useSeen } from "../api/useSeen";
import { useChangeSite } from "../api/useSite";
import { useSizeSets } from "../api/useSizeSets";
import { ProblemNote } from "../ui/ProblemNote";

const chosen = (import_action: ImportAction) =>
  import_action.do === "size-set" ? `set:${import_action.name}` : import_action.do;

const read = (value: string): ImportAction =>
  value === "list" || value === "slots" ? { do: value } : { do: "size-set", name: value.slice(4) };

/** What holds for every picture of the site: what happens when it arrives, how it is named, how long it is kept. */
export function PictureRules({ site }: { site: Site }) {
  const [import_action, setTreatment] = useState(chosen(site.import_action));
  const [ceiling, setCeiling] = useState(String(site.ceiling));
  const [pattern, setPattern] = useState(site.name_pattern);
  const [initials, setInitials] = useState(site.initials);
  const [days, setDays] = useState(String(site.keep_days));
  const sets = useSizeSets();
  const change = useChangeSite();
  const { import_action: action, ceiling: side, name_pattern, initials: letters, keep_days } = useSeen(site, change);
  const seen = { import_action: action, ceiling: side, name_pattern, initials: letters, keep_days };
  const options = [
    { value: "list", label: "Only list them" },
    { value: "slots", label: "Make the files of their slots" },
    ...(sets.data ?? []).map(({ name }) => ({ value: `set:${name}`, label: `Make the sizes “${name}”` })),
  ];
  return (
    <form
      className="add-slot sheet-rules"
      onSubmit={(event) => {
        event.preventDefault();
        change.mutate({
          import_action: read(import_action),
          ceiling: Number(ceiling) || 0,
          name_pattern: pattern,
          initials,
          keep_days: Number(days) || 0,
          seen,
        });
      }}
    >
      <h2>Pictures of this site</h2>
      <label htmlFor="rule-import-action">When pictures arrive, by upload or in the site’s folder</label>
      <Select
        id="rule-import-action"
        aria-label="When pictures arrive"
        value={import_action}
        onChange={setTreatment}
        options={options}
      />
      <label htmlFor="rule-ceiling">Longest side in pixels, where no slot needs more</label>
      <Input
        id="rule-ceiling"
        className="figure"
        inputMode="numeric"
        value={ceiling}
        onChange={({ target }) => {
          setCeiling(target.value);
        }}
      />
      <span className="soft">The original is always kept as it is.</span>
      <label htmlFor="rule-pattern">Pattern of file names</label>
      <Input
        id="rule-pattern"
        className="figure"
        value={pattern}
        onChange={({ target }) => {
          setPattern(target.value);
        }}
      />
      <span className="soft">Parts: {"{title} {slot} {width} {height} {date} {initials} {number}"}</span>
      <label htmlFor="rule-initials">Initials in names; empty for the creator’s</label>
      <Input
        id="rule-initials"
        value={initials}
        onChange={({ target }) => {
          setInitials(target.value);
        }}
      />
      <label htmlFor="rule-days">Days for which a removed picture can be restored</label>
      <Input
        id="rule-days"
        className="figure"
        inputMode="numeric"
        value={days}
        onChange={({ target }) => {
          setDays(target.value);
        }}
      />
      <Button htmlType="submit" type="primary" loading={change.isPending}>
        Save rules
      </Button>
      {change.isSuccess && <span role="status">Saved.</span>}
      {change.error && <ProblemNote error={change.error} />}
    </form>
  );
}
