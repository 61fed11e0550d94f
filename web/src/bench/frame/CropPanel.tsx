import { Button, InputNumber, Segmented, Select } from "antd";
import type { Rect, SlotName } from "../../api/client";
import { percent, pixels } from "../../ui/figures";
import { ProblemNote } from "../../ui/ProblemNote";
import { SIDES, TypedSide } from "./TypedSide";
import { cutWords } from "../cutWords";
import type { CropOnBench, Shape } from "./useCrop";

const SHAPES = [
  { value: "free", label: "Any shape" },
  { value: "square", label: "Square", title: "S" },
  { value: "picture", label: "As it is" },
  { value: "typed", label: "Typed" },
];
const OF_A_SLOT = { value: "slot", label: "A slot's" };

interface Props {
  crop: CropOnBench;
  slots: SlotName[];
  /** The picture as it lies there. */
  whole: Rect;
}

/** The crop in figures, what comes out and what is cut; Enter applies it. */
export function CropPanel({ crop, slots, whole }: Props) {
  const { draft, shape, typed } = crop;
  const rect = draft?.crop ?? whole;
  return (
    <form
      className="crop-figures"
      data-testid="crop-panel"
      onSubmit={(event) => {
        event.preventDefault();
        crop.apply();
      }}
    >
      <div className="row">
        <b>Crop</b>
        <Segmented
          aria-label="Shape of the crop"
          size="small"
          value={typeof shape === "string" ? shape : "slot"}
          options={[...SHAPES, ...(slots.length > 0 ? [OF_A_SLOT] : [])]}
          onChange={(next) => {
            const [first] = slots;
            if (next !== "slot") crop.onShape(next as Shape);
            else if (first) crop.onShape({ slot: first.id });
          }}
        />
        {typeof shape !== "string" && (
          <Select
            aria-label="Slot whose shape it gets"
            size="small"
            value={shape.slot}
            popupMatchSelectWidth={false}
            style={{ maxWidth: 200 }}
            showSearch={{ optionFilterProp: "label" }}
            options={slots.map(({ id, name }) => ({ value: id, label: name }))}
            onChange={(slot) => {
              crop.onShape({ slot });
            }}
          />
        )}
        {shape === "typed" && (
          <span className="part">
            {(["width", "height"] as const).map((side) => (
              <InputNumber
                key={side}
                aria-label={side === "width" ? "Shape, across" : "Shape, down"}
                size="small"
                controls={false}
                className="short"
                min={0.01}
                value={typed[side]}
                onChange={(length) => {
                  if (length) crop.onTyped({ ...typed, [side]: length });
                }}
              />
            ))}
          </span>
        )}
        <Button
          size="small"
          type="primary"
          htmlType="submit"
          disabled={!draft}
          title={draft ? "Enter" : "Draw a rectangle on the picture, type its sides or choose a shape"}
        >
          Apply crop
        </Button>
        <Button size="small" disabled={!draft} title={draft ? "Escape" : "Nothing is drawn"} onClick={crop.clear}>
          Cancel
        </Button>
      </div>
      <div className="row">
        {SIDES.map((side) => (
          <TypedSide
            key={`${side} ${rect[side]}`}
            of="Crop"
            side={side}
            value={rect[side]}
            onTyped={(length) => {
              const holding = side === "x" || side === "y" ? "size" : side;
              crop.onDraw({ ...rect, [side]: length }, holding);
            }}
          />
        ))}
        <span className="soft">source px</span>
      </div>
      {crop.error && <ProblemNote error={crop.error} />}
      <p className="crop-told" role="status" data-testid="crop-told">
        {draft ? (
          <>
            Comes out at <b className="figure">{pixels(draft.crop.width, draft.crop.height)}</b>; cut{" "}
            <span className="figure">{cutWords(draft.cuts)}</span>, {percent(draft.cut_percent)} of the area.
          </>
        ) : (
          <span className="soft">Drag a rectangle on the picture, or choose a shape.</span>
        )}
      </p>
    </form>
  );
}
