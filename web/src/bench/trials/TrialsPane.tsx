import { siteApi } from "../../api/client";
import { Button, InputNumber, Segmented, Select } from "antd";
import { useEffect, useMemo, useState } from "react";
import { createPortal } from "react-dom";
import type { Format, Picture, Trial, Adjustments } from "../../api/client";
import { bytes, formatName, percent, pixels } from "../../ui/figures";
import { ProblemNote } from "../../ui/ProblemNote";
import { useKey } from "../../ui/useKey";
import { useSize } from "../../ui/useWidth";
import { useBitmap } from "../useBitmap";
import { Band } from "./Band";
import { Curve } from "./Curve";
import { Ruler } from "./Ruler";
import { FrameChoice, frameWords } from "./FrameChoice";
import { useFrames } from "./useFrames";
import { outcomeWords, ruleWords } from "./words";
import { useChoose, useProof, useSearches, useTrial, type Target } from "./useTrials";
import "./trials.css";

type AddBy = "quality" | "bytes";

interface Props {
  picture: Picture;
  target: Target | undefined;
  adjustments: Adjustments;
  /** Why there is nothing to prove yet. */
  hindrance: string | undefined;
  /** Makes the file of a trial. */
  onMake: (trial: Trial) => void;
  making: boolean;
}

/** The proof strip: trials of one picture in one place, in the order of their bytes. */
export function TrialsPane({ picture, target: asked, adjustments, hindrance, onMake, making }: Props) {
  const target = useSettled(asked);
  const proof = useProof(picture.id, target, adjustments);
  const searches = useSearches(picture.id, target, adjustments, proof.data);
  const trial = useTrial(picture.id, target, adjustments);
  const choose = useChoose(picture.id);
  const [chosen, setChosen] = useState<string>();
  const [left, setLeft] = useState<string[]>([]);
  const [spot, setSpot] = useState(0);
  const [zoom, setZoom] = useState(1);
  const [held, setHeld] = useState(false);
  const [mapped, setMapped] = useState(false);
  const [room, { width, height }] = useSize();

  const trials = (proof.data?.trials ?? []).filter((one) => one.spots.length > 0 && !left.includes(one.id));
  const busy = searches.filter(({ isFetching }) => isFetching).length;
  // While others are on their way the first that came stays the active one, so that nothing is made of
  // one that took its place a moment ago; then it is the lightest.
  const first = busy > 0 ? trials.toSorted((a, b) => a.id.localeCompare(b.id))[0] : trials[0];
  const active = trials.find(({ id }) => id === chosen) ?? first;
  const moves = proof.data?.class === "animation";
  const { frames, shown: frame, ...ofFrames } = useFrames(active, moves);
  const spots = active?.spots ?? [];
  const place = frame?.spot ?? spots[spot % Math.max(spots.length, 1)];
  const original = useBitmap(
    active && `${siteApi}/trials/${active.id}/${frame ? `frames/${frame.frame}/` : ""}reference`,
    { keeps: moves },
  );
  const toNext = () => {
    if (moves) ofFrames.next();
    else setSpot((now) => now + 1);
  };
  const places = moves ? frames.length : spots.length;
  const end = proof.data ? Math.max(proof.data.budget * 1.3, ...trials.map((one) => one.margin.weight * 1.15)) : 1;
  const move = (by: number) => {
    const next = trials[Math.min(Math.max(trials.findIndex(({ id }) => id === active?.id) + by, 0), trials.length - 1)];
    if (next) setChosen(next.id);
  };
  useKey((event) => {
    if (event.key === "o") setHeld(true);
    if (event.key === "d") setMapped((now) => !now);
    if (event.key === "z") setZoom((now) => (now === 1 ? 2 : 1));
    if (event.key === "n") toNext();
    if (event.key === "[") move(-1);
    if (event.key === "]") move(1);
  });
  useKey((event) => {
    if (event.key === "o") setHeld(false);
  }, "keyup");

  if (!target) return <Empty words={hindrance ?? "Type the size of the slot"} />;
  const error = proof.error ?? trial.error ?? choose.error ?? ofFrames.error;
  const done = searches.length - busy;
  const paints = held ? "original" : mapped ? "differences" : "file";
  const add = (format: Format, by: AddBy, value: number) => {
    const how = by === "quality" ? { by, quality: value } : { by, bytes: value };
    trial.mutate(
      { format, how },
      {
        onSuccess: ({ settled }) => {
          if (settled) {
            setChosen(settled);
            setLeft((now) => now.filter((id) => id !== settled));
          }
        },
      },
    );
  };
  return (
    <section className="trials" aria-label="Trials">
      <div className="bar">
        <Segmented
          aria-label="Scale"
          value={zoom}
          onChange={setZoom}
          options={[
            { value: 1, label: "1:1" },
            { value: 2, label: "2:1" },
          ]}
        />
        <Button
          size="small"
          disabled={places < 2}
          title={places >= 2 ? "N" : ofFrames.isLooking ? "Each frame is being looked at" : "It differs nowhere else"}
          onClick={toNext}
        >
          {moves ? "Next worst frame" : "Next worst spot"}
        </Button>
        {frame && <FrameChoice frames={frames} shown={frame} onChoose={ofFrames.choose} />}
        <Button
          size="small"
          aria-pressed={mapped}
          type={mapped ? "primary" : "default"}
          title="D"
          onClick={() => {
            setMapped((now) => !now);
          }}
        >
          Differences
        </Button>
        <span className="soft" data-testid="spot">
          {ofFrames.isLooking && "looking at each frame…"}
          {place && !ofFrames.isLooking && (
            <>
              {frame
                ? frameWords(frames, frame)
                : `spot ${(spot % spots.length) + 1} of ${spots.length}${active ? ` of ${active.name}` : ""}, there ${place.score.toFixed(0)}`}
              ; hold <kbd>O</kbd> for the original
            </>
          )}
        </span>
        <span className="gap" />
        <span className="soft" role="status" data-testid="trial-progress">
          {busy > 0 ? `trying: ${done} of ${searches.length} formats done` : trial.isPending ? "trying…" : ""}
        </span>
        {proof.data && <span className="figure">{pixels(proof.data.width, proof.data.height)}</span>}
      </div>
      {error && <ProblemNote error={error} />}
      {searches.map(({ error: problem }, n) => problem && <ProblemNote key={proof.data?.formats[n]} error={problem} />)}
      {active && proof.data && <Choice trial={active} today={proof.data.today} connection={proof.data.connection} />}
      <div className="trials-body">
        <div className="strip" ref={room}>
          {proof.data && width > 0 && (
            <>
              <Ruler
                width={width}
                end={end}
                budget={proof.data.budget}
                title="Point at a weight to try one of about so many bytes"
                onPoint={(weight) => {
                  add(active?.format ?? proof.data.formats[0] ?? "webp", "bytes", weight);
                }}
              />
              <div className="bands" role="group" aria-label="Trials, the lightest first">
                {trials.map((one) => (
                  <Band
                    key={one.id}
                    trial={one}
                    spot={place}
                    frame={frame?.frame}
                    zoom={zoom}
                    width={width}
                    height={bandHeight(height, trials.length)}
                    original={original.data}
                    paints={paints}
                    chosen={one.id === active?.id}
                    at={(one.margin.weight / end) * width}
                    onChoose={() => {
                      setChosen(one.id);
                    }}
                  />
                ))}
                {trials.length === 0 && (
                  <p className="empty soft">{busy > 0 ? "The first trial is on its way…" : "No trial yet."}</p>
                )}
                <span className="notch" style={{ left: (proof.data.budget / end) * width }} aria-hidden="true" />
              </div>
            </>
          )}
        </div>
        {proof.data && (
          <aside className="trial-side">
            <AddTrial formats={proof.data.formats} busy={trial.isPending} onAdd={add} />
            {active && (
              <div className="chosen-trial" data-testid="chosen-trial">
                <b>{active.name}</b>{" "}
                <span className="figure">
                  {active.word} {active.score.toFixed(1)}
                </span>
                <div className="row">
                  <Button
                    size="small"
                    type="primary"
                    loading={making}
                    title="The file of this trial, to be downloaded"
                    onClick={() => {
                      onMake(active);
                    }}
                  >
                    Make the file
                  </Button>
                  <Button
                    size="small"
                    loading={choose.isPending}
                    onClick={() => {
                      choose.mutate({ trial: active, slot: null });
                    }}
                  >
                    Use for this picture
                  </Button>
                  <Button
                    size="small"
                    disabled={!target.place}
                    title={target.place ? undefined : "Choose a slot of the site first: a typed size has no rule"}
                    onClick={() => {
                      if (target.place) choose.mutate({ trial: active, slot: target.place.slot });
                    }}
                  >
                    Use for the slot
                  </Button>
                  <Button
                    size="small"
                    onClick={() => {
                      setLeft((now) => [...now, active.id]);
                    }}
                  >
                    Hide this trial
                  </Button>
                </div>
              </div>
            )}
            {proof.data.class === "animation" && (
              <p className="rule-words">
                It moves: bands show one frame, the worst of the chosen trial first; scores are of the worst of five
                frames.
              </p>
            )}
            <p className="soft rule-words" data-testid="rule-words">
              {ruleWords(proof.data)}
            </p>
            {searches.map(
              ({ data }) =>
                data &&
                outcomeWords(data.tried.outcome, formatName[data.format]) && (
                  <p key={data.format} className="soft rule-words">
                    {outcomeWords(data.tried.outcome, formatName[data.format])}
                  </p>
                ),
            )}
            <Curve
              proof={proof.data}
              end={end}
              chosen={active?.id}
              onPoint={(one) => {
                if (one.spots.length > 0) {
                  setLeft((now) => now.filter((id) => id !== one.id));
                  setChosen(one.id);
                } else if (one.quality !== null && one.quality !== undefined) add(one.format, "quality", one.quality);
              }}
            />
          </aside>
        )}
      </div>
    </section>
  );
}

function Empty({ words }: { words: string }) {
  return (
    <section className="trials">
      <div className="empty">
        <h2>Enter a size to compare</h2>
        <span className="soft">
          {words}. Every format that suits the picture is then tried here, at the place where it hurts most.
        </span>
      </div>
    </section>
  );
}

/** What stands above the bands and below each detail, in CSS px. */
const RULER = 30;
const RAIL = 24;
/** A detail is high enough to be judged, and not so high that none can be compared with it. */
const LEAST = 112;
const MOST = 460;
/** So many bands share the height that there is; more are scrolled to. */
const TOGETHER = 3;

/** How high each detail is in a strip `room` high that has `bands`. */
export function bandHeight(room: number, bands: number) {
  const share = (room - RULER) / Math.min(Math.max(bands, 1), TOGETHER) - RAIL;
  return Math.floor(Math.min(MOST, Math.max(LEAST, share)));
}

/** What the chosen trial means for the page, in the tally. */
function Choice({ trial, today, connection }: { trial: Trial; today: number; connection: string }) {
  const tally = document.getElementById("tally-choice");
  return (
    tally &&
    createPortal(
      <span className="part" data-testid="choice">
        <b>{trial.name}</b> {bytes(today)} → {bytes(trial.margin.weight)}{" "}
        <span className="figure">({percent(trial.saving.percent)})</span>
        {trial.saved_ms < 0 ? "costs" : "saves"}{" "}
        <span className="figure">{Math.abs(trial.saved_ms / 1_000).toFixed(2)} s</span> at {connection}
      </span>,
      tally,
    )
  );
}

/** One more trial: at a quality, or of at most so many bytes. */
function AddTrial({
  formats,
  busy,
  onAdd,
}: {
  formats: Format[];
  busy: boolean;
  onAdd: (format: Format, by: AddBy, value: number) => void;
}) {
  const [format, setFormat] = useState<Format>();
  const [by, setBy] = useState<AddBy>("bytes");
  const [value, setValue] = useState<number | null>(null);
  const wanted = format ?? formats[0] ?? "webp";
  const hindrance = value === null ? (by === "quality" ? "Type a quality from 1 to 100" : "Type kilobytes") : undefined;
  return (
    <form
      className="row add-trial"
      onSubmit={(event) => {
        event.preventDefault();
        if (value !== null) onAdd(wanted, by, by === "bytes" ? Math.round(value * 1_000) : value);
      }}
    >
      <Select
        size="small"
        aria-label="Format of the trial"
        value={wanted}
        onChange={setFormat}
        popupMatchSelectWidth={false}
        options={formats.map((one) => ({ value: one, label: formatName[one] }))}
      />
      <Select
        size="small"
        aria-label="Trial by"
        value={by}
        popupMatchSelectWidth={false}
        onChange={(next) => {
          setBy(next);
          setValue(null);
        }}
        options={[
          { value: "bytes", label: "under KB" },
          { value: "quality", label: "quality" },
        ]}
      />
      <InputNumber
        size="small"
        aria-label={by === "bytes" ? "Kilobytes of the trial" : "Quality of the trial"}
        controls={false}
        className="trial-value"
        min={by === "bytes" ? 0.1 : 1}
        max={by === "bytes" ? 1_000_000 : 100}
        value={value}
        onChange={setValue}
      />
      <Button size="small" htmlType="submit" disabled={hindrance !== undefined} title={hindrance} loading={busy}>
        Try
      </Button>
    </form>
  );
}

/** A value once it stands still: a size that is being typed is not searched for at each key. */
function useSettled<T>(value: T | undefined): T | undefined {
  const words = value === undefined ? undefined : JSON.stringify(value);
  const [settled, setSettled] = useState(words);
  useEffect(() => {
    const timer = setTimeout(() => {
      setSettled(words);
    }, 400);
    return () => {
      clearTimeout(timer);
    };
  }, [words]);
  return useMemo(() => (settled === undefined ? undefined : (JSON.parse(settled) as T)), [settled]);
}
