import { Button, Input, InputNumber, Segmented, Select } from "antd";
import { useState, type ReactNode } from "react";
import type { ByteCap, EffectiveRule, Format, OutputRule, QualityTarget } from "../../api/client";
import { density, formatName } from "../../ui/figures";
import { useLimits } from "../../api/useLimits";
import { ProblemNote } from "../../ui/ProblemNote";
import { MultiSelect } from "../../ui/MultiSelect";
import { SideSheet } from "../../ui/SideSheet";
import { capWords, LEVELS, wantWords } from "../trials/words";
import { useDecision, useRule, useSayRule, type RuleOf } from "./useRule";
import "./rules.css";

interface Props {
  picture: { id: string; name: string };
  slot: { id: string; name: string } | undefined;
  open: boolean;
  onClose: () => void;
}

type At = "site" | "slot" | "picture";

/** How files are made: what the site, the slot and the picture say. The nearest decides. */
export function RuleSheet({ picture, slot, open, onClose }: Props) {
  const [at, setAt] = useState<At>("picture");
  const level = at === "slot" && !slot ? "picture" : at;
  const of: RuleOf = level === "picture" ? { picture: picture.id } : level === "slot" && slot ? { slot: slot.id } : {};
  const whose = level === "picture" ? picture.name : level === "slot" && slot ? `the slot ${slot.name}` : "the site";
  const rule = useRule(of, open);
  const say = useSayRule(of, whose);
  const decision = useDecision(picture.id, slot?.id, open);
  const error = rule.error ?? say.error;
  return (
    <SideSheet title="Output rules" open={open} onClose={onClose} width={440}>
      <div className="rule-sheet">
        <Segmented
          aria-label="Whose rule"
          value={level}
          onChange={setAt}
          options={[
            { value: "site", label: "Site" },
            {
              value: "slot",
              label: slot ? slot.name : "Slot",
              disabled: !slot,
              ...(!slot && { title: "Choose a slot on the Encode step first" }),
            },
            { value: "picture", label: "This picture" },
          ]}
        />
        <p className="soft">
          What is not set here is inherited: the picture’s rule comes before the slot’s, and the slot’s before the
          site’s.
        </p>
        {error && <ProblemNote error={error} />}
        {rule.data && (
          <RuleForm
            key={JSON.stringify([of, rule.data])}
            rule={rule.data}
            decision={decision.data}
            onSay={(next) => {
              say.mutate(next);
            }}
          />
        )}
      </div>
    </SideSheet>
  );
}

const UNSAID = "unsaid";

function RuleForm({
  rule,
  decision,
  onSay,
}: {
  rule: OutputRule;
  decision: EffectiveRule | undefined;
  onSay: (rule: OutputRule) => void;
}) {
  const set = (part: Partial<OutputRule>) => {
    onSay({ ...rule, ...part });
  };
  const yesNo = (value: boolean | null | undefined) =>
    value === null || value === undefined ? UNSAID : value ? "yes" : "no";
  const said = (value: string) => (value === UNSAID ? null : value === "yes");
  const settled = Object.values(rule.settled ?? {});
  const [pattern, setPattern] = useState(rule.name_pattern ?? "");
  return (
    <dl className="rule-form">
      <Part
        words="Files"
        holds={decision && (decision.excluded.value ? "not made" : "made")}
        by={decision?.excluded.by}
      >
        <Select
          aria-label="Whether files are made"
          value={yesNo(rule.excluded)}
          onChange={(value) => {
            set({ excluded: said(value) });
          }}
          options={[
            { value: UNSAID, label: "inherited" },
            { value: "no", label: "are made" },
            { value: "yes", label: "are not made: excluded" },
          ]}
        />
      </Part>
      <Part
        words="Formats, the first one first"
        holds={decision?.formats.value.map((format) => formatName[format]).join(", ")}
        by={decision?.formats.by}
      >
        <MultiSelect<Format>
          aria-label="Formats"
          placeholder="inherited"
          value={rule.formats ?? []}
          onChange={(formats) => {
            set({ formats: formats.length > 0 ? formats : null });
          }}
          options={(["avif", "webp", "jpeg", "png", "gif"] as const).map((format) => ({
            value: format,
            label: formatName[format],
          }))}
        />
      </Part>
      <Part words="Quality target" holds={decision && wantWords(decision.want.value)} by={decision?.want.by}>
        <WantChoice
          want={rule.want}
          onChange={(want) => {
            set({ want });
          }}
        />
      </Part>
      <Part words="At most" holds={decision && capWords(decision.cap.value)} by={decision?.cap.by}>
        <CapChoice
          cap={rule.cap}
          onChange={(cap) => {
            set({ cap });
          }}
        />
      </Part>
      <Part
        words="Densities"
        holds={decision && (decision.densities.value?.map(density).join(", ") ?? "the slot's own")}
        by={decision?.densities.by}
      >
        <MultiSelect<number>
          aria-label="Densities"
          placeholder="inherited: the slot's own"
          value={rule.densities ?? []}
          onChange={(densities) => {
            set({ densities: densities.length > 0 ? densities.toSorted((a, b) => a - b) : null });
          }}
          options={[1, 1.5, 2, 3].map((value) => ({ value, label: density(value) }))}
        />
      </Part>
      <Part
        words="Creator and licence"
        holds={decision && (decision.keeps_credit.value ? "stay" : "left out")}
        by={decision?.keeps_credit.by}
      >
        <Select
          aria-label="Creator and licence"
          value={yesNo(rule.keeps_credit)}
          onChange={(value) => {
            set({ keeps_credit: said(value) });
          }}
          options={[
            { value: UNSAID, label: "inherited" },
            { value: "yes", label: "stay in the file" },
            { value: "no", label: "are left out, as all metadata" },
          ]}
        />
      </Part>
      <Part
        words="Colours"
        holds={decision && (decision.keeps_profile.value ? "the picture's own profile" : "sRGB")}
        by={decision?.keeps_profile.by}
      >
        <Select
          aria-label="Colours"
          value={yesNo(rule.keeps_profile)}
          onChange={(value) => {
            set({ keeps_profile: said(value) });
          }}
          options={[
            { value: UNSAID, label: "inherited" },
            { value: "no", label: "brought to sRGB" },
            { value: "yes", label: "stay in the picture's own profile" },
          ]}
        />
      </Part>
      <Part
        words="File names"
        holds={decision && (decision.name_pattern.value ?? "the site's pattern")}
        by={decision?.name_pattern.by}
      >
        <Input
          aria-label="Pattern of file names"
          placeholder="inherited: {title}-{slot}-{width}x{height}"
          value={pattern}
          onChange={(event) => {
            setPattern(event.target.value);
          }}
          onPressEnter={(event) => {
            event.currentTarget.blur();
          }}
          onBlur={() => {
            if (pattern !== (rule.name_pattern ?? ""))
              set({ name_pattern: pattern.trim() === "" ? null : pattern.trim() });
          }}
        />
      </Part>
      {settled.length > 0 && (
        <Part words="Chosen by eye" by={decision?.settled.by}>
          <ul className="settled">
            {settled.map((encoding) => (
              <li key={encoding.format}>
                <span>{encodingWords(encoding)}</span>
                <Button
                  size="small"
                  onClick={() => {
                    const rest = Object.fromEntries(
                      Object.entries(rule.settled ?? {}).filter(([, one]) => one !== encoding),
                    );
                    set({ settled: Object.keys(rest).length > 0 ? rest : null });
                  }}
                >
                  Delete
                </Button>
              </li>
            ))}
          </ul>
        </Part>
      )}
    </dl>
  );
}

function encodingWords(encoding: NonNullable<OutputRule["settled"]>[string]) {
  const format = encoding.format.split("-")[0] as Format;
  return `${formatName[format]}${"quality" in encoding ? ` ${encoding.quality}` : ""}`;
}

/** One part of the rule, what holds now, and who decides it. */
function Part({
  words,
  holds,
  by,
  children,
}: {
  words: string;
  holds?: string | undefined;
  by: EffectiveRule["want"]["by"] | undefined;
  children: ReactNode;
}) {
  return (
    <>
      <dt>
        {words}
        {by && (
          <span className="soft">
            {" "}
            {holds && <>now {holds}, </>}
            {LEVELS[by]}
          </span>
        )}
      </dt>
      <dd>{children}</dd>
    </>
  );
}

type HowGood = Extract<QualityTarget, { by: "grade" }>["value"] | "quality" | "lossless" | typeof UNSAID;

function WantChoice({
  want,
  onChange,
}: {
  want: QualityTarget | null | undefined;
  onChange: (want: QualityTarget | null) => void;
}) {
  const usualQuality = useLimits().data?.usual_quality ?? 75;
  const now: HowGood = !want ? UNSAID : want.by === "grade" ? want.value : want.by;
  return (
    <div className="row">
      <Select<HowGood>
        aria-label="Quality target"
        value={now}
        onChange={(next) => {
          if (next === UNSAID) onChange(null);
          else if (next === "lossless") onChange({ by: "lossless" });
          else if (next === "quality") onChange({ by: "quality", value: usualQuality });
          else onChange({ by: "grade", value: next });
        }}
        options={[
          { value: UNSAID, label: "inherited" },
          { value: "fine", label: "grade fine" },
          { value: "good", label: "grade good" },
          { value: "lean", label: "grade lean" },
          { value: "quality", label: "a fixed quality" },
          { value: "lossless", label: "lossless, verified" },
        ]}
      />
      {want?.by === "quality" && (
        <Typed
          label="Quality"
          least={1}
          most={100}
          value={want.value}
          onTyped={(value) => {
            onChange({ by: "quality", value });
          }}
        />
      )}
    </div>
  );
}

function CapChoice({ cap, onChange }: { cap: ByteCap | null | undefined; onChange: (cap: ByteCap | null) => void }) {
  return (
    <div className="row">
      <Select
        aria-label="Byte cap"
        value={cap?.kind ?? UNSAID}
        onChange={(next) => {
          if (next === "at") onChange({ kind: "at", bytes: 100_000 });
          else if (next === "open" || next === "budget") onChange({ kind: next });
          else onChange(null);
        }}
        options={[
          { value: UNSAID, label: "inherited" },
          { value: "open", label: "any weight" },
          { value: "budget", label: "the slot's budget" },
          { value: "at", label: "Max KB" },
        ]}
      />
      {cap?.kind === "at" && (
        <Typed
          label="Kilobytes at most"
          least={0.1}
          most={1_000_000}
          value={cap.bytes / 1_000}
          onTyped={(kb) => {
            onChange({ kind: "at", bytes: Math.round(kb * 1_000) });
          }}
        />
      )}
    </div>
  );
}

/** A number that counts once it is typed to its end. */
function Typed({
  label,
  least,
  most,
  value,
  onTyped,
}: {
  label: string;
  least: number;
  most: number;
  value: number;
  onTyped: (value: number) => void;
}) {
  const [typed, setTyped] = useState<number | null>(value);
  const done = () => {
    if (typed !== null && typed !== value) onTyped(typed);
  };
  return (
    <InputNumber
      aria-label={label}
      min={least}
      max={most}
      value={typed}
      onChange={setTyped}
      onBlur={done}
      onPressEnter={done}
    />
  );
}
