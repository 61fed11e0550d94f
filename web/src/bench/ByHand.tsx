import { Button, InputNumber, Select } from "antd";
import { useState } from "react";
import type { Picture } from "../api/client";
import { useFormats } from "../api/useEncoders";
import { formatName } from "../ui/figures";
import { ProblemNote } from "../ui/ProblemNote";
import { FilesMade } from "./FilesMade";
import { Proof } from "./Proof";
import type { Recipe } from "../ui/recipe";

interface Props {
  picture: Picture;
  recipe: Recipe;
  usualQuality: number;
  onChange: (change: Partial<Recipe>) => void;
  /** Makes the file and calls back with its id. */
  onMake: (made: (id: string) => void) => void;
  making: boolean;
  error: Error | null;
  /** Why no file can be made now. */
  hindrance: string | undefined;
}

/** One format and quality of one's own, the file, and the proof of it. */
export function ByHand({ picture, recipe, usualQuality, onChange, onMake, making, error, hindrance }: Props) {
  const [chosen, setChosen] = useState<string>();
  // A GIF has no quality, and is made of what moves. Until the formats are known, the one that is chosen is.
  const known = useFormats().filter(({ format }) => format !== "gif");
  const chosenAlone = [{ value: recipe.format, label: formatName[recipe.format] }];
  const formats =
    known.length > 0
      ? known.map(({ format, shown_by }) => ({ value: format, label: formatName[format], title: shown_by }))
      : chosenAlone;
  const shown = picture.variants.find(({ id }) => id === chosen) ?? picture.variants[0];
  return (
    <section className="by-hand" aria-label="By hand">
      <form
        className="bar recipe"
        onSubmit={(event) => {
          event.preventDefault();
          if (!hindrance && !making) onMake(setChosen);
        }}
      >
        <span className="part">
          as
          <Select
            aria-label="Format"
            options={formats}
            value={recipe.format}
            popupMatchSelectWidth={false}
            onChange={(format) => {
              onChange({ format });
            }}
          />
        </span>
        {recipe.format === "png" ? (
          <span className="soft">lossless</span>
        ) : (
          <span className="part">
            quality
            <InputNumber
              aria-label="Quality, 1 to 100"
              className="quality"
              min={1}
              max={100}
              value={recipe.quality ?? usualQuality}
              onChange={(quality) => {
                onChange({ quality });
              }}
            />
          </span>
        )}
        <Button type="primary" htmlType="submit" disabled={hindrance !== undefined} loading={making} title={hindrance}>
          Make the file
        </Button>
        {hindrance && <span className="soft hindrance">{hindrance}</span>}
      </form>
      {error && <ProblemNote error={error} />}
      {shown ? (
        <>
          <Proof variant={shown} />
          <FilesMade variants={picture.variants} shown={shown.id} onShow={setChosen} />
        </>
      ) : (
        <div className="empty">
          <h2>Nothing made yet</h2>
          <span className="soft">Make the file: it is then shown here at true size beside the original.</span>
        </div>
      )}
    </section>
  );
}
