import { useRef, useState, type KeyboardEvent, type PointerEvent } from "react";
import type { Framings, Holding, Rect, WidthFraming } from "../../api/client";
import { Painted } from "../Painted";
import { StageRoom } from "../StageRoom";
import type { Stage } from "../useStage";
import { Guides } from "./Guides";
import { snapped, type Marks } from "./marks";
import { arrow, usePressed } from "./usePressed";

export type Tool = "focal" | "keep" | "frame" | "crop" | "straighten";

export interface Chosen {
  slot: string;
  viewport: number;
}

interface Props {
  name: string;
  framings: Framings;
  bitmap: ImageBitmap | undefined;
  stage: Stage;
  tool: Tool;
  chosen: Chosen | undefined;
  marks: Marks;
  /** Nothing where no guide can be pulled. */
  onMarks: ((marks: Marks) => void) | undefined;
  /** `done` says that the drag is over. */
  onFocal: (x: number, y: number, done: boolean) => void;
  onKeep: (area: Rect, done: boolean) => void;
  onCrop: (crop: Rect, holding: Holding, done: boolean) => void;
  /** The crop of the picture itself as it is drawn, where that is done. */
  draft?: Rect | undefined;
  onDraft?: (crop: Rect, holding: Holding) => void;
  /** Called with a line that is to be level. */
  onStraighten?: (from: [number, number], to: [number, number]) => void;
}

const HANDLES: { at: string; x: 0 | 1; y: 0 | 1; holding: Holding; words: string }[] = [
  { at: "nw", x: 0, y: 0, holding: "bottom-right", words: "upper left" },
  { at: "ne", x: 1, y: 0, holding: "bottom-left", words: "upper right" },
  { at: "sw", x: 0, y: 1, holding: "top-right", words: "lower left" },
  { at: "se", x: 1, y: 1, holding: "top-left", words: "lower right" },
];

/** The source with every slot's frame on it, the focal point and the keep area. */
export function SourceView({
  name,
  framings,
  bitmap,
  stage,
  tool,
  chosen,
  marks,
  onMarks,
  onFocal,
  onKeep,
  onCrop,
  draft,
  onDraft,
  onStraighten,
}: Props) {
  const plate = useRef<HTMLDivElement>(null);
  const start = useRef<{ x: number; y: number }>(undefined);
  const [line, setLine] = useState<[Point, Point]>();
  const pressed = usePressed<number[]>();
  const { width, height } = framings.canvas;
  const { scale } = stage;
  const all = framings.slots.flatMap((slot) => slot.widths.map((one) => ({ slot, one })));
  const current = all.find(({ slot, one }) => slot.slot === chosen?.slot && one.viewport === chosen.viewport)?.one;
  const keep = framings.keep;

  const pointAt = (event: { clientX: number; clientY: number }) => {
    const box = plate.current?.getBoundingClientRect();
    if (!box) return { x: 0, y: 0 };
    const within = (value: number, most: number) => Math.max(0, Math.min(most, value / scale));
    return { x: within(event.clientX - box.left, width), y: within(event.clientY - box.top, height) };
  };
  const between = (a: { x: number; y: number }, b: { x: number; y: number }): Rect => {
    const [x1, x2] = [Math.min(a.x, b.x), Math.max(a.x, b.x)].map((x) => Math.round(snapped(x, marks.down, scale)));
    const [y1, y2] = [Math.min(a.y, b.y), Math.max(a.y, b.y)].map((y) => Math.round(snapped(y, marks.across, scale)));
    return { x: x1 ?? 0, y: y1 ?? 0, width: (x2 ?? 0) - (x1 ?? 0), height: (y2 ?? 0) - (y1 ?? 0) };
  };
  const act = (event: PointerEvent, done: boolean) => {
    const point = pointAt(event);
    const from = start.current;
    if (!from) return;
    if (tool === "focal") onFocal(point.x, point.y, done);
    else if (tool === "straighten") {
      setLine(done ? undefined : [from, point]);
      if (done) onStraighten?.([from.x, from.y], [point.x, point.y]);
    } else if (tool === "keep") onKeep(between(from, point), done);
    else {
      const drawn = between(from, point);
      if (drawn.width <= 3 || drawn.height <= 3) return;
      if (tool === "crop") onDraft?.(drawn, "top-left");
      else onCrop(drawn, "top-left", done);
    }
  };
  const onFocalKey = (event: KeyboardEvent) => {
    const move = arrow(event, 0.01);
    if (!move) return;
    const [x = 0, y = 0] = pressed.from(framings.focal);
    const next = [
      Math.max(0, Math.min(width, x + move[0] * width)),
      Math.max(0, Math.min(height, y + move[1] * height)),
    ] as const;
    pressed.note([...next]);
    onFocal(next[0], next[1], true);
  };
  const box = (rect: Rect) => ({
    left: rect.x * scale,
    top: rect.y * scale,
    width: rect.width * scale,
    height: rect.height * scale,
  });
  const [fx = 0, fy = 0] = framings.focal;
  return (
    <StageRoom stage={stage}>
      <div
        ref={plate}
        className="plate"
        role="presentation"
        data-tool={tool}
        style={stage.place}
        onPointerDown={(event) => {
          if (event.button !== 0 || stage.panning) return;
          event.currentTarget.setPointerCapture(event.pointerId);
          start.current = pointAt(event);
          if (tool === "focal") act(event, false);
        }}
        onPointerMove={(event) => {
          act(event, false);
        }}
        onPointerUp={(event) => {
          act(event, true);
          start.current = undefined;
        }}
      >
        <Painted
          bitmap={bitmap}
          part={bitmap && { x: 0, y: 0, width: bitmap.width, height: bitmap.height }}
          width={stage.place.width}
          height={stage.place.height}
          label={`The whole of ${name}`}
          testId="source"
        />
        {all.map(({ slot, one }) => (
          <div
            key={`${slot.slot} ${one.viewport}`}
            className="slot-frame"
            data-hand={one.by_hand}
            style={box(one.crop)}
            title={`${slot.name} at ${one.viewport} px`}
          />
        ))}
        {keep && (
          <div
            className="keep-area"
            data-testid="keep"
            style={{
              left: (keep[0] ?? 0) * scale,
              top: (keep[1] ?? 0) * scale,
              width: ((keep[2] ?? 0) - (keep[0] ?? 0)) * scale,
              height: ((keep[3] ?? 0) - (keep[1] ?? 0)) * scale,
            }}
          >
            <span>keep</span>
          </div>
        )}
        {line && <StraighteningLine line={line} scale={scale} />}
        {tool === "crop" && draft && (
          <ChosenFrame
            crop={draft}
            scale={scale}
            marks={marks}
            drawn
            name="Crop"
            onCrop={(crop, holding) => {
              onDraft?.(crop, holding);
            }}
            pointAt={pointAt}
          />
        )}
        {current && tool !== "crop" && (
          <ChosenFrame
            crop={current.crop}
            scale={scale}
            marks={marks}
            drawn={tool === "frame"}
            name="Frame"
            onCrop={onCrop}
            pointAt={pointAt}
          />
        )}
        <button
          type="button"
          className="focal"
          style={{ left: fx * scale, top: fy * scale }}
          aria-label={`Focal point, ${Math.round((100 * fx) / width)} % from the left, ${Math.round((100 * fy) / height)} % from the top; arrow keys move it`}
          onKeyDown={onFocalKey}
        />
        {onMarks && <Guides marks={marks} scale={scale} width={width} height={height} onMarks={onMarks} />}
      </div>
    </StageRoom>
  );
}

interface FrameProps {
  crop: WidthFraming["crop"];
  scale: number;
  marks: Marks;
  /** Whether it can be taken hold of. */
  drawn: boolean;
  /** What it is, as it is spoken. */
  name: "Frame" | "Crop";
  onCrop: Props["onCrop"];
  pointAt: (event: { clientX: number; clientY: number }) => { x: number; y: number };
}

interface Point {
  x: number;
  y: number;
}

/** The line that is being drawn along what shall be level. */
function StraighteningLine({ line: [from, to], scale }: { line: [Point, Point]; scale: number }) {
  const length = Math.hypot(to.x - from.x, to.y - from.y) * scale;
  const turn = Math.atan2(to.y - from.y, to.x - from.x);
  return (
    <i
      className="straightening-line"
      style={{ left: from.x * scale, top: from.y * scale, width: length, transform: `rotate(${turn}rad)` }}
    />
  );
}

/** A frame to be moved and drawn by hand. */
function ChosenFrame({ crop, scale, marks, drawn, name, onCrop, pointAt }: FrameProps) {
  const grip = useRef<{ x: number; y: number; crop: Rect }>(undefined);
  const pressed = usePressed<Rect>();
  const style = { left: crop.x * scale, top: crop.y * scale, width: crop.width * scale, height: crop.height * scale };
  const moved = (event: PointerEvent): Rect | undefined => {
    const from = grip.current;
    if (!from) return undefined;
    const to = pointAt(event);
    const shift = (start: number, length: number, by: number, guides: number[]) => {
      const free = start + by;
      const near = snapped(free, guides, scale);
      const far = snapped(free + length, guides, scale) - length;
      return Math.max(0, Math.round(near === free ? far : near));
    };
    return {
      ...from.crop,
      x: shift(from.crop.x, from.crop.width, to.x - from.x, marks.down),
      y: shift(from.crop.y, from.crop.height, to.y - from.y, marks.across),
    };
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const move = arrow(event, 1);
    if (!move) return;
    const from = pressed.from(crop);
    const next = { ...from, x: Math.max(0, from.x + move[0]), y: Math.max(0, from.y + move[1]) };
    pressed.note(next);
    onCrop(next, "size", true);
  };
  const third = (n: number) => `${(100 * n) / 3}%`;
  return (
    <div className="chosen-frame" data-testid={name.toLowerCase()} data-drawn={drawn} style={style}>
      {marks.thirds &&
        [1, 2].map((n) => <i key={n} className="mark-line" style={{ left: third(n), top: 0, bottom: 0 }} />)}
      {marks.thirds &&
        [1, 2].map((n) => <i key={-n} className="mark-line level" style={{ top: third(n), left: 0, right: 0 }} />)}
      {marks.middles && <i className="mark-line" style={{ left: "50%", top: 0, bottom: 0 }} />}
      {marks.middles && <i className="mark-line level" style={{ top: "50%", left: 0, right: 0 }} />}
      {drawn && (
        <button
          type="button"
          className="frame-grip"
          aria-label={`${name}, ${crop.width} × ${crop.height} px from ${crop.x}, ${crop.y}; arrow keys move it by 1 px, with Shift by 10`}
          onKeyDown={onKeyDown}
          onPointerDown={(event) => {
            if (event.button !== 0) return;
            event.stopPropagation();
            event.currentTarget.setPointerCapture(event.pointerId);
            grip.current = { ...pointAt(event), crop };
          }}
          onPointerMove={(event) => {
            const to = moved(event);
            if (to) onCrop(to, "size", false);
          }}
          onPointerUp={(event) => {
            const to = moved(event);
            grip.current = undefined;
            if (to) onCrop(to, "size", true);
          }}
        />
      )}
      {drawn &&
        HANDLES.map(({ at, x, y, holding, words }) => {
          const drag = (event: PointerEvent, done: boolean) => {
            const from = grip.current;
            if (!from) return;
            const to = pointAt(event);
            const fixed = {
              x: x === 0 ? from.crop.x + from.crop.width : from.crop.x,
              y: y === 0 ? from.crop.y + from.crop.height : from.crop.y,
            };
            const tip = {
              x: Math.round(snapped(to.x, marks.down, scale)),
              y: Math.round(snapped(to.y, marks.across, scale)),
            };
            const rect = {
              x: Math.min(fixed.x, tip.x),
              y: Math.min(fixed.y, tip.y),
              width: Math.abs(fixed.x - tip.x),
              height: Math.abs(fixed.y - tip.y),
            };
            if (rect.width > 0 && rect.height > 0) onCrop(rect, holding, done);
            if (done) grip.current = undefined;
          };
          return (
            <button
              key={at}
              type="button"
              className={`frame-handle ${at}`}
              aria-label={`Corner on the ${words}; arrow keys move it`}
              onKeyDown={(event) => {
                const move = arrow(event, 1);
                if (!move) return;
                const from = pressed.from(crop);
                const rect = {
                  x: from.x + (x === 0 ? move[0] : 0),
                  y: from.y + (y === 0 ? move[1] : 0),
                  width: from.width + (x === 0 ? -move[0] : move[0]),
                  height: from.height + (y === 0 ? -move[1] : move[1]),
                };
                if (rect.x < 0 || rect.y < 0 || rect.width <= 0 || rect.height <= 0) return;
                pressed.note(rect);
                onCrop(rect, holding, true);
              }}
              onPointerDown={(event) => {
                if (event.button !== 0) return;
                event.stopPropagation();
                event.currentTarget.setPointerCapture(event.pointerId);
                grip.current = { ...pointAt(event), crop };
              }}
              onPointerMove={(event) => {
                drag(event, false);
              }}
              onPointerUp={(event) => {
                drag(event, true);
              }}
            />
          );
        })}
    </div>
  );
}
