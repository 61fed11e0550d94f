import type { Framings, SlotFraming, WidthFraming } from "../../api/client";
import { percent, pixels } from "../../ui/figures";
import { Painted } from "../Painted";
import type { Views } from "../useViews";
import type { Chosen } from "./SourceView";

const CROPPERS = {
  file: "the file is cropped",
  browser: "the browser crops",
  "art-direction": "a file for each shape",
} as const;

interface Props {
  framings: Framings;
  /** The whole picture, of which each view is painted at once. */
  bitmap: ImageBitmap | undefined;
  /** The views as their files will look, where edits depend on the frame. */
  views: Views | undefined;
  /** Screen pixels for each CSS pixel of the layout. */
  scale: number;
  chosen: Chosen | undefined;
  onChoose: (chosen: Chosen) => void;
}

/** Every slot of the picture at every layout width, at one common scale. */
export function SlotViews({ framings, bitmap, views, scale, chosen, onChoose }: Props) {
  return (
    <div className="slot-views">
      {framings.slots.map((slot, n) => {
        const from = framings.slots.slice(0, n).reduce((sum, one) => sum + one.widths.length, 0);
        return (
          <SlotRow
            key={slot.slot}
            slot={slot}
            canvas={framings.canvas}
            bitmap={bitmap}
            views={views}
            from={from}
            scale={scale}
            chosen={chosen?.slot === slot.slot ? chosen.viewport : undefined}
            onChoose={(viewport) => {
              onChoose({ slot: slot.slot, viewport });
            }}
          />
        );
      })}
    </div>
  );
}

interface RowProps extends Pick<Props, "bitmap" | "views" | "scale"> {
  slot: SlotFraming;
  canvas: Framings["canvas"];
  /** The place of its first view among all. */
  from: number;
  chosen: number | undefined;
  onChoose: (viewport: number) => void;
}

function SlotRow({ slot, canvas, bitmap, views, from, scale, chosen, onChoose }: RowProps) {
  return (
    <section className="slot-row" aria-label={slot.name}>
      <header>
        <h2>{slot.name}</h2>
        <span className="soft">
          {slot.fit}, {CROPPERS[slot.cropping]}
          {slot.cropping_reason ? `: ${slot.cropping_reason}` : ""}
        </span>
        {!slot.shows && <span className="soft">does not show it yet</span>}
      </header>
      <div className="slot-cells">
        {slot.widths.map((one, n) => {
          const [width = 1, height = 1] = one.size;
          const place = views?.places[from + n];
          const ratio = bitmap ? bitmap.width / canvas.width : 1;
          const { crop } = one;
          const part = place ?? {
            x: crop.x * ratio,
            y: crop.y * ratio,
            width: crop.width * ratio,
            height: crop.height * ratio,
          };
          const shown = shownSize(slot, one, width, height);
          return (
            <button
              key={one.viewport}
              type="button"
              className="slot-cell"
              aria-pressed={chosen === one.viewport}
              data-viewport={one.viewport}
              data-hand={one.by_hand}
              onClick={() => {
                onChoose(one.viewport);
              }}
            >
              <span
                className="cell-view"
                style={{
                  width: Math.max(8, width * scale),
                  height: Math.max(8, (slot.fit === "width" ? shown.height : height) * scale),
                }}
              >
                <Painted
                  bitmap={place ? views.bitmap : bitmap}
                  part={part}
                  width={shown.width * scale}
                  height={shown.height * scale}
                  label={`${slot.name} at ${one.viewport} px`}
                  testId={`view-${one.viewport}`}
                />
              </span>
              <span className="cell-words">
                <span className="figure">{one.viewport}</span>
                <span className="figure soft">
                  {Math.round(width)}×{Math.round(height)}
                </span>
              </span>
              {one.by_hand && <span className="cell-words soft">by hand</span>}
              <Lacks one={one} />
            </button>
          );
        })}
      </div>
      {slot.css && (
        <details className="position-rules">
          <summary>
            object-position{" "}
            <span className="figure" data-testid="object-position">
              {slot.widths
                .map(
                  (one) =>
                    `${one.viewport}: ${(one.object_position ?? []).map((value) => `${value.toFixed(2)}%`).join(" ")}`,
                )
                .join(" · ")}
            </span>
            {slot.focal_error !== null && slot.focal_error !== undefined && (
              <span className="soft">, off by {slot.focal_error.toFixed(1)} CSS px between them at most</span>
            )}
          </summary>
          <pre className="figure">{slot.css}</pre>
        </details>
      )}
    </section>
  );
}

/** A file fills its box by its fit; with contain and width it keeps its own shape. */
function shownSize(slot: SlotFraming, one: WidthFraming, width: number, height: number) {
  if (slot.fit === "cover" || slot.fit === "exact") return { width, height };
  const density = one.density;
  return { width: one.needed.width / density, height: one.needed.height / density };
}

/** What a view lacks, with its number. */
function Lacks({ one }: { one: WidthFraming }) {
  const cut = one.keep_cut;
  const sides =
    cut &&
    (
      [
        ["left", cut.left],
        ["top", cut.top],
        ["right", cut.right],
        ["bottom", cut.bottom],
      ] as const
    ).filter(([, px]) => px > 0);
  return (
    <>
      {one.shortfall > 1 && (
        <span
          className="cell-words lacks"
          title={`asks for ${pixels(one.needed.width, one.needed.height)}, the picture has ${pixels(one.crop.width, one.crop.height)} for it`}
        >
          {one.shortfall.toFixed(2)}× too few px{one.refusal ? ", no file" : ""}
        </span>
      )}
      {cut && sides && (
        <span
          className="cell-words lacks"
          title={`${percent(cut.percent_across)} of its width, ${percent(cut.percent_down)} of its height`}
        >
          cuts the keep area: {sides.map(([side, px]) => `${px} ${side}`).join(", ")} px
        </span>
      )}
    </>
  );
}
