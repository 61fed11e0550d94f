import { Button, Segmented, Select } from "antd";
import { useMemo, useState } from "react";
import { api, unwrap, type Framings, type Picture, type SlotName } from "../api/client";
import { useLimits } from "../api/useLimits";
import { ProblemNote } from "../ui/ProblemNote";
import { useAddress } from "../ui/useAddress";
import { useLatest } from "../ui/useLatest";
import { ByHand } from "./ByHand";
import { FittingFacts } from "./FittingFacts";
import { NO_MARKS } from "./frame/marks";
import { SourceView } from "./frame/SourceView";
import { placeOf, useRecipe } from "./recipe";
import { RuleSheet } from "./rules/RuleSheet";
import { SetPane } from "./set/SetPane";
import { SizeFields } from "./SizeFields";
import { TrialsPane } from "./trials/TrialsPane";
import type { Target } from "./trials/useTrials";
import { useFitting, useMakeFile, type FileWish } from "./usePicture";
import { useStage } from "./useStage";
import { useFramings, useViews } from "./useViews";
import type { WorkOnBench } from "./useWork";

const NOTHING = () => undefined;
/** Where no slot is chosen but a size is typed. */
const SIZE = "size";

const PANES = [
  { value: "trials", label: "Trials", title: "Formats and qualities beside each other" },
  { value: "hand", label: "By hand", title: "One format and quality of your own" },
  { value: "set", label: "Whole set", title: "Every width and format of the slot" },
] as const;
type Pane = (typeof PANES)[number]["value"];

/** Where the picture is to stand, how it is encoded there, and the proof of it. */
export function EncodeStep({ picture, on, slots: asked }: { picture: Picture; on: WorkOnBench; slots: string[] }) {
  const { adjustments } = on;
  const [address, changeAddress] = useAddress();
  const [recipe, changeRecipe] = useRecipe();
  const [ruling, setRuling] = useState(false);
  const [error, setError] = useState<Error | null>(null);
  const limits = useLimits();
  const make = useMakeFile(picture.id);
  const usualQuality = limits.data?.usual_quality ?? 75;

  const known = on.bench.slots;
  // The slots that show it stand first, and of these the one with most to gain.
  const first = asked[0] ?? (recipe.laid ? SIZE : undefined) ?? known.find(({ shows }) => shows)?.id ?? SIZE;
  const wanted = address.get("for") ?? first;
  const slot = known.find(({ id }) => id === wanted);
  const where = slot?.id ?? SIZE;
  const pane = PANES.find(({ value }) => value === address.get("pane"))?.value ?? "trials";

  const framings = useFramings(picture.id, adjustments, slot && !slot.shows ? [slot.id] : []);
  const inSlots = framings.data?.slots ?? [];
  const place = placeOf(recipe);
  const target: Target | undefined = slot ? inSlot(inSlots, slot.id) : place;
  const fitting = useFitting(picture.id, slot ? undefined : place, adjustments);
  const proved = slot || (!fitting.error && !fitting.data?.refusal) ? target : undefined;
  const hindrance = slot
    ? framings.data && !target
      ? "The slot is shown at no layout width"
      : undefined
    : whyNot(recipe.by === "slot", place !== undefined, fitting);

  const whole = useViews(
    picture.id,
    adjustments,
    useMemo(() => [{ width: 1_600 }], []),
    { withoutFrame: true },
  );
  const canvas = framings.data?.canvas ?? { width: picture.shown_width, height: picture.shown_height };
  const stage = useStage(canvas.width, canvas.height);
  const framed =
    framings.data &&
    (slot
      ? { ...framings.data, slots: inSlots.filter((one) => one.slot === slot.id) }
      : typedSlot(framings.data, place && !fitting.error ? fitting.data : undefined));
  const aim = useLatest(async ({ x, y, done }: { x: number; y: number; done: boolean }) => {
    try {
      const body = { adjustments, focal: [x, y] };
      const next = unwrap(await api.POST("/pictures/{id}/aim", { params: { path: { id: picture.id } }, body }));
      setError(null);
      if (done) on.note(next, "moved the focal point");
      else on.show(next);
    } catch (failed) {
      setError(failed as Error);
    }
  });
  const makeFile = (wish: FileWish, made: (id: string) => void) => {
    make.mutate(wish, {
      onSuccess: ({ id }) => {
        made(id);
        changeAddress({ pane: "hand" });
      },
    });
  };
  const chosenView = { slot: slot?.id ?? TYPED, viewport: proved?.place?.viewport ?? 0 };
  return (
    <>
      <div className="bar encode-bar">
        <span className="part">
          for
          <Where
            slots={known}
            value={where}
            onChange={(next) => {
              changeRecipe({ laid: false });
              changeAddress({ for: next }, "back");
            }}
          />
        </span>
        {!slot && <SizeFields recipe={recipe} onChange={changeRecipe} />}
        <Segmented
          aria-label="How it is encoded"
          value={pane}
          onChange={(next: Pane) => {
            changeAddress({ pane: next }, "back");
          }}
          options={[...PANES]}
        />
        <span className="gap" />
        <Button
          size="small"
          onClick={() => {
            setRuling(true);
          }}
        >
          Rules…
        </Button>
      </div>
      {error && <ProblemNote error={error} />}
      <div className="encode-step" data-pane={pane}>
        {pane !== "set" && (
          <section className="framing" aria-label="Frame">
            {framed ? (
              <SourceView
                name={picture.name}
                framings={framed}
                bitmap={whole.data?.bitmap}
                stage={stage}
                tool="focal"
                chosen={chosenView}
                marks={NO_MARKS}
                onMarks={undefined}
                onFocal={(x, y, done) => {
                  aim({ x, y, done });
                }}
                onKeep={NOTHING}
                onCrop={NOTHING}
              />
            ) : (
              <p className="empty soft">{framings.error ? framings.error.message : "Framing…"}</p>
            )}
            {!slot && place && fitting.data && !fitting.error && (
              <FittingFacts fitting={fitting.data} picture={picture} />
            )}
          </section>
        )}
        <div className="encode-main">
          {pane === "trials" ? (
            <>
              {make.error && <ProblemNote error={make.error} />}
              <TrialsPane
                picture={picture}
                target={proved}
                adjustments={adjustments}
                hindrance={hindrance}
                making={make.isPending}
                onMake={({ id }) => {
                  makeFile({ trial: id, slot: slot?.id ?? null }, NOTHING);
                }}
              />
            </>
          ) : pane === "set" ? (
            <SetPane picture={picture} slot={slot?.id} adjustments={adjustments} />
          ) : (
            <ByHand
              picture={picture}
              recipe={recipe}
              usualQuality={usualQuality}
              onChange={changeRecipe}
              onMake={(made) => {
                if (!proved) return;
                const { format, quality } = recipe;
                makeFile({ ...proved, adjustments, format, quality: quality ?? usualQuality }, made);
              }}
              making={make.isPending}
              error={make.error}
              hindrance={hindrance}
            />
          )}
        </div>
      </div>
      <RuleSheet
        picture={picture}
        slot={slot && { id: slot.id, name: slot.name }}
        open={ruling}
        onClose={() => {
          setRuling(false);
        }}
      />
    </>
  );
}

/** Where the picture is to stand: a slot of the site, those that show it first, or a size. */
function Where({ slots, value, onChange }: { slots: SlotName[]; value: string; onChange: (value: string) => void }) {
  const named = (shows: boolean) =>
    slots.filter((slot) => slot.shows === shows).map(({ id, name }) => ({ value: id, label: name, title: name }));
  const groups = [
    { label: "Shows this picture", options: named(true) },
    { label: "Other slots", options: named(false) },
  ];
  return (
    <Select
      aria-label="Slot or size"
      value={value}
      className="where"
      popupMatchSelectWidth={false}
      showSearch={{ optionFilterProp: "label" }}
      onChange={onChange}
      options={[{ value: SIZE, label: "a size of its own" }, ...groups.filter(({ options }) => options.length > 0)]}
    />
  );
}

const TYPED = "typed";

/** Why there is no file of a size to be made. */
function whyNot(isBox: boolean, isTyped: boolean, fitting: ReturnType<typeof useFitting>) {
  if (!isTyped) return isBox ? "Type the slot's width and height" : "Type the size";
  return fitting.error?.message ?? (fitting.data?.refusal ? "Too small for an exact slot" : undefined);
}

/** The largest box of a slot, at the density that it is made for. */
function inSlot(slots: Framings["slots"], id: string): Target | undefined {
  const slot = slots.find((one) => one.slot === id);
  const widest = slot?.widths.toSorted(
    (a, b) => b.output.width * b.output.height - a.output.width * a.output.height,
  )[0];
  if (!slot || !widest) return undefined;
  const [width = 0, height = 0] = widest.size;
  return {
    slot: { width, height, fit: slot.fit },
    density: widest.density,
    place: { slot: slot.slot, viewport: widest.viewport },
  };
}

/** The slot that was typed, as if the picture stood in it alone. */
function typedSlot(framings: Framings, fitting: ReturnType<typeof useFitting>["data"]): Framings {
  const one = fitting && { ...fitting, viewport: 0, size: [1, 1], density: 1, by_hand: false };
  const slot = {
    slot: TYPED,
    name: "The typed slot",
    fit: "cover" as const,
    cropping: "file" as const,
    budget: 0,
    shows: false,
    widths: one ? [one] : [],
  };
  return { ...framings, slots: [slot] };
}
