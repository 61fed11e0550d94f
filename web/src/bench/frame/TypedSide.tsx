import { InputNumber } from "antd";
import { useState } from "react";

export const SIDES = ["x", "y", "width", "height"] as const;
export type Side = (typeof SIDES)[number];
const WORDS: Record<Side, string> = { x: "from the left", y: "from the top", width: "wide", height: "high" };
const LETTERS: Record<Side, string> = { x: "x", y: "y", width: "w", height: "h" };

interface Props {
  /** Of what it is a side, as it is spoken. */
  of: string;
  side: Side;
  value: number;
  onTyped: (value: number) => void;
}

/** One figure of a rectangle, which holds once it is left or confirmed. */
export function TypedSide({ of, side, value, onTyped }: Props) {
  const [typed, setTyped] = useState<number | null>(value);
  const keep = () => {
    if (typed !== null && typed !== value) onTyped(typed);
  };
  return (
    <label className="part">
      {LETTERS[side]}
      <InputNumber
        aria-label={`${of}, px ${WORDS[side]}`}
        size="small"
        className="short"
        controls={false}
        min={side === "x" || side === "y" ? 0 : 1}
        precision={0}
        value={typed}
        onChange={setTyped}
        onBlur={keep}
        onPressEnter={(event) => {
          // What was typed holds first; Enter once more is for the form.
          if (typed !== value) event.preventDefault();
          keep();
        }}
      />
    </label>
  );
}
