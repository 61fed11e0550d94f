import { Button, InputNumber, Select } from "antd";
import { useNavigate } from "react-router";
import type { MeasuredPage, Place, Slot, SlotChange } from "../api/client";
import { layOnBench } from "../ui/recipe";
import { Bytes } from "../ui/Bytes";
import { count, density, pixels } from "../ui/figures";
import { IssueLine } from "../ui/IssueLine";
import { MarginBar, MarginWords } from "../ui/MarginBar";
import { PlacePicture } from "./PlacePicture";
import { SameSlot } from "./SameSlot";
import { useChangeSlot } from "./useLayouts";

interface Props {
  slot: Slot;
  place: Place | undefined;
  pages: MeasuredPage[];
  slots: Slot[];
}

/** All that is known of a slot, and what can be done about it. */
export function SlotFacts({ slot, place, pages, slots }: Props) {
  const navigate = useNavigate();
  const change = useChangeSlot(slot.id);
  const seen = { budget: slot.budget_by_hand ? slot.budget : 0 };
  const margin = place?.margin ?? slot.margin;
  const issues = place?.issues ?? (slot.worst ? [slot.worst] : []);
  const today = place?.today;
  const widest = Object.values(slot.boxes).toSorted((a, b) => (b[0] ?? 0) - (a[0] ?? 0))[0];
  const picture = place?.picture_id;
  const bench = (part: Parameters<typeof layOnBench>[0], where: string) => {
    layOnBench(part);
    void navigate(picture ? `/bench/${picture}?step=encode&slot=${slot.id}&for=${where}` : "/library");
  };
  return (
    <section className="slot-facts" aria-label="Chosen slot">
      <h2>
        {slot.name}{" "}
        <span className="soft">
          {slot.kind}, {slot.fit}
          {slot.by_hand ? ", added by hand" : ""}
        </span>
      </h2>
      {place?.hidden && (
        <p className="soft">
          {place.hidden.replace(/^./, (letter) => letter.toUpperCase())}; its boxes are those that it has then.
        </p>
      )}
      {place?.uncertain && (
        <p className="notice">
          <b>Uncertain match:</b>{" "}
          <span>its markup is that of another slot, but it is laid out differently, so it has a slot of its own.</span>
        </p>
      )}
      <div data-testid="issues">
        {issues.map((issue) => (
          <IssueLine key={issue.kind} issue={issue} />
        ))}
        {issues.length === 0 && slot.places > 0 && <p className="issue-line">fits</p>}
      </div>
      {margin && (
        <div className="part">
          <MarginBar margin={margin} today={margin.weight} /> <MarginWords margin={margin} />
        </div>
      )}
      <PlacePicture slot={slot} place={place} pages={pages} />
      <dl className="facts">
        <dt>Boxes</dt>
        <dd className="figure">
          {slot.boxes_by_hand && <div className="soft">set by hand</div>}
          {Object.entries(slot.boxes).map(([viewport, [w, h]]) => (
            <div key={viewport}>
              {viewport}: {w && h ? `${cssPx(w)} × ${cssPx(h)} CSS px` : "not shown"}
            </div>
          ))}
        </dd>
        <dt>Needs</dt>
        <dd className="figure">
          {slot.needs
            .filter((need) => need.density === 2)
            .map((need) => (
              <div key={need.viewport}>
                {need.viewport}: {pixels(need.pixels.width, need.pixels.height)} at {density(need.density)}
              </div>
            ))}
        </dd>
        <dt>Cropped by</dt>
        <dd>
          <Select
            aria-label="Who crops"
            style={{ width: "100%" }}
            options={croppers(slot)}
            value={slot.cropping_by_hand ? slot.cropping : "by-shape"}
            onChange={(cropping: Cropping) => {
              const seen = { cropping: slot.cropping_by_hand ? slot.cropping : ("by-shape" as const) };
              change.mutate({ cropping, seen });
            }}
          />
        </dd>
        {slot.sources.map((source) => (
          <Source key={source.media ?? "all"} {...source} />
        ))}
        {place?.shown_as && (
          <>
            <dt>Shown by</dt>
            <dd>
              {place.shown_as}
              {place.background && <div className="figure soft wrap">{lies(place.background)}</div>}
            </dd>
          </>
        )}
        {today && (
          <>
            <dt>Today</dt>
            <dd className="figure">
              {today.width && today.height ? pixels(today.width, today.height) : "not read"} {today.format}{" "}
              <Bytes of={today.bytes} />
            </dd>
          </>
        )}
        <dt>Used</dt>
        <dd>
          {count(slot.places, "time")}
          {place && (
            <>
              {" "}
              · here on {pages.find(({ id }) => id === place.page_id)?.name}
              {place.lcp ? ", the largest paint" : ""}
              {place.above_fold ? ", above the fold" : ""}
            </>
          )}
        </dd>
        <dt>Budget</dt>
        <dd>
          <InputNumber
            aria-label="Budget in KB"
            style={{ width: 90 }}
            min={0}
            value={Math.round(slot.budget / 100) / 10}
            changeOnWheel={false}
            onBlur={(event) => {
              const kb = Number(event.target.value);
              const next = Math.round(kb * 1000);
              if (next !== slot.budget && Number.isFinite(kb)) change.mutate({ budget: next, seen });
            }}
          />{" "}
          KB{" "}
          {slot.budget_by_hand ? (
            <button
              type="button"
              className="quiet-button"
              onClick={() => {
                change.mutate({ budget: 0, seen });
              }}
            >
              Back to the default
            </button>
          ) : (
            <span className="soft">by area</span>
          )}
        </dd>
      </dl>
      <div className="placing-actions">
        {widest && (
          <Button
            onClick={() => {
              const [width = null, height = null] = widest;
              bench({ width, height, fit: slot.fit, density: 2 }, slot.id);
            }}
          >
            {place?.picture_id ? "Fit its picture on the bench" : "Choose a picture and fit it"}
          </Button>
        )}
        {today?.width && today.height && (
          <Button
            onClick={() => {
              const { width = null, height = null } = today;
              bench({ width, height, fit: "exact", density: 1 }, "size");
            }}
          >
            Like for like: {pixels(today.width, today.height)}
          </Button>
        )}
      </div>
      <SameSlot slot={slot} slots={slots} place={place} />
    </section>
  );
}

type Cropping = NonNullable<SlotChange["cropping"]>;

const CROPPERS = {
  file: "the file, all one shape",
  browser: "the browser, from one file",
  "art-direction": "a file for each shape",
} as const;

function croppers(slot: Slot) {
  const usual = slot.cropping_by_hand ? "by its shapes" : `by its shapes: ${CROPPERS[slot.cropping]}`;
  return [{ value: "by-shape", label: usual }, ...Object.entries(CROPPERS).map(([value, label]) => ({ value, label }))];
}

/** How a background lies in its element, in the words of CSS; what every background has is left out. */
function lies({ size, position, repeat, origin, attachment }: NonNullable<Place["background"]>) {
  const usual = ["auto", "repeat", "padding-box", "scroll"];
  return [size, position, repeat, origin, attachment].filter((part) => !usual.includes(part)).join(" · ");
}

/** Layouts have fractions; two decimals tell them apart. */
const cssPx = (length: number) => Math.round(length * 100) / 100;

function Source({ media, widths, sizes }: Slot["sources"][number]) {
  return (
    <>
      <dt>{media ? "Source" : "Files"}</dt>
      <dd className="figure wrap">
        {media && <div>{media}</div>}
        <div>{widths.join(", ")} px</div>
        {sizes && <div className="soft">sizes=&quot;{sizes}&quot;</div>}
      </dd>
    </>
  );
}
