import type { ByteCap, EffectiveRule, RuleLevel, ChoiceOutcome, QualityTarget } from "../../api/client";
import { bytes, formatName } from "../../ui/figures";

export const LEVELS: Record<RuleLevel, string> = {
  usual: "by default",
  site: "by the site's rule",
  slot: "by the slot's rule",
  picture: "by the picture's rule",
};

export function wantWords(want: QualityTarget) {
  if (want.by === "grade") return `grade ${want.value}`;
  if (want.by === "quality") return `quality ${want.value}`;
  return "lossless";
}

export function capWords(cap: ByteCap) {
  return cap.kind === "at" ? bytes(cap.bytes) : cap.kind === "budget" ? "the slot's budget" : "any weight";
}

/** Which rule holds, and who decided each part of it. */
export function ruleWords({
  settled,
  decision,
  profile,
}: {
  settled: string[];
  decision: EffectiveRule;
  profile?: string | null;
}) {
  const { formats, want, cap, excluded } = decision;
  if (excluded.value) return `No file is made of it, ${LEVELS[excluded.by]}.`;
  const parts = [
    `${formats.value.map((format) => formatName[format]).join(", ")} ${LEVELS[formats.by]}`,
    `${wantWords(want.value)} ${LEVELS[want.by]}`,
  ];
  if (settled.length > 0) parts.push(`${settled.join(", ")} ${LEVELS[decision.settled.by]}`);
  if (cap.value.kind === "at") parts.push(`at most ${bytes(cap.value.bytes)} ${LEVELS[cap.by]}`);
  if (profile) parts.push(`colours of ${profile} ${LEVELS[decision.keeps_profile.by]}`);
  if (cap.value.kind === "budget") parts.push(`at most the budget ${LEVELS[cap.by]}`);
  return `${parts.join("; ")}.`;
}

/** What a search could not do; nothing where it did all. */
export function outcomeWords(outcome: ChoiceOutcome, format: string) {
  switch (outcome.kind) {
    case "met":
      return undefined;
    case "short":
      return `${format} cannot reach ${outcome.target}: this is the best there is.`;
    case "capped":
      return `${format} stays below ${outcome.target} under the byte cap.`;
    case "over-cap":
      return `${format} cannot be as light as ${bytes(outcome.cap)}: this is the smallest.`;
  }
}
