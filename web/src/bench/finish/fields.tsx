import { InputNumber, Select } from "antd";
import type { Edit, EditKind, Figure, Length } from "../../api/client";
import { numberOf } from "../../api/useEditKinds";

export function FigureField({
  figure,
  edit,
  value,
  onTyped,
}: {
  /** Nothing while it is not known yet which values it takes. */
  figure: Figure | undefined;
  edit: string;
  value: number;
  onTyped: (value: number) => void;
}) {
  if (!figure) return null;
  return (
    <label className="part">
      {figure.words}
      <InputNumber
        aria-label={`${edit}: ${figure.words}`}
        size="small"
        className="nudge"
        value={value}
        min={figure.min}
        max={figure.max}
        step={figure.step}
        onChange={(typed) => {
          if (typed !== null) onTyped(typed);
        }}
      />
      <span className="soft">{figure.unit}</span>
    </label>
  );
}

export function LengthField({
  figure,
  edit,
  value,
  onLength,
}: {
  /** Nothing while it is not known yet which values it takes. */
  figure: Figure | undefined;
  edit: string;
  value: Length;
  onLength: (length: Length) => void;
}) {
  if (!figure) return null;
  const { words } = figure;
  return (
    <label className="part">
      {words}
      <InputNumber
        aria-label={`${edit}: ${words}`}
        size="small"
        className="nudge"
        value={value.px}
        min={figure.min}
        max={figure.max}
        step={figure.step}
        onChange={(px) => {
          if (px !== null) onLength({ ...value, px });
        }}
      />
      <Choice
        label={`${edit}: ${words} counts`}
        value={value.of}
        options={[
          ["css", "CSS px"],
          ["picture", "picture px"],
        ]}
        onChange={(of) => {
          onLength({ ...value, of });
        }}
      />
    </label>
  );
}

export function Choice<T extends string | number>({
  label,
  value,
  options,
  onChange,
}: {
  label: string;
  value: T;
  options: [T, string][];
  onChange: (value: T) => void;
}) {
  return (
    <Select
      aria-label={label}
      size="small"
      value={value}
      popupMatchSelectWidth={false}
      options={options.map(([key, words]) => ({ value: key, label: words }))}
      onChange={onChange}
    />
  );
}

type Spot = Extract<Edit, { kind: "text" }>["at"];

interface SpotProps {
  kind: EditKind | undefined;
  edit: string;
  at: Spot;
  onAt: (at: Spot) => void;
}

export function SpotFields({ kind, edit, at, onAt }: SpotProps) {
  const places = (["start", "middle", "end"] as const).flatMap((down) =>
    (["start", "middle", "end"] as const).map((across) => ({ across, down })),
  );
  const words = { start: ["left", "top"], middle: ["middle", "middle"], end: ["right", "bottom"] } as const;
  return (
    <>
      <span className="nine" role="radiogroup" aria-label={`${edit}: place`}>
        {places.map(({ across, down }) => (
          <button
            key={`${across} ${down}`}
            type="button"
            role="radio"
            aria-checked={at.across === across && at.down === down}
            aria-label={`${words[down][1]} ${words[across][0]}`}
            title={`${words[down][1]} ${words[across][0]}`}
            onClick={() => {
              onAt({ ...at, across, down });
            }}
          />
        ))}
      </span>
      <LengthField
        figure={numberOf(kind, "x")}
        edit={edit}
        value={at.x}
        onLength={(x) => {
          onAt({ ...at, x });
        }}
      />
      <LengthField
        figure={numberOf(kind, "y")}
        edit={edit}
        value={at.y}
        onLength={(y) => {
          onAt({ ...at, y });
        }}
      />
    </>
  );
}
