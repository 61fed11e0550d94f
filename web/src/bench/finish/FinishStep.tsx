import { Button, Select } from "antd";
import { useMemo, useState } from "react";
import type { EditEntry, Picture, Adjustments } from "../../api/client";
import { usePictures } from "../../api/usePictures";
import { ProblemNote } from "../../ui/ProblemNote";
import { useAddress } from "../../ui/useAddress";
import { useKey } from "../../ui/useKey";
import { useStage } from "../useStage";
import { useFramings, useViews } from "../useViews";
import type { WorkOnBench } from "../useWork";
import { ZoomChoice } from "../ZoomChoice";
import { EditRow } from "./EditRow";
import { Histograms } from "./Histogram";
import { EditPresets } from "./EditPresets";
import { ShownView } from "./ShownView";
import { kindOf, nameOf, useEditKinds, type Kind } from "../../api/useEditKinds";
import "./finish.css";

const WHOLE = "whole";

interface Props {
  picture: Picture;
  on: WorkOnBench;
  slots: string[];
}

/** The edits as an ordered list, and the picture as it looks with them. */
export function FinishStep({ picture, on, slots }: Props) {
  const { adjustments } = on;
  const steps = useMemo(() => adjustments.edits?.steps ?? [], [adjustments.edits]);
  const { kinds = [], behind = [] } = useEditKinds().data ?? {};
  const called = (kind: Kind) => nameOf(kinds, kind).toLowerCase();
  const moves = (kind: Kind) => kindOf(kinds, kind)?.moves === true;
  const [, changeAddress] = useAddress();
  const framings = useFramings(picture.id, adjustments, slots);
  const [asked, setPlace] = useState<string>();
  const [picking, setPicking] = useState<{ at: number; field: string }>();
  const [search, setSearch] = useState("");
  const [addsLogo, setAddsLogo] = useState(false);
  const [plain, setPlain] = useState(false);
  const logos = usePictures({ search }, { sort: "name", descending: false });

  const places = useMemo(
    () =>
      framings.data?.slots.flatMap((slot) =>
        slot.widths.map((one) => ({
          value: `${slot.slot} ${one.viewport}`,
          label: `${slot.name} at ${one.viewport} px`,
          slot: slot.slot,
          one,
        })),
      ) ?? [],
    [framings.data],
  );
  // The largest view of the first slot shows most; without a slot, all of the picture does.
  const largest = places
    .filter(({ slot: of }) => of === places[0]?.slot)
    .reduce<(typeof places)[number] | undefined>(
      (best, one) => (best && (best.one.size[0] ?? 0) >= (one.one.size[0] ?? 0) ? best : one),
      undefined,
    );
  const place = asked ?? largest?.value ?? WHOLE;
  const shownPlace = places.find(({ value }) => value === place);
  const shownWork: Adjustments = useMemo(
    () => (plain ? { ...adjustments, edits: { version: 1, steps: [] } } : adjustments),
    [plain, adjustments],
  );
  const viewport = shownPlace?.one.viewport;
  const slot = shownPlace?.slot;
  const density = shownPlace?.one.density;
  const views = useMemo(
    () => [
      slot !== undefined && viewport !== undefined && density !== undefined
        ? { place: { slot, viewport, density }, width: 1_600 }
        : { width: 1_600 },
    ],
    [slot, viewport, density],
  );
  const shown = useViews(picture.id, shownWork, views, { histograms: true });
  const bitmap = shown.data?.bitmap;
  const part = shown.data?.places[0];
  const size = part ?? { width: picture.shown_width, height: picture.shown_height };
  const stage = useStage(size.width, size.height);
  useKey((event) => {
    if (event.key === "o") setPlain(true);
  });
  useKey((event) => {
    if (event.key === "o") setPlain(false);
  }, "keyup");

  const withSteps = (next: EditEntry[]): Adjustments => ({ ...adjustments, edits: { version: 1, steps: next } });
  const change = (at: number, step: EditEntry) => {
    on.settle(withSteps(steps.map((old, n) => (n === at ? step : old))), `${called(step.kind)} changed`);
  };
  const add = (kind: Kind) => {
    const edit = kindOf(kinds, kind)?.first;
    // Its picture is chosen first.
    if (edit && kind !== "logo") on.note(withSteps([...steps, edit]), `added ${called(kind)}`);
    else setAddsLogo(true);
  };
  const swap = (a: number, b: number) => {
    const next = [...steps];
    const [one, other] = [next[a], next[b]];
    if (!one || !other) return;
    next[a] = other;
    next[b] = one;
    on.note(withSteps(next), `moved ${called(one.kind)}`);
  };
  const has = (kind: Kind) => !moves(kind) && steps.some((step) => step.kind === kind);
  const issues = shown.data?.issues[0] ?? [];
  const contrasts = shown.data?.contrasts ?? [];
  const takeColour =
    picking &&
    ((colour: string) => {
      const step = steps[picking.at];
      setPicking(undefined);
      if (!step) return;
      const value = picking.field === "corners" ? { fill: colour } : colour;
      on.note(
        withSteps(steps.map((old, n) => (n === picking.at ? { ...step, [picking.field]: value } : old))),
        `took ${colour} from the picture`,
      );
    });
  return (
    <div className="finish-step">
      <section className="framing" aria-label="The picture with its edits">
        <div className="bar">
          <Select
            aria-label="What is shown"
            value={shownPlace ? place : WHOLE}
            popupMatchSelectWidth={false}
            options={[
              { value: WHOLE, label: "the whole picture" },
              ...places.map(({ value, label }) => ({ value, label })),
            ]}
            onChange={setPlace}
          />
          <ZoomChoice zoom={stage.zoom} onZoom={stage.setZoom} />
          <span className="soft">
            Hold <kbd>O</kbd> for the original
          </span>
        </div>
        {shown.error && <ProblemNote error={shown.error} again={() => void shown.refetch()} />}
        {part === null && (
          <p className="pane-note">No file can be made for this exact slot: the picture is too small.</p>
        )}
        <ShownView name={picture.name} bitmap={bitmap} stage={stage} onColour={takeColour} />
      </section>
      <section className="edits-pane" aria-label="Edits">
        <div className="bar">
          <h2>Edits</h2>
          <Select
            aria-label="Add an edit"
            size="small"
            value={null}
            placeholder="Add…"
            popupMatchSelectWidth={false}
            style={{ minWidth: 90 }}
            listHeight={480}
            options={[...new Set(kinds.map(({ group }) => group))].map((group) => ({
              label: group,
              title: group,
              options: kinds
                .filter((kind) => kind.group === group)
                .map(({ name, first: { kind } }) => ({
                  value: kind,
                  label: name,
                  disabled: has(kind),
                  title: has(kind) ? "It is in the list already" : undefined,
                })),
            }))}
            onChange={(kind: Kind | null) => {
              if (kind) add(kind);
            }}
          />
          <span className="gap" />
          <EditPresets
            adjustments={adjustments}
            onTake={(next, name) => {
              on.note(next, `took the edits of “${name}”`);
            }}
          />
        </div>
        {addsLogo && (
          <div className="pane-note">
            <Select
              aria-label="Picture of the logo"
              defaultOpen
              size="small"
              showSearch={{ filterOption: false, onSearch: setSearch }}
              placeholder="Which picture?"
              style={{ minWidth: 220 }}
              options={(logos.data?.pages.flatMap((page) => page.pictures) ?? []).map((one) => ({
                value: one.hash,
                label: one.name,
                title: one.name,
              }))}
              onChange={(image: string) => {
                setAddsLogo(false);
                const first = kindOf(kinds, "logo")?.first;
                if (first?.kind === "logo") on.note(withSteps([...steps, { ...first, image }]), "added a logo");
              }}
            />
            <Button
              size="small"
              onClick={() => {
                setAddsLogo(false);
              }}
            >
              No logo
            </Button>
          </div>
        )}
        {steps.length > 0 ? (
          <ol className="edit-list">
            {steps.map((step, n) => {
              const beside = (by: number) => {
                const next = steps[n + by];
                return next && moves(step.kind) && moves(next.kind) && isOverlay(step) === isOverlay(next)
                  ? () => {
                      swap(n, n + by);
                    }
                  : undefined;
              };
              return (
                <EditRow
                  key={`${n} ${step.kind}`}
                  step={step}
                  issues={issues.filter(({ place }) => place.on === "edit" && place.step === n)}
                  contrast={contrasts.find(({ step: of }) => of === n)}
                  onEdit={(next) => {
                    change(n, next);
                  }}
                  onRemove={() => {
                    on.note(withSteps(steps.filter((_, at) => at !== n)), `removed ${called(step.kind)}`);
                  }}
                  onUp={beside(-1)}
                  onDown={beside(1)}
                  picking={picking?.at === n ? picking.field : undefined}
                  onPick={(field) => {
                    setPicking(picking ? undefined : { at: n, field });
                  }}
                  kind={kindOf(kinds, step.kind)}
                  behind={behind}
                  onDraw={(tool) => {
                    changeAddress({ step: "frame", tool }, "back");
                  }}
                />
              );
            })}
          </ol>
        ) : (
          <p className="pane-note soft">
            No edits: the files show the original's own pixels. Add one above; the original stays as it is whatever you
            do.
          </p>
        )}
        {framings.data?.keeps_css_size && (
          <p className="pane-note">A length is set in CSS px: each layout width gets a source of its own.</p>
        )}
        <Histograms before={shown.data?.before} after={shown.data?.after} />
      </section>
    </div>
  );
}

const isOverlay = (step: EditEntry) => step.kind === "border" || step.kind === "text" || step.kind === "logo";
