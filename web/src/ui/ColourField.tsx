import { Button, Checkbox, Input } from "antd";
import "./colour.css";

interface ColourProps {
  words: string;
  /** Of what it is a colour, as it is spoken. */
  edit: string;
  value: string;
  /** Whether it can be transparent. */
  clear?: boolean;
  picking?: boolean;
  onPick?: () => void;
  onColour: (colour: string) => void;
}

/** A colour: chosen, typed, taken from a picture, or none at all. */
export function ColourField({ words, edit, value, clear = false, picking = false, onPick, onColour }: ColourProps) {
  const isClear = value === "transparent";
  return (
    <span className="part">
      {words}
      {!isClear && (
        <input
          type="color"
          aria-label={`${edit}: ${words}`}
          value={value}
          onChange={({ target }) => {
            onColour(target.value);
          }}
        />
      )}
      {!isClear && <ColourText edit={edit} words={words} value={value} onColour={onColour} key={value} />}
      {onPick && !isClear && (
        <Button size="small" aria-pressed={picking} title="Take a colour from the picture" onClick={onPick}>
          {picking ? "Click the picture…" : "Pick"}
        </Button>
      )}
      {clear && (
        <Checkbox
          checked={isClear}
          onChange={({ target }) => {
            onColour(target.checked ? "transparent" : "#ffffff");
          }}
        >
          transparent
        </Checkbox>
      )}
    </span>
  );
}

function ColourText({
  edit,
  words,
  value,
  onColour,
}: {
  edit: string;
  words: string;
  value: string;
  onColour: (colour: string) => void;
}) {
  return (
    <Input
      aria-label={`${edit}: ${words} as #rrggbb`}
      size="small"
      className="colour-text"
      defaultValue={value}
      maxLength={7}
      onChange={({ target }) => {
        if (/^#[0-9a-f]{6}$/i.test(target.value)) onColour(target.value.toLowerCase());
      }}
    />
  );
}
