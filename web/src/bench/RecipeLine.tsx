import { Button, InputNumber, Segmented, Select } from "antd";
import type { Fit, Format } from "../api/client";
import { formatName } from "../ui/figures";
import type { Recipe, SizeBy } from "./recipe";

const FITS: { value: Fit; label: string; title: string }[] = [
  { value: "cover", label: "cover", title: "Fill the box and cut the rest" },
  { value: "contain", label: "contain", title: "All of the picture inside the box" },
  { value: "width", label: "width", title: "The width is fixed, the height follows" },
  { value: "exact", label: "exact", title: "As cover, with exactly the box's pixels" },
];
const SIZES: { value: SizeBy; label: string }[] = [
  { value: "slot", label: "Slot" },
  { value: "width", label: "Width" },
  { value: "height", label: "Height" },
  { value: "long-side", label: "Long side" },
  { value: "percent", label: "Percent" },
];
const DENSITIES = [1, 1.5, 2, 3].map((value) => ({ value, label: `${value}x` }));
const FORMATS = (["jpeg", "webp", "avif", "png"] as Format[]).map((value) => ({ value, label: formatName[value] }));

interface Props {
  recipe: Recipe;
  usualQuality: number;
  onChange: (change: Partial<Recipe>) => void;
  onMake: () => void;
  making: boolean;
  /** Why no file can be made now. */
  hindrance: string | undefined;
}

/** One line to type: the slot, then the encoding, then make it. */
export function RecipeLine({ recipe, usualQuality, onChange, onMake, making, hindrance }: Props) {
  return (
    <form
      className="bar recipe"
      onSubmit={(event) => {
        event.preventDefault();
        if (!hindrance && !making) onMake();
      }}
    >
      <Select
        aria-label="Size by"
        options={SIZES}
        value={recipe.by}
        popupMatchSelectWidth={false}
        onChange={(by) => {
          onChange({ by });
        }}
      />
      {recipe.by === "slot" ? (
        <>
          <span className="part">
            <InputNumber
              aria-label="Slot width in CSS px"
              className="side"
              controls={false}
              value={recipe.width}
              placeholder="width"
              onChange={(width) => {
                onChange({ width });
              }}
            />
            ×
            <InputNumber
              aria-label="Slot height in CSS px"
              className="side"
              controls={false}
              value={recipe.height}
              placeholder="height"
              onChange={(height) => {
                onChange({ height });
              }}
            />
            CSS px
          </span>
          <Segmented
            aria-label="Fit"
            options={FITS}
            value={recipe.fit}
            onChange={(fit) => {
              onChange({ fit });
            }}
          />
        </>
      ) : (
        <span className="part">
          <InputNumber
            aria-label={recipe.by === "percent" ? "Size in percent" : "Size in px"}
            className="side"
            controls={false}
            min={0.1}
            value={recipe.amount}
            onChange={(amount) => {
              onChange({ amount });
            }}
          />
          {recipe.by === "percent" ? "%" : "px"}
          <span className="soft">in proportion, all of it</span>
        </span>
      )}
      <Select
        aria-label="Density"
        options={DENSITIES}
        value={recipe.density}
        popupMatchSelectWidth={false}
        onChange={(density) => {
          onChange({ density });
        }}
      />
      <span className="part">
        as
        <Select
          aria-label="Format"
          options={FORMATS}
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
            precision={0}
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
  );
}
