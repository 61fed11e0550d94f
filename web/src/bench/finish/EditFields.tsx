import { Button, Checkbox } from "antd";
import type { EditEntry } from "../../api/client";
import { Choice, ColourField, FigureField, LengthField, SpotFields } from "./fields";
import { TextFields } from "./TextFields";

/** What is done on the picture itself for an edit. */
export interface EditTools {
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

interface Props extends EditTools {
  step: EditEntry;
  name: string;
  set: (part: object) => void;
}

/** What is not a plain number. */
export function EditFields({ step, name, set, picking, onPick, levelling, onLevel, drawing, onDraw }: Props) {
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
            [3, "90° the other way"],
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
          <Button size="small" aria-pressed={levelling} onClick={onLevel}>
            {levelling ? "Draw the line on the picture…" : "Draw a line that should be level"}
          </Button>
          <Choice
            label="Empty corners"
            value={step.corners === "cut" ? "cut" : "fill"}
            options={[
              ["cut", "cut corners away"],
              ["fill", "fill corners"],
            ]}
            onChange={(corners) => {
              set({ corners: corners === "cut" ? "cut" : { fill: "#ffffff" } });
            }}
          />
          {step.corners !== "cut" && (
            <ColourField
              words="with"
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
          <Button size="small" aria-pressed={drawing} onClick={onDraw}>
            {drawing ? "Draw what shall stay…" : "Draw a crop"}
          </Button>
          {colour("ground", step.ground, "added is", true)}
          <span className="soft">negative cuts off</span>
        </>
      );
    case "wash":
      return (
        <>
          {colour("from", step.from, step.to ? "from" : "of")}
          <Checkbox
            checked={Boolean(step.to)}
            onChange={({ target }) => {
              set({ to: target.checked ? "#ffffff" : null });
            }}
          >
            to another
          </Checkbox>
          {step.to && colour("to", step.to, "to")}
          {step.to && (
            <FigureField
              figure={{ key: "degrees", words: "towards", min: -360, max: 360, step: 15, unit: "°" }}
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
      return (
        <>
          {
            <LengthField
              words="wide"
              edit={name}
              value={step.width}
              onLength={(width) => {
                set({ width });
              }}
            />
          }
          {colour("ground", step.ground, "of", true)}
        </>
      );
    case "border":
      return (
        <>
          {
            <LengthField
              words="wide"
              edit={name}
              value={step.width}
              onLength={(width) => {
                set({ width });
              }}
            />
          }
          {colour("colour", step.colour, "of")}
        </>
      );
    case "corners":
      return (
        <LengthField
          words="radius"
          edit={name}
          value={step.radius}
          onLength={(radius) => {
            set({ radius });
          }}
        />
      );
    case "logo":
      return (
        <>
          <LengthField
            words="wide"
            edit={name}
            value={step.width}
            onLength={(width) => {
              set({ width });
            }}
          />
          <FigureField
            figure={{ key: "opacity", words: "opacity", min: 0, max: 100, step: 5, unit: "%" }}
            edit={name}
            value={step.opacity}
            onTyped={(opacity) => {
              set({ opacity });
            }}
          />
          <SpotFields
            edit={name}
            at={step.at}
            onAt={(at) => {
              set({ at });
            }}
          />
        </>
      );
    case "text":
      return <TextFields step={step} name={name} set={set} colour={colour("colour", step.colour, "in")} />;
    default:
      return null;
  }
}
