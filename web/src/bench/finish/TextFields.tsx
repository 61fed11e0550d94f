import { Input } from "antd";
import type { Edit } from "../../api/client";
import { Choice, ColourField, FigureField, LengthField, SpotFields } from "./fields";

type TextStep = Extract<Edit, { kind: "text" }>;

export function TextFields({
  step,
  name,
  set,
  colour,
}: {
  step: TextStep;
  name: string;
  set: (part: object) => void;
  colour: React.ReactNode;
}) {
  const behind = step.behind ?? { kind: "nothing" };
  const first = {
    nothing: { kind: "nothing" },
    shadow: { kind: "shadow", colour: "#000000", soft: 0.4 },
    backing: { kind: "backing", colour: "#0b2f31", percent: 70, room: 0.5 },
  } as const;
  return (
    <>
      <Input.TextArea
        aria-label="Text on the picture"
        className="text-words"
        rows={2}
        value={step.text}
        onChange={({ target }) => {
          set({ text: target.value });
        }}
      />
      <Choice
        label="Font"
        value={step.font ?? "sans"}
        options={[
          ["sans", "Source Sans"],
          ["serif", "Source Serif"],
        ]}
        onChange={(font) => {
          set({ font });
        }}
      />
      <Choice
        label="Weight"
        value={step.weight ?? "semibold"}
        options={[
          ["regular", "regular"],
          ["semibold", "semibold"],
          ["bold", "bold"],
        ]}
        onChange={(weight) => {
          set({ weight });
        }}
      />
      <LengthField
        words="size"
        edit={name}
        value={step.size}
        onLength={(size) => {
          set({ size });
        }}
      />
      {colour}
      <Choice
        label="Alignment"
        value={step.align ?? "left"}
        options={[
          ["left", "left-aligned"],
          ["middle", "centred"],
          ["right", "right-aligned"],
        ]}
        onChange={(align) => {
          set({ align });
        }}
      />
      <FigureField
        figure={{ key: "width", words: "max width", min: 5, max: 100, step: 5, unit: "% of the frame" }}
        edit={name}
        value={step.width ?? 80}
        onTyped={(width) => {
          set({ width });
        }}
      />
      <SpotFields
        edit={name}
        at={step.at}
        onAt={(at) => {
          set({ at });
        }}
      />
      <Choice
        label="Behind the letters"
        value={behind.kind}
        options={[
          ["nothing", "nothing behind"],
          ["shadow", "a soft shadow"],
          ["backing", "a backing"],
        ]}
        onChange={(kind) => {
          set({ behind: first[kind] });
        }}
      />
      {behind.kind === "backing" && (
        <FigureField
          figure={{ key: "percent", words: "opacity", min: 0, max: 100, step: 5, unit: "%" }}
          edit="Backing"
          value={behind.percent}
          onTyped={(percent) => {
            set({ behind: { ...behind, percent } });
          }}
        />
      )}
      {behind.kind !== "nothing" && (
        <ColourField
          words="of"
          edit="Behind the letters"
          value={behind.colour}
          onColour={(next) => {
            set({ behind: { ...behind, colour: next } });
          }}
        />
      )}
    </>
  );
}
