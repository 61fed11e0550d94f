import { Button, Checkbox, Segmented, Select } from "antd";
import { useMemo, useState } from "react";
import { Link } from "react-router";
import { api, unwrap, type Holding, type Picture, type Rect, type Adjustments } from "../../api/client";
import { usePictures } from "../../api/usePictures";
import { ProblemNote } from "../../ui/ProblemNote";
import { useAddress } from "../../ui/useAddress";
import { useKey } from "../../ui/useKey";
import { useLatest } from "../../ui/useLatest";
import { useStage } from "../useStage";
import { useFramings, useViews } from "../useViews";
import type { WorkOnBench } from "../useWork";
import { ZoomChoice } from "../ZoomChoice";
import { CropFigures, type Lock } from "./CropFigures";
import { CropPanel } from "./CropPanel";
import { NO_MARKS, type Marks } from "./marks";
import { SlotViews } from "./SlotViews";
import { SourceView, type Chosen, type Tool } from "./SourceView";
import { useCrop } from "./useCrop";
import "./frame.css";

type Scale = "fit" | "quarter" | "half" | "true";
const SCALES: { value: Scale; label: string; title: string }[] = [
  { value: "fit", label: "together", title: "As large as the longest row has room" },
  { value: "quarter", label: "1 : 4", title: "A quarter of true size" },
  { value: "half", label: "1 : 2", title: "Half of true size" },
  { value: "true", label: "true size", title: "As large as on the page" },
];

const TOOLS: { value: Tool; label: string; title: string }[] = [
  { value: "focal", label: "Focal point", title: "A click sets the focal point of all frames (F)" },
  { value: "keep", label: "Keep area", title: "Draw what no frame may cut (K)" },
  { value: "frame", label: "This frame", title: "Draw or move the chosen frame by hand (H)" },
  { value: "crop", label: "Crop", title: "Cut the picture itself, for all its slots (C)" },
  { value: "straighten", label: "Straighten", title: "Draw a line that is to be level (L)" },
];

/** A change that the server works out. */
interface Question {
  question: () => Promise<Adjustments>;
  /** Whether it is over, and not only shown while something is dragged. */
  done: boolean;
  summary: string;
}

interface Props {
  picture: Picture;
  on: WorkOnBench;
  /** Slots besides those that show it. */
  slots: string[];
  onSlots: (slots: string[]) => void;
}

/** The source with every slot's frame on it, and beside it all slots as they will look. */
export function FrameStep({ picture, on, slots, onSlots }: Props) {
  const { adjustments } = on;
  const framings = useFramings(picture.id, adjustments, slots);
  const [address, changeAddress] = useAddress();
  const tool = TOOLS.find(({ value }) => value === address.get("tool"))?.value ?? "focal";
  const setTool = (next: Tool) => {
    changeAddress({ tool: next === "focal" ? undefined : next });
  };
  const [picked, setPicked] = useState<Chosen>();
  const [marks, setMarks] = useState<Marks>(NO_MARKS);
  const [lock, setLock] = useState<Lock>("slot");
  const [typed, setTyped] = useState({ width: 3, height: 2 });
  const [other, setOther] = useState<string>();
  const [search, setSearch] = useState("");
  const [scaleChoice, setScale] = useState<Scale>("fit");
  const [error, setError] = useState<Error | null>(null);
  const canvas = framings.data?.canvas ?? { width: picture.shown_width, height: picture.shown_height };
  const stage = useStage(canvas.width, canvas.height);
  const crop = useCrop(picture, on, canvas, on.bench.slots);
  const others = usePictures({ search }, { sort: "name", descending: false });

  // Closer than the reduced copy has pixels, the original is asked for.
  const closeUp = stage.place.width * devicePixelRatio > 1_700 ? Math.min(canvas.width, 6_000) : 1_600;
  const whole = useViews(
    picture.id,
    adjustments,
    useMemo(() => [{ width: closeUp }], [closeUp]),
    { withoutFrame: true },
  );
  const bitmap = whole.data?.bitmap;

  const all = useMemo(
    () => framings.data?.slots.flatMap((slot) => slot.widths.map((one) => ({ slot, one }))) ?? [],
    [framings.data],
  );
  const chosen = all.some(({ slot, one }) => slot.slot === picked?.slot && one.viewport === picked.viewport)
    ? picked
    : all[0] && { slot: all[0].slot.slot, viewport: all[0].one.viewport };
  const current = all.find(({ slot, one }) => slot.slot === chosen?.slot && one.viewport === chosen.viewport);

  const room = 520;
  const longest = Math.max(
    1,
    ...(framings.data?.slots ?? []).map((slot) => slot.widths.reduce((sum, one) => sum + (one.size[0] ?? 0), 0)),
  );
  const scale = { fit: Math.min(0.5, (room - 40) / longest), quarter: 0.25, half: 0.5, true: 1 }[scaleChoice];
  const views = useMemo(
    () =>
      all.map(({ slot, one }) => ({
        place: { slot: slot.slot, viewport: one.viewport, density: one.density },
        width: Math.max(1, Math.round((one.size[0] ?? 1) * scale * devicePixelRatio)),
      })),
    [all, scale],
  );
  const rendered = useViews(picture.id, adjustments, views, {
    enabled: framings.data?.has_frame === true && views.length > 0,
  });
  // While something is dragged, what was rendered before is not what is framed now.
  const shownViews = framings.data?.has_frame && rendered.data?.of === adjustments ? rendered.data : undefined;

  /** Asks the server for the adjustments with a change. */
  const ask = useLatest(async ({ question, done, summary }: Question) => {
    try {
      const next = await question();
      setError(null);
      if (done) on.note(next, summary);
      else on.show(next);
    } catch (failed) {
      setError(failed as Error);
    }
  });
  const path = { id: picture.id };
  const aim = (point: { focal?: number[]; keep?: Rect }, done: boolean, summary: string) => {
    ask({
      question: async () =>
        unwrap(await api.POST("/pictures/{id}/aim", { params: { path }, body: { adjustments, ...point } })),
      done,
      summary,
    });
  };
  const onStraighten = (from: [number, number], to: [number, number]) => {
    ask({
      question: async () =>
        unwrap(await api.POST("/pictures/{id}/straighten", { params: { path }, body: { adjustments, from, to } })),
      done: true,
      summary: "straightened by a line",
    });
  };
  const onCrop = (crop: Rect, holding: Holding, done: boolean) => {
    if (!current) return;
    const [width = 1, height = 1] = current.one.size;
    const like = others.data?.pages.flatMap((page) => page.pictures).find(({ id }) => id === other);
    const aspect = {
      slot: width / height,
      free: null,
      typed: typed.width / typed.height,
      picture: like ? like.shown_width / like.shown_height : null,
    }[lock];
    const body = { adjustments, crop, slot: current.slot.slot, viewport: current.one.viewport, aspect, holding };
    ask({
      question: async () => unwrap(await api.POST("/pictures/{id}/crop", { params: { path }, body })).adjustments,
      done,
      summary: `framed ${current.slot.name} at ${current.one.viewport} by hand`,
    });
  };
  const onRelease = () => {
    if (!chosen) return;
    const others = Object.entries(adjustments.crops?.[chosen.slot] ?? {}).filter(
      ([viewport]) => Number(viewport) !== chosen.viewport,
    );
    on.note(
      { ...adjustments, crops: { ...adjustments.crops, [chosen.slot]: Object.fromEntries(others) } },
      `framed ${current?.slot.name ?? "a slot"} at ${chosen.viewport} by the focal point`,
    );
  };
  useKey((event) => {
    if (event.key === "f") setTool("focal");
    if (event.key === "k") setTool("keep");
    if (event.key === "h" && current) setTool("frame");
    if (event.key === "c") setTool("crop");
    if (event.key === "l") setTool("straighten");
    if (event.key === "s" && tool === "crop") crop.onShape("square");
    if (event.key === "Enter" && tool === "crop") crop.apply();
    if (event.key === "Escape" && tool === "crop") crop.clear();
  });

  if (!framings.data) {
    return framings.error ? (
      <ProblemNote error={framings.error} again={() => void framings.refetch()} />
    ) : (
      <p className="empty soft">Framing…</p>
    );
  }
  const hidden = on.bench.slots.filter(({ id, shows }) => !shows && !slots.includes(id));
  const suggested = on.bench.suggested;
  return (
    <div className="frame-step">
      <section className="framing" aria-label="Source">
        <div className="bar">
          <Segmented
            aria-label="What a drag does"
            value={tool}
            onChange={setTool}
            options={TOOLS.map(({ value, label, title }) => ({
              value,
              label,
              title: value === "frame" && !current ? "Show a slot first, to frame the picture for it" : title,
              disabled: value === "frame" && !current,
            }))}
          />
        </div>
        <div className="bar">
          <ZoomChoice zoom={stage.zoom} onZoom={stage.setZoom} />
          <Checkbox
            checked={marks.thirds}
            onChange={({ target }) => {
              setMarks({ ...marks, thirds: target.checked });
            }}
          >
            thirds
          </Checkbox>
          <Checkbox
            checked={marks.middles}
            onChange={({ target }) => {
              setMarks({ ...marks, middles: target.checked });
            }}
          >
            centre lines
          </Checkbox>
          <span className="gap" />
          {adjustments.keep_area ? (
            <Button
              size="small"
              onClick={() => {
                on.note({ ...adjustments, keep_area: null }, "took the keep area away");
              }}
            >
              Remove keep area
            </Button>
          ) : null}
          <Button
            size="small"
            title={`By the pixels alone: ${Math.round(100 * suggested.x)} % from the left, ${Math.round(100 * suggested.y)} % from the top`}
            onClick={() => {
              on.note({ ...adjustments, focal: suggested }, "took the suggested focal point");
            }}
          >
            Suggest a point
          </Button>
        </div>
        <SourceView
          name={picture.name}
          framings={framings.data}
          bitmap={bitmap}
          stage={stage}
          tool={tool}
          chosen={chosen}
          marks={marks}
          onMarks={setMarks}
          onFocal={(x, y, done) => {
            aim({ focal: [x, y] }, done, "moved the focal point");
          }}
          onKeep={(keep, done) => {
            aim({ keep }, done, "drew the keep area");
          }}
          onCrop={onCrop}
          draft={crop.draft?.crop}
          onDraft={crop.onDraw}
          onStraighten={onStraighten}
        />
        {tool === "crop" && <CropPanel crop={crop} slots={on.bench.slots} whole={{ x: 0, y: 0, ...canvas }} />}
        {tool === "straighten" && (
          <p className="pane-note">Draw a line along the horizon or an edge: it becomes level, or upright.</p>
        )}
        {error && <ProblemNote error={error} />}
        {current && tool !== "crop" && tool !== "straighten" && (
          <CropFigures
            slot={current.slot}
            one={current.one}
            tool={tool}
            onCrop={onCrop}
            onRelease={onRelease}
            keep={framings.data.keep ? rectOf(framings.data.keep) : undefined}
            onKeep={(keep) => {
              aim({ keep }, true, "typed the keep area");
            }}
            lock={lock}
            onLock={setLock}
            typed={typed}
            onTyped={setTyped}
            others={others.data?.pages.flatMap((page) => page.pictures) ?? []}
            other={other}
            onOther={setOther}
            onSearch={setSearch}
          />
        )}
      </section>
      <section className="slots-pane" aria-label="Slots">
        <div className="bar">
          <h2>Slots</h2>
          <Segmented aria-label="Scale of the slots" options={SCALES} value={scaleChoice} onChange={setScale} />
          <span className="gap" />
          <Select
            aria-label="Show another slot"
            size="small"
            value={null}
            placeholder="Another slot…"
            disabled={hidden.length === 0}
            title={hidden.length === 0 ? "All slots are shown" : ""}
            popupMatchSelectWidth={false}
            options={hidden.map(({ id, name }) => ({ value: id, label: name }))}
            onChange={(id: string | null) => {
              if (id) onSlots([...slots, id]);
            }}
          />
        </div>
        {framings.data.keeps_css_size && (
          <p className="pane-note">An edit keeps its size in CSS px: each layout width gets a source of its own.</p>
        )}
        {rendered.error && <ProblemNote error={rendered.error} />}
        {framings.data.slots.length > 0 ? (
          <SlotViews
            framings={framings.data}
            bitmap={bitmap}
            views={shownViews}
            scale={scale}
            chosen={chosen}
            onChoose={setPicked}
          />
        ) : (
          <div className="empty">
            <h2>No slot shows this picture</h2>
            <span className="soft">
              Place it in one in the <Link to="/layouts">layouts</Link>, or choose a slot above to see how it would look
              there.
            </span>
          </div>
        )}
      </section>
    </div>
  );
}

/** Left, top, right and bottom as a rectangle of whole pixels. */
function rectOf([left = 0, top = 0, right = 0, bottom = 0]: number[]): Rect {
  const [x, y] = [Math.round(left), Math.round(top)];
  return { x, y, width: Math.round(right) - x, height: Math.round(bottom) - y };
}
