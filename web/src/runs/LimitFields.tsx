import { InputNumber } from "antd";
import type { RunLimits } from "../api/client";

interface Props {
  limits: RunLimits;
  onChange: (limits: RunLimits) => void;
}

const FIELDS = [
  { key: "pictures", label: "At most so many pictures", unit: "pictures", factor: 1 },
  { key: "minutes", label: "At most so long", unit: "minutes", factor: 1 },
  { key: "bytes", label: "At most so much on disk", unit: "MB", factor: 1_000_000 },
  { key: "least_saving", label: "Only what saves at least", unit: "KB", factor: 1_000 },
] as const;

/** What a run leaves for later: empty fields limit nothing. */
export function LimitFields({ limits, onChange }: Props) {
  return (
    <fieldset className="run-limits">
      <legend>Limits</legend>
      {FIELDS.map(({ key, label, unit, factor }) => (
        <div key={key}>
          <label htmlFor={`run-${key}`}>{label}</label>
          <span>
            <InputNumber
              id={`run-${key}`}
              min={1}
              max={1_000_000}
              precision={0}
              placeholder="any"
              value={limits[key] == null ? null : Math.round(limits[key] / factor)}
              onChange={(value) => {
                onChange({ ...limits, [key]: value === null ? undefined : value * factor });
              }}
            />
            <span className="soft">{unit}</span>
          </span>
        </div>
      ))}
    </fieldset>
  );
}
