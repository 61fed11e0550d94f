import { Button, InputNumber, Select } from "antd";
import type { Holding, Picture, Rect, SlotFraming, WidthFraming } from "../../api/client";
import { cutWords } from "../cutWords";
import { percent, pixels } from "../../ui/figures";
import type { Tool } from "./SourceView";
import { SIDES, TypedSide } from "./TypedSide";

/** Which shape a frame keeps. */
export type Lock = "slot" | "free" | "typed" | "picture";

const LOCKS: { value: Lock; label: string }[] = [
  { value: "slot", label: "the slot's shape" },
  { value: "free", label: "any shape" },
  { value: "typed", label: "a typed shape" },
  { value: "picture", label: "another picture's shape" },
];

interface Props {
  slot: SlotFraming;
  one: WidthFraming;
  tool: Tool;
  onCrop: (crop: Rect, holding: Holding, done: boolean) => void;
  onRelease: () => void;
  /** The keep area in source px, and how it is typed; nothing where there is none. */
  keep: Rect | undefined;
  onKeep: (keep_area: Rect) => void;
  lock: Lock;
  onLock: (lock: Lock) => void;
  typed: { width: number; height: number };
  onTyped: (typed: { width: number; height: number }) => void;
  others: Picture[];
  other: string | undefined;
  onOther: (id: string) => void;
  onSearch: (text: string) => void;
}

/** The chosen frame in figures, to be typed, and what it costs. */
export function CropFigures({
  slot,
  one,
  tool,
  onCrop,
  onRelease,
  keep,
  onKeep,
  lock,
  onLock,
  typed,
  onTyped,
  others,
  other,
  onOther,
  onSearch,
}: Props) {
  const { crop, cuts, needed, output } = one;
  // Where there is none yet, typing begins with what the frame shows.
  const shownKeep = keep ?? crop;
  return (
    <div className="crop-figures" data-testid="crop-figures">
      <div className="row">
        <b>{slot.name}</b>
        <span className="figure">at {one.viewport}</span>
        {one.by_hand ? (
          <Button size="small" onClick={onRelease}>
            Back to the focal point
          </Button>
        ) : (
          <span className="soft">framed by the focal point</span>
        )}
      </div>
      {tool === "keep" && (
        <div className="row" data-testid="keep-figures">
          Keep
          {SIDES.map((side) => (
            <TypedSide
              key={`${side} ${shownKeep[side]}`}
              of="Keep area"
              side={side}
              value={shownKeep[side]}
              onTyped={(value) => {
                onKeep({ ...shownKeep, [side]: value });
              }}
            />
          ))}
          <span className="soft">source px; draw it, or type it</span>
        </div>
      )}
      <div className="row">
        {SIDES.map((side) => (
          <TypedSide
            key={`${side} ${crop[side]}`}
            of="Frame"
            side={side}
            value={crop[side]}
            onTyped={(value) => {
              onCrop({ ...crop, [side]: value }, side === "x" || side === "y" ? "size" : "top-left", true);
            }}
          />
        ))}
        <span className="soft">source px</span>
        <Select
          aria-label="Shape of the frame"
          size="small"
          value={lock}
          options={LOCKS}
          popupMatchSelectWidth={false}
          onChange={onLock}
        />
        {lock === "typed" && (
          <span className="part">
            <InputNumber
              aria-label="Shape, across"
              size="small"
              controls={false}
              className="short"
              min={0.01}
              value={typed.width}
              onChange={(width) => {
                if (width) onTyped({ ...typed, width });
              }}
            />
            :
            <InputNumber
              aria-label="Shape, down"
              size="small"
              controls={false}
              className="short"
              min={0.01}
              value={typed.height}
              onChange={(height) => {
                if (height) onTyped({ ...typed, height });
              }}
            />
          </span>
        )}
        {lock === "picture" && (
          <Select
            aria-label="Picture whose shape it gets"
            size="small"
            showSearch={{ filterOption: false, onSearch }}
            value={other ?? null}
            placeholder="Name of a picture"
            style={{ minWidth: 160 }}
            options={others.map((one) => ({
              value: one.id,
              label: `${one.name} (${one.shown_width} × ${one.shown_height})`,
            }))}
            onChange={(id: string | null) => {
              if (id) onOther(id);
            }}
          />
        )}
      </div>
      <dl className="facts" data-testid="facts">
        <dt>File</dt>
        <dd className="figure" data-testid="output">
          {one.refusal
            ? "none"
            : `${pixels(output.width, output.height)} at ${one.density}x, scaled to ${percent(100 * one.scale)}`}
        </dd>
        <dt>Cut</dt>
        <dd className="figure" data-testid="cuts">
          {cutWords(cuts)} <span className="soft">({percent(one.kept_percent)} stays)</span>
        </dd>
        {one.shortfall > 1 && (
          <>
            <dt>Missing pixels</dt>
            <dd data-testid="shortfall">
              <b>Too small:</b> it asks for <span className="figure">{pixels(needed.width, needed.height)}</span>,{" "}
              <span className="figure">{one.shortfall.toFixed(2)}×</span> more than there are.{" "}
              {one.refusal
                ? "An exact slot is not filled with less: choose cover, or bring a larger picture."
                : "It is not enlarged."}
            </dd>
          </>
        )}
      </dl>
    </div>
  );
}
