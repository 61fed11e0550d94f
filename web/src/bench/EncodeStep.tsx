import { Button, Segmented, Select } from "antd";
import { useMemo, useRef, useState } from "react";
import { api, unwrap, type Framings, type Picture } from "../api/client";
import { useLimits } from "../api/useLimits";
import { ProblemNote } from "../ui/ProblemNote";
import { FilesMade } from "./FilesMade";
import { FittingFacts } from "./FittingFacts";
import { NO_MARKS } from "./frame/marks";
import { SourceView } from "./frame/SourceView";
import { Proof } from "./Proof";
import { placeOf, useRecipe } from "./recipe";
import { RecipeLine } from "./RecipeLine";
import { useFitting, useMakeFile } from "./usePicture";
import { RuleSheet } from "./rules/RuleSheet";
import { SetPane } from "./set/SetPane";
import { useStage } from "./useStage";
import { TrialsPane } from "./trials/TrialsPane";
import type { Target } from "./trials/useTrials";
import { useFramings, useViews } from "./useViews";
import type { WorkOnBench } from "./useWork";

const NOTHING = () => undefined;

/** The picture as it lies on the bench, made into the file of a typed slot, and the proof of it. */
export function EncodeStep({ picture, on, slots: asked }: { picture: Picture; on: WorkOnBench; slots: string[] }) {
  const { adjustments } = on;
  const [recipe, changeRecipe] = useRecipe();
  const [chosen, setChosen] = useState<string>();
  const [pane, setPane] = useState<"trials" | "set" | "files">("trials");
  const [slot, setSlot] = useState<string>();
  const [ruling, setRuling] = useState(false);
  const limits = useLimits();
  const place = placeOf(recipe);
  const fitting = useFitting(picture.id, place, adjustments);
  const make = useMakeFile(picture.id);
  const shown = picture.variants.find(({ id }) => id === chosen) ?? picture.variants[0];
  const usualQuality = limits.data?.usual_quality ?? 75;

  const framings = useFramings(picture.id, adjustments, asked);
  const whole = useViews(
    picture.id,
    adjustments,
    useMemo(() => [{ width: 1_600 }], []),
    { withoutFrame: true },
  );
  const canvas = framings.data?.canvas ?? { width: picture.shown_width, height: picture.shown_height };
  const stage = useStage(canvas.width, canvas.height);
  const framed = framings.data && typedSlot(framings.data, place && !fitting.error ? fitting.data : undefined);
  const slots = framings.data?.slots.filter((one) => one.widths.length > 0) ?? [];
  const target = slots.some((one) => one.slot === slot)
    ? inSlot(slots, slot)
    : place && !fitting.error && !fitting.data?.refusal
      ? place
      : undefined;
  const moves = useRef(0);
  const onFocal = (x: number, y: number, done: boolean) => {
    moves.current += 1;
    const mine = moves.current;
    void (async () => {
      const next = unwrap(
        await api.POST("/pictures/{id}/aim", {
          params: { path: { id: picture.id } },
          body: { adjustments, focal: [x, y] },
        }),
      );
      // A later move came first.
      if (mine !== moves.current) return;
      if (done) on.note(next, "moved the focal point");
      else on.show(next);
    })();
  };

  const hindrance = !place
    ? recipe.by === "slot"
      ? "Type the slot's width and height"
      : "Type the size"
    : (fitting.error?.message ?? (fitting.data?.refusal ? "Too small for an exact slot" : undefined));
  const lead = (
    <>
      <Segmented
        aria-label="What is shown"
        value={pane}
        onChange={setPane}
        options={[
          { value: "trials", label: "Trials" },
          { value: "set", label: "Whole set" },
          { value: "files", label: "Files made" },
        ]}
      />
      {pane !== "files" && slots.length > 0 && (
        <span className="part">
          for
          <Select
            aria-label="Slot to prove for"
            value={slot ?? TYPED}
            popupMatchSelectWidth={false}
            onChange={(next) => {
              setSlot(next === TYPED ? undefined : next);
            }}
            options={[
              { value: TYPED, label: "the typed size" },
              ...slots.map((one) => ({ value: one.slot, label: one.name })),
            ]}
          />
        </span>
      )}
    </>
  );
  const chosenSlot = slots.find((one) => one.slot === slot);
  const rules = (
    <Button
      size="small"
      onClick={() => {
        setRuling(true);
      }}
    >
      Rules…
    </Button>
  );
  const onMake = () => {
    if (!place) return;
    const { format, quality } = recipe;
    make.mutate(
      { ...place, adjustments, format, quality: quality ?? usualQuality },
      {
        onSuccess: ({ id }) => {
          setChosen(id);
          setPane("files");
        },
      },
    );
  };
  return (
    <>
      {pane !== "set" && (
        <RecipeLine
          recipe={recipe}
          usualQuality={usualQuality}
          onChange={changeRecipe}
          onMake={onMake}
          making={make.isPending}
          hindrance={hindrance}
        />
      )}
      {make.error && <ProblemNote error={make.error} />}
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
                chosen={{ slot: TYPED, viewport: 0 }}
                marks={NO_MARKS}
                onMarks={undefined}
                onFocal={onFocal}
                onKeep={NOTHING}
                onCrop={NOTHING}
              />
            ) : (
              <p className="empty soft">Framing…</p>
            )}
            {place && fitting.data && !fitting.error && <FittingFacts fitting={fitting.data} picture={picture} />}
          </section>
        )}
        <div className="encode-main">
          {pane === "trials" ? (
            <TrialsPane
              picture={picture}
              target={target}
              adjustments={adjustments}
              hindrance={hindrance}
              lead={lead}
              rules={rules}
            />
          ) : pane === "set" ? (
            <SetPane picture={picture} slot={chosenSlot?.slot} adjustments={adjustments} lead={lead} rules={rules} />
          ) : shown ? (
            <Proof variant={shown} lead={lead} />
          ) : (
            <NoProof lead={lead} />
          )}
        </div>
      </div>
      <RuleSheet
        picture={picture}
        slot={chosenSlot && { id: chosenSlot.slot, name: chosenSlot.name }}
        open={ruling}
        onClose={() => {
          setRuling(false);
        }}
      />
      {shown && pane === "files" && <FilesMade variants={picture.variants} shown={shown.id} onShow={setChosen} />}
    </>
  );
}

const TYPED = "typed";

/** The largest box of a slot, at the density that it is made for. */
function inSlot(slots: Framings["slots"], id: string | undefined): Target | undefined {
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

function NoProof({ lead }: { lead: React.ReactNode }) {
  return (
    <section className="proof">
      <div className="bar">{lead}</div>
      <div className="empty">
        <h2>Nothing made yet</h2>
        <span className="soft">
          Type the size of the slot, move the frame with the focal point, and make the file. It is then shown here at
          true size beside the original.
        </span>
      </div>
    </section>
  );
}
