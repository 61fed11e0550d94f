import { Button, Segmented } from "antd";
import { useEffect, useState } from "react";
import type { SmallLook, TouchUps } from "../api/client";
import { ColourField } from "../ui/ColourField";
import { joined, moved, NO_TOUCHES, pixelsOf, set, touched, type Pixels } from "./pixels";

type Tool = "pencil" | "fill" | "take";

const TOOLS = [
  { value: "pencil", label: "Pencil" },
  { value: "fill", label: "Fill" },
  { value: "take", label: "Take colour" },
];
const WAYS: [string, number, number][] = [
  ["left", -1, 0],
  ["up", 0, -1],
  ["down", 0, 1],
  ["right", 1, 0],
];
const ARROWS: Record<string, [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
  ArrowRight: [1, 0],
};

interface Props {
  look: SmallLook;
  touches: TouchUps | undefined;
  /** Nothing where nothing is touched up any more. */
  onTouches: (touches: TouchUps | undefined) => void;
}

/** A small version, touched up pixel by pixel; kept apart from the master, and laid on again when that changes. */
export function PixelEditor({ look, touches = NO_TOUCHES, onTouches }: Props) {
  const base = usePixels(look.untouched, look.size);
  const [tool, setTool] = useState<Tool>("pencil");
  const [colour, setColour] = useState("#12304f");
  const [cursor, setCursor] = useState<[number, number]>([0, 0]);
  const [past, setPast] = useState<TouchUps[]>([]);
  const [drawing, setDrawing] = useState(false);
  if (!base) return null;
  const { size } = look;
  const shown = touched(base, touches);
  const at = (x: number, y: number) => shown.colours[y * size + x] ?? "transparent";
  const keep = (next: TouchUps, undoable = true) => {
    if (undoable) setPast([...past, touches]);
    onTouches({ ...next, on: look.fingerprint });
  };
  const use = (x: number, y: number, undoable = true) => {
    setCursor([x, y]);
    if (tool === "take") {
      setColour(at(x, y));
      setTool("pencil");
    } else if (tool === "fill") {
      keep(joined(shown, x, y).reduce((all, [x, y]) => set(all, x, y, colour), touches));
    } else if (at(x, y) !== colour) {
      keep(set(touches, x, y, colour), undoable);
    }
  };
  const undo = () => {
    const before = past.at(-1);
    if (!before) return;
    setPast(past.slice(0, -1));
    onTouches(isNothing(before) ? undefined : before);
  };
  return (
    <section className="pixel-editor" aria-label={`Touch up ${size} px`}>
      {/* The whole is one control, as a drawing surface is: its keys are told. */}
      {/* eslint-disable-next-line jsx-a11y/no-noninteractive-element-interactions */}
      <div
        className="pixel-grid"
        role="application"
        aria-label={`${size} by ${size} px: arrow keys move, Enter uses the tool. At ${cursor[0] + 1}, ${cursor[1] + 1}: ${at(...cursor)}`}
        // eslint-disable-next-line jsx-a11y/no-noninteractive-tabindex
        tabIndex={0}
        style={{ gridTemplateColumns: `repeat(${size}, 1fr)` }}
        onPointerUp={() => {
          setDrawing(false);
        }}
        onPointerLeave={() => {
          setDrawing(false);
        }}
        onKeyDown={(event) => {
          const way = ARROWS[event.key];
          if (way) {
            event.preventDefault();
            const next = (n: 0 | 1) => Math.max(0, Math.min(size - 1, cursor[n] + way[n]));
            setCursor([next(0), next(1)]);
          } else if (event.key === "Enter" || event.key === " ") {
            event.preventDefault();
            use(...cursor);
          } else if (event.key === "z" && (event.ctrlKey || event.metaKey)) {
            event.preventDefault();
            undo();
          }
        }}
      >
        {shown.colours.map((colour, n) => {
          const [x, y] = [n % size, Math.floor(n / size)];
          return (
            <i
              key={n}
              data-x={x}
              data-y={y}
              {...(x === cursor[0] && y === cursor[1] && { "data-cursor": true })}
              style={colour === "transparent" ? undefined : { background: colour }}
              onPointerDown={() => {
                setDrawing(tool === "pencil");
                use(x, y);
              }}
              onPointerEnter={() => {
                if (drawing) use(x, y, false);
              }}
            />
          );
        })}
      </div>
      <div className="pixel-tools">
        <h2>Touch up {size} px</h2>
        {look.is_touched_before && (
          <p>
            The icon changed since it was touched up: see that the pixels still fit.{" "}
            <button
              type="button"
              className="quiet-button"
              onClick={() => {
                keep(touches);
              }}
            >
              They fit
            </button>
          </p>
        )}
        <Segmented
          aria-label="Tool"
          value={tool}
          options={TOOLS}
          onChange={(tool) => {
            setTool(tool as Tool);
          }}
        />
        <ColourField words="Colour" edit="Touch up" value={colour} clear onColour={setColour} />
        <div className="pixel-moves">
          Move by a pixel
          {WAYS.map(([words, dx, dy]) => (
            <Button
              key={words}
              size="small"
              onClick={() => {
                keep(moved(touches, size, dx, dy));
              }}
            >
              {words}
            </Button>
          ))}
        </div>
        <div className="pixel-moves">
          <Button
            size="small"
            disabled={past.length === 0}
            title={past.length === 0 ? "Nothing was changed here yet" : "Ctrl Z"}
            onClick={undo}
          >
            Undo
          </Button>
          <Button
            size="small"
            disabled={isNothing(touches)}
            title={isNothing(touches) ? "Nothing is touched up" : undefined}
            onClick={() => {
              setPast([...past, touches]);
              onTouches(undefined);
            }}
          >
            Remove touch-ups
          </Button>
        </div>
      </div>
    </section>
  );
}

const isNothing = ({ right = 0, down = 0, pixels = [] }: TouchUps) => pixels.length === 0 && right === 0 && down === 0;

/** The pixels of a picture, once it is there. */
function usePixels(picture: string, side: number) {
  const [pixels, setPixels] = useState<Pixels>();
  useEffect(() => {
    let gone = false;
    const image = new Image();
    image.onload = () => {
      const canvas = document.createElement("canvas");
      canvas.width = canvas.height = side;
      const context = canvas.getContext("2d");
      if (!context || gone) return;
      context.drawImage(image, 0, 0);
      setPixels(pixelsOf(context.getImageData(0, 0, side, side).data, side));
    };
    image.src = picture;
    return () => {
      gone = true;
    };
  }, [picture, side]);
  return pixels;
}
