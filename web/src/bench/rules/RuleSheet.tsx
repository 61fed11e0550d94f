import { Button, Input, Segmented } from "antd";
import { useState, type ReactNode } from "react";
import type { EffectiveRule, Format, OutputRule } from "../../api/client";
import { density, formatName } from "../../ui/figures";
import { ProblemNote } from "../../ui/ProblemNote";
import { denseWords, EitherChoice, rulePartsOf, type RulePart } from "../../ui/RuleParts";
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
              say.mutate({ rule: next, seen: rule.data });
            }}
          />
        )}
      </div>
    </SideSheet>
  );
}

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
  const settled = Object.values(rule.settled ?? {});
  const [pattern, setPattern] = useState(rule.name_pattern ?? "");
  return (
    <dl className="rule-form">
      <Part
        words="Files"
        holds={decision && (decision.excluded.value ? "not made" : "made")}
        by={decision?.excluded.by}
      >
        <EitherChoice
          label="Whether files are made"
          words={{ yes: "are not made: excluded", no: "are made" }}
          unsaid="inherited"
          value={rule.excluded}
          onChange={(excluded) => {
            set({ excluded });
          }}
        />
      </Part>
      {rulePartsOf(rule, "inherited", set).map(({ part, words, choice }) => (
        <Part key={part} words={words} holds={decision && holding(decision)[part]} by={decision?.[part].by}>
          {choice}
        </Part>
      ))}
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

/** What holds of each part of a rule, in words. */
const holding = (decision: EffectiveRule): Record<RulePart["part"], string> => ({
  formats: decision.formats.value.map((format) => formatName[format]).join(", "),
  want: wantWords(decision.want.value),
  cap: capWords(decision.cap.value),
  densities: decision.densities.value?.map(density).join(", ") ?? "the slot's own",
  dense_allowance: denseWords(decision.dense_allowance.value),
  keeps_credit: decision.keeps_credit.value ? "stay" : "left out",
  keeps_profile: decision.keeps_profile.value ? "the picture's own profile" : "sRGB",
});

function encodingWords(encoding: NonNullable<OutputRule["settled"]>[string]) {
  if (encoding.format === "outside") {
    const { makes, quality } = encoding.quality;
    return `${formatName[makes]} ${quality ?? "without loss"}`;
  }
  const name = formatName[encoding.format.split("-")[0] as Format];
  switch (encoding.format) {
    case "png-palette":
    case "webp-palette": {
      const palette = encoding.quality;
      return typeof palette === "number"
        ? `${name}, ${palette} colours, dithered`
        : `${name}, ${palette.plain} colours`;
    }
    case "webp-lossless":
      return `${name} without loss`;
    case "avif-full-chroma":
      return `${name} ${encoding.quality}, 4:4:4`;
    case "png":
    case "gif":
      return name;
    default:
      return `${name} ${encoding.quality}`;
  }
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
