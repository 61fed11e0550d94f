import { Button, Checkbox, Input, InputNumber, Select } from "antd";
import type { Edit, EditEntry, Issue, Length, TextContrast } from "../../api/client";
import { IssueLine } from "../../ui/IssueLine";
import { FIGURES, MOVABLE, NAMES, type Figure } from "./edits";

interface Props {
  step: EditEntry;
  issues: Issue[];
  /** Of its text with what lies behind it. */
  contrast: TextContrast | undefined;
  onEdit: (step: EditEntry) => void;
  onRemove: () => void;
  /** Nothing where its place cannot be changed that way. */
  onUp: (() => void) | undefined;
  onDown: (() => void) | undefined;
  /** Which colour is being picked from the picture. */
  picking: string | undefined;
  onPick: (field: string) => void;
  /** Whether a line is drawn that should be level. */
  levelling: boolean;
  onLevel: () => void;
  /** Whether the part that shall stay is being drawn. */
  drawing: boolean;
  onDraw: () => void;
}

/** One edit: its figures to be typed or nudged, its place, and the way to set it aside. */
export function EditRow({ step, issues, contrast, onEdit, onRemove, onUp, onDown, picking, onPick, levelling, onLevel, drawing, onDraw }: Props) {
  const name = NAMES[step.kind];
  const fixed = !MOVABLE.includes(step.kind);
  const set = (part: object) => { onEdit({ ...step, ...part }); };
  const why = fixed ? "It has its place in the order of the work" : undefined;
  return (
    <li className="edit-row" data-kind={step.kind} data-off={step.off === true}>
      <div className="row">
        <Checkbox checked={step.off !== true} onChange={({ target }) => { set({ off: !target.checked }); }}><b>{name}</b></Checkbox>
        <span className="gap" />
        <Button size="small" type="text" aria-label={`${name} earlier`} disabled={!onUp} title={onUp ? "Earlier" : (why ?? "It is the first of its kind")} onClick={onUp}>↑</Button>
        <Button size="small" type="text" aria-label={`${name} later`} disabled={!onDown} title={onDown ? "Later" : (why ?? "It is the last of its kind")} onClick={onDown}>↓</Button>
        <Button size="small" type="text" aria-label={`Remove ${name}`} title="Remove; undo brings it back" onClick={onRemove}>×</Button>
      </div>
      <div className="row figures">
        {(FIGURES[step.kind] ?? []).map((figure) => (
          <Typed key={figure.key} figure={figure} edit={name} value={(step as unknown as Record<string, number>)[figure.key] ?? 0} onTyped={(value) => { set({ [figure.key]: value }); }} />
        ))}
        <Special step={step} name={name} set={set} picking={picking} onPick={onPick} levelling={levelling} onLevel={onLevel} drawing={drawing} onDraw={onDraw} />
      </div>
      {issues.map((issue) => <IssueLine key={issue.kind} issue={issue} />)}
      {contrast && !issues.some(({ kind }) => kind === "low-contrast") && <ContrastLine contrast={contrast} />}
    </li>
  );
}

function Typed({ figure, edit, value, onTyped }: { figure: Figure; edit: string; value: number; onTyped: (value: number) => void }) {
  return (
    <label className="part">
      {figure.words}
      <InputNumber aria-label={`${edit}: ${figure.words}`} size="small" className="nudge" value={value} min={figure.min} max={figure.max} step={figure.step} onChange={(typed) => { if (typed !== null) onTyped(typed); }} />
      <span className="soft">{figure.unit}</span>
    </label>
  );
}

type SpecialProps = Pick<Props, "picking" | "onPick" | "levelling" | "onLevel" | "drawing" | "onDraw"> & {
  step: EditEntry;
  name: string;
  set: (part: object) => void;
};

/** What is not a plain number. */
function Special({ step, name, set, picking, onPick, levelling, onLevel, drawing, onDraw }: SpecialProps) {
  const colour = (field: string, value: string, words: string, clear = false) => (
    <ColourField key={field} words={words} edit={name} value={value} clear={clear} picking={picking === field} onPick={() => { onPick(field); }} onColour={(next) => { set({ [field]: next }); }} />
  );
  switch (step.kind) {
    case "turn":
      return <Choice label="Turn" value={step.quarters} options={[[1, "90° clockwise"], [2, "180°"], [3, "90° the other way"]]} onChange={(quarters) => { set({ quarters }); }} />;
    case "flip":
      return (
        <>
          <Checkbox checked={step.across} onChange={({ target }) => { set({ across: target.checked }); }}>left ↔ right</Checkbox>
          <Checkbox checked={step.down} onChange={({ target }) => { set({ down: target.checked }); }}>top ↔ bottom</Checkbox>
        </>
      );
    case "straighten":
      return (
        <>
          <Button size="small" aria-pressed={levelling} onClick={onLevel}>{levelling ? "Draw the line on the picture…" : "Draw a line that should be level"}</Button>
          <Choice label="Empty corners" value={step.corners === "cut" ? "cut" : "fill"} options={[["cut", "cut corners away"], ["fill", "fill corners"]]} onChange={(corners) => { set({ corners: corners === "cut" ? "cut" : { fill: "#ffffff" } }); }} />
          {step.corners !== "cut" && (
            <ColourField words="with" edit={name} value={step.corners.fill} clear picking={picking === "corners"} onPick={() => { onPick("corners"); }} onColour={(fill) => { set({ corners: { fill } }); }} />
          )}
        </>
      );
    case "canvas":
      return (
        <>
          <Button size="small" aria-pressed={drawing} onClick={onDraw}>{drawing ? "Draw what shall stay…" : "Draw a crop"}</Button>
          {colour("ground", step.ground, "added is", true)}
          <span className="soft">negative cuts off</span>
        </>
      );
    case "wash":
      return (
        <>
          {colour("from", step.from, step.to ? "from" : "of")}
          <Checkbox checked={Boolean(step.to)} onChange={({ target }) => { set({ to: target.checked ? "#ffffff" : null }); }}>to another</Checkbox>
          {step.to && colour("to", step.to, "to")}
          {step.to && <Typed figure={{ key: "degrees", words: "towards", min: -360, max: 360, step: 15, unit: "°" }} edit={name} value={step.degrees} onTyped={(degrees) => { set({ degrees }); }} />}
        </>
      );
    case "padding":
      return <>{<LengthField words="wide" edit={name} value={step.width} onLength={(width) => { set({ width }); }} />}{colour("ground", step.ground, "of", true)}</>;
    case "border":
      return <>{<LengthField words="wide" edit={name} value={step.width} onLength={(width) => { set({ width }); }} />}{colour("colour", step.colour, "of")}</>;
    case "corners":
      return <LengthField words="radius" edit={name} value={step.radius} onLength={(radius) => { set({ radius }); }} />;
    case "logo":
      return (
        <>
          <LengthField words="wide" edit={name} value={step.width} onLength={(width) => { set({ width }); }} />
          <Typed figure={{ key: "opacity", words: "covers", min: 0, max: 100, step: 5, unit: "%" }} edit={name} value={step.opacity} onTyped={(opacity) => { set({ opacity }); }} />
          <SpotFields edit={name} at={step.at} onAt={(at) => { set({ at }); }} />
        </>
      );
    case "text":
      return <TextFields step={step} name={name} set={set} colour={colour("colour", step.colour, "in")} />;
    default:
      return null;
  }
}

type TextStep = Extract<Edit, { kind: "text" }>;

function TextFields({ step, name, set, colour }: { step: TextStep; name: string; set: (part: object) => void; colour: React.ReactNode }) {
  const behind = step.behind ?? { kind: "nothing" };
  const first = {
    nothing: { kind: "nothing" },
    shadow: { kind: "shadow", colour: "#000000", soft: 0.4 },
    backing: { kind: "backing", colour: "#0b2f31", percent: 70, room: 0.5 },
  } as const;
  return (
    <>
      <Input.TextArea aria-label="Text on the picture" className="text-words" rows={2} value={step.text} onChange={({ target }) => { set({ text: target.value }); }} />
      <Choice label="Font" value={step.font ?? "sans"} options={[["sans", "Source Sans"], ["serif", "Source Serif"]]} onChange={(font) => { set({ font }); }} />
      <Choice label="Weight" value={step.weight ?? "semibold"} options={[["regular", "regular"], ["semibold", "semibold"], ["bold", "bold"]]} onChange={(weight) => { set({ weight }); }} />
      <LengthField words="size" edit={name} value={step.size} onLength={(size) => { set({ size }); }} />
      {colour}
      <Choice label="Lines stand" value={step.align ?? "left"} options={[["left", "lines left"], ["middle", "lines middle"], ["right", "lines right"]]} onChange={(align) => { set({ align }); }} />
      <Typed figure={{ key: "width", words: "breaks at", min: 5, max: 100, step: 5, unit: "% of the frame" }} edit={name} value={step.width ?? 80} onTyped={(width) => { set({ width }); }} />
      <SpotFields edit={name} at={step.at} onAt={(at) => { set({ at }); }} />
      <Choice label="Behind the letters" value={behind.kind} options={[["nothing", "nothing behind"], ["shadow", "a soft shadow"], ["backing", "a backing"]]} onChange={(kind) => { set({ behind: first[kind] }); }} />
      {behind.kind === "backing" && <Typed figure={{ key: "percent", words: "covers", min: 0, max: 100, step: 5, unit: "%" }} edit="Backing" value={behind.percent} onTyped={(percent) => { set({ behind: { ...behind, percent } }); }} />}
      {behind.kind !== "nothing" && (
        <ColourField words="of" edit="Behind the letters" value={behind.colour} onColour={(next) => { set({ behind: { ...behind, colour: next } }); }} />
      )}
    </>
  );
}

type Spot = TextStep["at"];

function SpotFields({ edit, at, onAt }: { edit: string; at: Spot; onAt: (at: Spot) => void }) {
  const places = (["start", "middle", "end"] as const).flatMap((down) => (["start", "middle", "end"] as const).map((across) => ({ across, down })));
  const words = { start: ["left", "top"], middle: ["middle", "middle"], end: ["right", "bottom"] } as const;
  return (
    <>
      <span className="nine" role="radiogroup" aria-label={`${edit}: place`}>
        {places.map(({ across, down }) => (
          <button
            key={`${across} ${down}`}
            type="button"
            role="radio"
            aria-checked={at.across === across && at.down === down}
            aria-label={`${words[down][1]} ${words[across][0]}`}
            title={`${words[down][1]} ${words[across][0]}`}
            onClick={() => { onAt({ ...at, across, down }); }}
          />
        ))}
      </span>
      <LengthField words="across" edit={edit} value={at.x} onLength={(x) => { onAt({ ...at, x }); }} />
      <LengthField words="down" edit={edit} value={at.y} onLength={(y) => { onAt({ ...at, y }); }} />
    </>
  );
}

function LengthField({ words, edit, value, onLength }: { words: string; edit: string; value: Length; onLength: (length: Length) => void }) {
  return (
    <label className="part">
      {words}
      <InputNumber aria-label={`${edit}: ${words}`} size="small" className="nudge" value={value.px} min={-20000} max={20000} step={1} onChange={(px) => { if (px !== null) onLength({ ...value, px }); }} />
      <Choice label={`${edit}: ${words} counts`} value={value.of} options={[["css", "CSS px"], ["picture", "picture px"]]} onChange={(of) => { onLength({ ...value, of }); }} />
    </label>
  );
}

function Choice<T extends string | number>({ label, value, options, onChange }: { label: string; value: T; options: [T, string][]; onChange: (value: T) => void }) {
  return <Select aria-label={label} size="small" value={value} popupMatchSelectWidth={false} options={options.map(([key, words]) => ({ value: key, label: words }))} onChange={onChange} />;
}

interface ColourProps {
  words: string;
  edit: string;
  value: string;
  /** Whether it can be transparent. */
  clear?: boolean;
  picking?: boolean;
  onPick?: () => void;
  onColour: (colour: string) => void;
}

function ColourField({ words, edit, value, clear = false, picking = false, onPick, onColour }: ColourProps) {
  const isClear = value === "transparent";
  return (
    <span className="part">
      {words}
      {!isClear && <input type="color" aria-label={`${edit}: colour ${words}`} value={value} onChange={({ target }) => { onColour(target.value); }} />}
      {!isClear && <ColourText edit={edit} words={words} value={value} onColour={onColour} key={value} />}
      {onPick && !isClear && <Button size="small" aria-pressed={picking} title="Take a colour from the picture" onClick={onPick}>{picking ? "click the picture…" : "pick"}</Button>}
      {clear && <Checkbox checked={isClear} onChange={({ target }) => { onColour(target.checked ? "transparent" : "#ffffff"); }}>clear</Checkbox>}
    </span>
  );
}

function ColourText({ edit, words, value, onColour }: { edit: string; words: string; value: string; onColour: (colour: string) => void }) {
  return (
    <Input
      aria-label={`${edit}: colour ${words} as #rrggbb`}
      size="small"
      className="colour-text"
      defaultValue={value}
      maxLength={7}
      onChange={({ target }) => { if (/^#[0-9a-f]{6}$/i.test(target.value)) onColour(target.value.toLowerCase()); }}
    />
  );
}

/** How a text stands out where it does enough; where it does not, an issue says so. */
function ContrastLine({ contrast: { weakest, needed } }: { contrast: TextContrast }) {
  return (
    <p className="issue-line soft">
      Contrast <span className="figure">{weakest.toFixed(1)} : 1</span> where it is weakest; letters of this size need <span className="figure">{needed} : 1</span>. Enough.
    </p>
  );
}
