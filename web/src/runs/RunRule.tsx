import { Segmented } from "antd";
import { Fragment } from "react";
import type { OutputRule } from "../api/client";
import { rulePartsOf } from "../ui/RuleParts";

interface Props {
  /** What was chosen for the run; nothing where the rules stay as they are. */
  rule: OutputRule | undefined;
  onChange: (rule: OutputRule | undefined) => void;
}

/** How the files of a run are made: by the rules as they are, or by one that is chosen for it. */
export function RunRule({ rule, onChange }: Props) {
  const set = (part: OutputRule) => {
    onChange({ ...rule, ...part });
  };
  return (
    <fieldset className="run-rule">
      <legend>Rule</legend>
      <Segmented
        aria-label="By which rule"
        value={rule ? "own" : "site"}
        options={[
          { value: "site", label: "The rules as they are" },
          { value: "own", label: "One for this run" },
        ]}
        onChange={(which) => {
          onChange(which === "own" ? {} : undefined);
        }}
      />
      {rule && (
        <>
          <dl>
            {rulePartsOf(rule, "as it is", set).map(({ part, words, choice }) => (
              <Fragment key={part}>
                <dt>{words}</dt>
                <dd>{choice}</dd>
              </Fragment>
            ))}
          </dl>
          <span className="soft">
            It becomes part of each picture’s own rule, wherever that is shown. Taking the run back undoes that, too.
          </span>
        </>
      )}
    </fieldset>
  );
}

/** Whether a rule was chosen that says nothing. */
export const saysNothing = (rule: OutputRule | undefined) =>
  rule !== undefined && Object.values(rule).every((part) => part == null);
