import { InputNumber, Select } from "antd";
import { useState, type ReactNode } from "react";
import type { ByteCap, Format, OutputRule, QualityTarget } from "../api/client";
import { useFormats } from "../api/useEncoders";
import { useLimits } from "../api/useLimits";
import { density, formatName } from "./figures";
import { MultiSelect } from "./MultiSelect";

const UNSAID = "unsaid";

/** A part of a rule, and what stands there where it says nothing. */
interface Part<T> {
  value: T | null | undefined;
  unsaid: string;
  onChange: (value: T | null) => void;
}

/** What of a rule is said in each place: its part, in words, and what says it. */
export interface RulePart {
  part: "formats" | "want" | "cap" | "densities" | "dense_allowance" | "keeps_credit" | "keeps_profile";
  words: string;
  choice: ReactNode;
}

/** The parts of how files are made, with `unsaid` where `rule` says nothing. */
export function rulePartsOf(rule: OutputRule, unsaid: string, set: (part: OutputRule) => void): RulePart[] {
  return [
    {
      part: "formats",
      words: "Formats, the first one first",
      choice: (
        <FormatsChoice
          unsaid={unsaid}
          value={rule.formats}
          onChange={(formats) => {
            set({ formats });
          }}
        />
      ),
    },
    {
      part: "want",
      words: "Quality target",
      choice: (
        <WantChoice
          unsaid={unsaid}
          value={rule.want}
          onChange={(want) => {
            set({ want });
          }}
        />
      ),
    },
    {
      part: "cap",
      words: "At most",
      choice: (
        <CapChoice
          unsaid={unsaid}
          value={rule.cap}
          onChange={(cap) => {
            set({ cap });
          }}
        />
      ),
    },
    {
      part: "densities",
      words: "Densities",
      choice: (
        <DensitiesChoice
          unsaid={unsaid}
          value={rule.densities}
          onChange={(densities) => {
            set({ densities });
          }}
        />
      ),
    },
    {
      part: "dense_allowance",
      words: "On dense screens",
      choice: (
        <DenseChoice
          unsaid={unsaid}
          value={rule.dense_allowance}
          onChange={(dense_allowance) => {
            set({ dense_allowance });
          }}
        />
      ),
    },
    {
      part: "keeps_credit",
      words: "Creator and licence",
      choice: (
        <EitherChoice
          label="Creator and licence"
          words={{ yes: "stay in the file", no: "are left out, as all metadata" }}
          unsaid={unsaid}
          value={rule.keeps_credit}
          onChange={(keeps_credit) => {
            set({ keeps_credit });
          }}
        />
      ),
    },
    {
      part: "keeps_profile",
      words: "Colours",
      choice: (
        <EitherChoice
          label="Colours"
          words={{ yes: "stay in the picture's own profile", no: "brought to sRGB" }}
          unsaid={unsaid}
          value={rule.keeps_profile}
          onChange={(keeps_profile) => {
            set({ keeps_profile });
          }}
        />
      ),
    },
  ];
}

/** The formats, those that only some browsers read first, with a word on who shows what only programs make. */
function FormatsChoice({ value, unsaid, onChange }: Part<Format[]>) {
  const formats = useFormats();
  const rare = formats.filter(({ format, outside }) => outside && value?.includes(format));
  return (
    <>
      <MultiSelect<Format>
        aria-label="Formats"
        placeholder={unsaid}
        value={value ?? []}
        onChange={(formats) => {
          onChange(formats.length > 0 ? formats : null);
        }}
        options={formats.map(({ format, shown_by }) => ({
          value: format,
          label: formatName[format],
          title: shown_by,
        }))}
      />
      {rare.map(({ format, shown_by }) => (
        <span key={format} className="soft">
          {formatName[format]}: {shown_by}
        </span>
      ))}
    </>
  );
}

/** The densities that files are made for. */
function DensitiesChoice({ value, unsaid, onChange }: Part<number[]>) {
  return (
    <MultiSelect<number>
      aria-label="Densities"
      placeholder={unsaid}
      value={value ?? []}
      onChange={(densities) => {
        onChange(densities.length > 0 ? densities.toSorted((a, b) => a - b) : null);
      }}
      options={[1, 1.5, 2, 3].map((value) => ({ value, label: density(value) }))}
    />
  );
}

/** What holds of files that have more pixels than their place has CSS pixels, in words. */
export const denseWords = (points: number) =>
  points === 0 ? "judged as any other" : `up to ${points} points less at their own pixels`;

/** How much less files for dense screens may keep of their own pixels. */
function DenseChoice({ value, unsaid, onChange }: Part<number>) {
  return (
    <Select
      aria-label="On dense screens"
      value={value ?? UNSAID}
      onChange={(points) => {
        onChange(points === UNSAID ? null : Number(points));
      }}
      options={[
        { value: UNSAID, label: unsaid },
        ...[0, 5, 10, 15].map((points) => ({
          value: points,
          label: denseWords(points),
          title: "As it is seen at CSS pixels, each file still has its grade",
        })),
      ]}
    />
  );
}

/** One of two, or nothing. */
export function EitherChoice({
  label,
  words,
  value,
  unsaid,
  onChange,
}: Part<boolean> & { label: string; words: { yes: string; no: string } }) {
  return (
    <Select
      aria-label={label}
      value={value == null ? UNSAID : value ? "yes" : "no"}
      onChange={(next) => {
        onChange(next === UNSAID ? null : next === "yes");
      }}
      options={[
        { value: UNSAID, label: unsaid },
        { value: "yes", label: words.yes },
        { value: "no", label: words.no },
      ]}
    />
  );
}

type HowGood = Extract<QualityTarget, { by: "grade" }>["value"] | "quality" | "lossless" | typeof UNSAID;

/** How good files must be. */
function WantChoice({ value: want, unsaid, onChange }: Part<QualityTarget>) {
  const usualQuality = useLimits().data?.usual_quality ?? 75;
  const now: HowGood = !want ? UNSAID : want.by === "grade" ? want.value : want.by;
  return (
    <div className="rule-part">
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
          { value: UNSAID, label: unsaid },
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

/** The most bytes that a file may have. */
function CapChoice({ value: cap, unsaid, onChange }: Part<ByteCap>) {
  return (
    <div className="rule-part">
      <Select
        aria-label="Byte cap"
        value={cap?.kind ?? UNSAID}
        onChange={(next) => {
          if (next === "at") onChange({ kind: "at", bytes: 100_000 });
          else if (next === "open" || next === "budget") onChange({ kind: next });
          else onChange(null);
        }}
        options={[
          { value: UNSAID, label: unsaid },
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
