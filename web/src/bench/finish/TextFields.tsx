import { Input } from "antd";
import type { Behind, Edit, EditKind } from "../../api/client";
import { Choice, FigureField, LengthField, SpotFields } from "./fields";
import { numberOf } from "../../api/useEditKinds";
import { ColourField } from "../../ui/ColourField";

type TextStep = Extract<Edit, { kind: "text" }>;

export function TextFields({
  step,
  kind,
  behinds,
  name,
  set,
  colour,
}: {
  step: TextStep;
  kind: EditKind | undefined;
  /** What can lie behind it, each as it starts. */
  behinds: Behind[];
  name: string;
  set: (part: object) => void;
  colour: React.ReactNode;
}) {
  const behind = step.behind ?? { kind: "nothing" };
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
        figure={numberOf(kind, "size")}
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
        figure={numberOf(kind, "width")}
        edit={name}
        value={step.width ?? 80}
        onTyped={(width) => {
          set({ width });
        }}
      />
      <FigureField
        figure={numberOf(kind, "leading")}
        edit={name}
        value={step.leading ?? 1.25}
        onTyped={(leading) => {
          set({ leading });
        }}
      />
      <SpotFields
        kind={kind}
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
          ["nothing", "nothing behind it"],
          ["shadow", "soft shadow"],
          ["backing", "backing"],
        ]}
        onChange={(chosen) => {
          set({ behind: behinds.find((one) => one.kind === chosen) ?? { kind: "nothing" } });
        }}
      />
      {behind.kind === "backing" && (
        <FigureField
          figure={numberOf(kind, "percent")}
          edit="Backing"
          value={behind.percent}
          onTyped={(percent) => {
            set({ behind: { ...behind, percent } });
          }}
        />
      )}
      {behind.kind !== "nothing" && (
        <ColourField
          words="colour"
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
