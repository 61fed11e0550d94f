import { Button, Checkbox } from "antd";
import type { Behind, EditEntry, EditKind } from "../../api/client";
import { Choice, FigureField, SpotFields } from "./fields";
import { TextFields } from "./TextFields";
import { numberOf } from "../../api/useEditKinds";
import { ColourField } from "../../ui/ColourField";

/** Numbers and lengths that stand beside something else than the plain ones. */
export const OWN_FIELDS: Partial<Record<EditEntry["kind"], string[]>> = {
  turn: ["quarters"],
  wash: ["degrees"],
  logo: ["x", "y"],
  text: ["width", "leading", "percent", "soft", "room", "size", "x", "y"],
};

/** What is done on the picture itself for an edit. */
export interface EditTools {
  /** Which colour is being picked from the picture. */
  picking: string | undefined;
  onPick: (field: string) => void;
  /** Goes to where it is drawn on the picture. */
  onDraw: (tool: "crop" | "straighten") => void;
}

interface Props extends EditTools {
  step: EditEntry;
  kind: EditKind | undefined;
  /** What can lie behind a text, each as it starts. */
  behind: Behind[];
  name: string;
  set: (part: object) => void;
}

/** What is not a plain number. */
export function EditFields({ step, kind, behind, name, set, picking, onPick, onDraw }: Props) {
  const colour = (field: string, value: string, words: string, clear = false) => (
    <ColourField
      key={field}
      words={words}
      edit={name}
      value={value}
      clear={clear}
      picking={picking === field}
      onPick={() => {
        onPick(field);
      }}
      onColour={(next) => {
        set({ [field]: next });
      }}
    />
  );
  switch (step.kind) {
    case "turn":
      return (
        <Choice
          label="Rotate"
          value={step.quarters}
          options={[
            [1, "90° clockwise"],
            [2, "180°"],
            [3, "90° counter-clockwise"],
          ]}
          onChange={(quarters) => {
            set({ quarters });
          }}
        />
      );
    case "flip":
      return (
        <>
          <Checkbox
            checked={step.across}
            onChange={({ target }) => {
              set({ across: target.checked });
            }}
          >
            left ↔ right
          </Checkbox>
          <Checkbox
            checked={step.down}
            onChange={({ target }) => {
              set({ down: target.checked });
            }}
          >
            top ↔ bottom
          </Checkbox>
        </>
      );
    case "straighten":
      return (
        <>
          <DrawOnFrame tool="straighten" onDraw={onDraw} />
          <Choice
            label="Empty corners"
            value={step.corners === "cut" ? "cut" : "fill"}
            options={[
              ["cut", "crop empty corners"],
              ["fill", "fill empty corners"],
            ]}
            onChange={(corners) => {
              set({ corners: corners === "cut" ? "cut" : { fill: "#ffffff" } });
            }}
          />
          {step.corners !== "cut" && (
            <ColourField
              words="fill colour"
              edit={name}
              value={step.corners.fill}
              clear
              picking={picking === "corners"}
              onPick={() => {
                onPick("corners");
              }}
              onColour={(fill) => {
                set({ corners: { fill } });
              }}
            />
          )}
        </>
      );
    case "canvas":
      return (
        <>
          <DrawOnFrame tool="crop" onDraw={onDraw} />
          {colour("ground", step.ground, "fill colour", true)}
          <span className="soft">A negative number cuts pixels off.</span>
        </>
      );
    case "wash":
      return (
        <>
          {colour("from", step.from, step.to ? "first colour" : "colour")}
          <Checkbox
            checked={Boolean(step.to)}
            onChange={({ target }) => {
              set({ to: target.checked ? "#ffffff" : null });
            }}
          >
            gradient to a second colour
          </Checkbox>
          {step.to && colour("to", step.to, "second colour")}
          {step.to && (
            <FigureField
              figure={numberOf(kind, "degrees")}
              edit={name}
              value={step.degrees}
              onTyped={(degrees) => {
                set({ degrees });
              }}
            />
          )}
        </>
      );
    case "padding":
      return colour("ground", step.ground, "colour", true);
    case "border":
      return colour("colour", step.colour, "colour");
    case "logo":
      return (
        <SpotFields
          kind={kind}
          edit={name}
          at={step.at}
          onAt={(at) => {
            set({ at });
          }}
        />
      );
    case "text":
      return (
        <TextFields
          step={step}
          kind={kind}
          behinds={behind}
          name={name}
          set={set}
          colour={colour("colour", step.colour, "colour")}
        />
      );
    default:
      return null;
  }
}

function DrawOnFrame({ tool, onDraw }: { tool: "crop" | "straighten"; onDraw: EditTools["onDraw"] }) {
  return (
    <Button
      size="small"
      title={tool === "crop" ? "Draw what stays, on Frame" : "Draw a line that is to be level, on Frame"}
      onClick={() => {
        onDraw(tool);
      }}
    >
      Draw it on Frame
    </Button>
  );
}
