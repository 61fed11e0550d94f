import { Segmented } from "antd";
import type { OutputRule } from "../api/client";
import { CapChoice, COLOURS, CREDIT, DensitiesChoice, EitherChoice, FormatsChoice, WantChoice } from "../ui/RuleParts";

interface Props {
  /** What was chosen for the run; nothing where the rules stay as they are. */
  rule: OutputRule | undefined;
  onChange: (rule: OutputRule | undefined) => void;
}

const UNSAID = "as it is";

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
            <dt>Formats, the first one first</dt>
            <dd>
              <FormatsChoice
                unsaid={UNSAID}
                value={rule.formats}
                onChange={(formats) => {
                  set({ formats });
                }}
              />
            </dd>
            <dt>Quality target</dt>
            <dd>
              <WantChoice
                unsaid={UNSAID}
                value={rule.want}
                onChange={(want) => {
                  set({ want });
                }}
              />
            </dd>
            <dt>At most</dt>
            <dd>
              <CapChoice
                unsaid={UNSAID}
                value={rule.cap}
                onChange={(cap) => {
                  set({ cap });
                }}
              />
            </dd>
            <dt>Densities</dt>
            <dd>
              <DensitiesChoice
                unsaid={UNSAID}
                value={rule.densities}
                onChange={(densities) => {
                  set({ densities });
                }}
              />
            </dd>
            <dt>Creator and licence</dt>
            <dd>
              <EitherChoice
                label="Creator and licence"
                words={CREDIT}
                unsaid={UNSAID}
                value={rule.keeps_credit}
                onChange={(keeps_credit) => {
                  set({ keeps_credit });
                }}
              />
            </dd>
            <dt>Colours</dt>
            <dd>
              <EitherChoice
                label="Colours"
                words={COLOURS}
                unsaid={UNSAID}
                value={rule.keeps_profile}
                onChange={(keeps_profile) => {
                  set({ keeps_profile });
                }}
              />
            </dd>
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
