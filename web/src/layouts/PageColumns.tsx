import { useEffect, useRef, useState } from "react";
import { previewUrl, servedUrl, type MeasuredPage, type Place } from "../api/client";
import { usePan } from "./useZoom";

/** How far around what is in view boxes are drawn, and how far it has to be scrolled until it is looked at again, in CSS px. */
const AROUND = 600;
const LOOK_AGAIN = 200;

interface Props {
  page: MeasuredPage;
  widths: number[];
  places: Place[];
  /** Screen px per CSS px, the same for every column. */
  scale: number;
  /** The place that is lit. */
  lit: string | undefined;
  /** Other places of the same slot. */
  slot: string | undefined;
  onPick: (place: Place) => void;
  onScale: (scale: number) => void;
}

/** The page as it is laid out at each layout width, all at one scale. */
export function PageColumns({ page, widths, places, scale, lit, slot, onPick, onScale }: Props) {
  const { area, onPointerDown } = usePan(scale, onScale);
  return (
    <div className="columns" ref={area} onPointerDown={onPointerDown}>
      {widths.map((width) => (
        <Column key={width} {...{ page, width, places, scale, lit, slot, onPick }} />
      ))}
    </div>
  );
}

function Column({
  page,
  width,
  places,
  scale,
  lit,
  slot,
  onPick,
}: Omit<Props, "widths" | "onScale"> & { width: number }) {
  const scroller = useRef<HTMLDivElement>(null);
  const [seen, setSeen] = useState({ top: 0, height: 1_000 });
  const look = () => {
    const element = scroller.current;
    if (!element) return;
    // In steps, so that not each pixel draws anew.
    const top = Math.floor(element.scrollTop / LOOK_AGAIN) * LOOK_AGAIN;
    const height = Math.ceil(element.clientHeight / LOOK_AGAIN) * LOOK_AGAIN;
    setSeen((before) => (before.top === top && before.height === height ? before : { top, height }));
  };
  useEffect(() => {
    const element = scroller.current;
    if (!element) return;
    const observer = new ResizeObserver(look);
    observer.observe(element);
    return () => {
      observer.disconnect();
    };
  }, []);
  const inView = (place: Place) => {
    const [, top = 0] = place.positions[width] ?? [];
    const [, height = 0] = place.boxes[width] ?? [];
    return (top + height) * scale >= seen.top - AROUND && top * scale <= seen.top + seen.height + AROUND;
  };
  const [, target] = places.find(({ id }) => id === lit)?.positions[width] ?? [];
  useEffect(() => {
    // Every width scrolls to where it has the lit slot.
    if (target !== undefined) scroller.current?.scrollTo({ top: Math.max(0, target * scale - 40) });
  }, [target, scale]);
  return (
    <section className="column" aria-label={`At ${width} CSS px`}>
      <h2 className="figure">{width} px</h2>
      <div
        className="column-scroll"
        ref={scroller}
        onScroll={look}
        tabIndex={0}
        role="group"
        aria-label={`The page at ${width} CSS px`}
      >
        {page.heights[width] === undefined && (
          <p className="soft">Not measured at this width yet: measure the page again.</p>
        )}
        <div className="sheet" style={{ width: width * scale, height: (page.heights[width] ?? 0) * scale }}>
          {largestFirst(places.filter(isOnPage).filter(inView), width).map((place) => (
            <PlaceBox
              key={place.id}
              {...{ place, width, scale, onPick }}
              lit={place.id === lit}
              kin={place.slot_id === slot}
            />
          ))}
        </div>
        <HiddenPlaces {...{ places, width, scale, lit, slot, onPick }} />
      </div>
    </section>
  );
}

const isOnPage = ({ hidden }: Place) => !hidden;

/** What stands nowhere on the page until something opens, below it. */
function HiddenPlaces({
  places,
  width,
  scale,
  lit,
  slot,
  onPick,
}: Omit<Props, "page" | "widths" | "onScale"> & { width: number }) {
  const hidden = places.filter((place) => !isOnPage(place));
  const own = useRef<HTMLElement>(null);
  const isLit = hidden.some(({ id }) => id === lit);
  useEffect(() => {
    if (isLit) own.current?.querySelector("[aria-pressed=true]")?.scrollIntoView({ block: "nearest" });
  }, [isLit, lit]);
  if (hidden.length === 0) return null;
  return (
    <section className="hidden-places" style={{ width: width * scale }} ref={own}>
      <h3 className="soft">Hidden until opened: {hidden.length.toLocaleString("en")}</h3>
      {hidden.map((place) => (
        <PlaceBox
          key={place.id}
          {...{ place, width, scale, onPick }}
          lit={place.id === lit}
          kin={place.slot_id === slot}
        />
      ))}
    </section>
  );
}

/** What is small lies on what is large, so that both can be seen and chosen. */
function largestFirst(places: Place[], width: number) {
  const area = ({ boxes }: Place) => (boxes[width]?.[0] ?? 0) * (boxes[width]?.[1] ?? 0);
  return places.toSorted((a, b) => area(b) - area(a));
}

interface BoxProps {
  place: Place;
  width: number;
  scale: number;
  lit: boolean;
  kin: boolean;
  onPick: (place: Place) => void;
}

const FIT = { fill: "fill", cover: "cover", contain: "contain", natural: "none" } as const;

/** Fills the box with a part of a picture, given as left, top, width and height in fractions of it. */
const onlyPart = ([x = 0, y = 0, w = 1, h = 1]: number[]) => ({
  position: "absolute" as const,
  left: `${(-100 * x) / w}%`,
  top: `${(-100 * y) / h}%`,
  width: `${100 / w}%`,
  height: `${100 / h}%`,
});

/** One slot on the page, with the picture in it as it is cropped there. */
function PlaceBox({ place, width, scale, lit, kin, onPick }: BoxProps) {
  const size = place.boxes[width];
  if (!size?.[0] || !size[1]) return null;
  const at = place.positions[width];
  const worst = place.issues[0];
  const words = [worst?.words ?? "fits", place.hidden].filter(Boolean).join(", ");
  const placed = place.picture_id;
  const source = placed
    ? previewUrl(placed, "bench", place.picture_step)
    : place.today?.hash
      ? servedUrl(place.today.hash)
      : undefined;
  const part = placed ? place.parts[width] : undefined;
  return (
    <button
      type="button"
      className="place"
      aria-pressed={lit}
      data-kin={kin}
      data-mend={worst?.to_mend ?? false}
      aria-label={`${place.selector}: ${words}`}
      title={words}
      style={{
        left: (at?.[0] ?? 0) * scale,
        top: (at?.[1] ?? 0) * scale,
        width: size[0] * scale,
        height: size[1] * scale,
      }}
      onClick={() => {
        onPick(place);
      }}
    >
      {source ? (
        <img
          src={source}
          alt=""
          loading="lazy"
          style={part ? onlyPart(part) : { objectFit: FIT[place.painting], objectPosition: place.position }}
        />
      ) : (
        <span className="place-empty">{place.today?.format?.toUpperCase() ?? "empty"}</span>
      )}
    </button>
  );
}
