import { InputNumber, Select } from "antd";
import type { Fit } from "../api/client";
import type { Recipe, SizeBy } from "../ui/recipe";

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

interface Props {
  recipe: Recipe;
  onChange: (change: Partial<Recipe>) => void;
}

/** A size to type: the box of a slot, or one figure for all of the picture. */
export function SizeFields({ recipe, onChange }: Props) {
  return (
    <>
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
          <Select
            aria-label="Fit"
            popupMatchSelectWidth={false}
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
    </>
  );
}
