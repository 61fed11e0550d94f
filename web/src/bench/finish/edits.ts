/** The edits that can be added, the figures that each of them has, and what they start with. */
import type { Edit, Length } from "../../api/client";

export type Kind = Edit["kind"];

export const NAMES: Record<Kind, string> = {
  turn: "Rotate",
  flip: "Flip",
  straighten: "Straighten",
  canvas: "Canvas",
  exposure: "Exposure",
  contrast: "Contrast",
  points: "Black and white point",
  saturation: "Saturation",
  temperature: "Colour temperature",
  greyscale: "Greyscale",
  wash: "Colour overlay",
  sharpen: "Sharpening",
  darken: "Vignette",
  padding: "Padding",
  border: "Border",
  logo: "Logo",
  text: "Text",
  corners: "Rounded corners",
};

export const GROUPS: { name: string; kinds: Kind[] }[] = [
  { name: "Geometry", kinds: ["turn", "flip", "straighten", "canvas"] },
  { name: "Tone", kinds: ["exposure", "contrast", "points"] },
  { name: "Colour", kinds: ["saturation", "temperature", "greyscale", "wash"] },
  { name: "Edges", kinds: ["sharpen", "darken", "padding", "corners"] },
  { name: "On the picture", kinds: ["border", "text", "logo"] },
];

/** Kinds of which a picture can have several, and whose order counts. */
export const MOVABLE: Kind[] = [
  "exposure",
  "contrast",
  "points",
  "saturation",
  "temperature",
  "greyscale",
  "wash",
  "border",
  "logo",
  "text",
];

const css = (px: number): Length => ({ px, of: "css" });

/** What an edit starts with: something to be seen, and to be changed at once. */
export function firstOf(kind: Kind): Edit | undefined {
  const at = { across: "middle", down: "end", x: css(0), y: css(16) } as const;
  switch (kind) {
    case "turn":
      return { kind, quarters: 1 };
    case "flip":
      return { kind, across: true, down: false };
    case "straighten":
      return { kind, degrees: 0, corners: "cut" };
    case "canvas":
      return { kind, left: 0, top: 0, right: 0, bottom: 0, ground: "#ffffff" };
    case "exposure":
      return { kind, stops: 0.3 };
    case "contrast":
      return { kind, percent: 10 };
    case "points":
      return { kind, black: 2, white: 98 };
    case "saturation":
      return { kind, percent: 10 };
    case "temperature":
      return { kind, mireds: 10 };
    case "greyscale":
      return { kind, percent: 100 };
    case "wash":
      return { kind, from: "#0b5457", to: null, degrees: 90, percent: 30 };
    case "sharpen":
      return { kind, percent: 60, radius: 0.6 };
    case "darken":
      return { kind, percent: 30, reach: 40 };
    case "padding":
      return { kind, width: css(12), ground: "#ffffff" };
    case "border":
      return { kind, width: css(4), colour: "#ffffff" };
    case "corners":
      return { kind, radius: css(8) };
    case "text":
      return {
        kind,
        text: "Text",
        font: "sans",
        weight: "semibold",
        size: css(24),
        colour: "#ffffff",
        at,
        align: "middle",
        width: 80,
        leading: 1.25,
        behind: { kind: "shadow", colour: "#000000", soft: 0.4 },
      };
    // Its picture is chosen first.
    case "logo":
      return undefined;
  }
}

export interface Figure {
  key: string;
  words: string;
  min: number;
  max: number;
  step: number;
  unit: string;
}

/** The plain numbers of an edit. */
export const FIGURES: Partial<Record<Kind, Figure[]>> = {
  straighten: [{ key: "degrees", words: "angle", min: -45, max: 45, step: 0.1, unit: "°" }],
  canvas: (["left", "top", "right", "bottom"] as const).map((key) => ({
    key,
    words: key,
    min: -30000,
    max: 30000,
    step: 1,
    unit: "px",
  })),
  exposure: [{ key: "stops", words: "light", min: -5, max: 5, step: 0.1, unit: "stops" }],
  contrast: [{ key: "percent", words: "contrast", min: -100, max: 99, step: 1, unit: "%" }],
  points: [
    { key: "black", words: "black from", min: 0, max: 99, step: 0.5, unit: "%" },
    { key: "white", words: "white from", min: 1, max: 100, step: 0.5, unit: "%" },
  ],
  saturation: [{ key: "percent", words: "colour", min: -100, max: 200, step: 1, unit: "%" }],
  temperature: [{ key: "mireds", words: "warmer", min: -90, max: 90, step: 1, unit: "mired" }],
  greyscale: [{ key: "percent", words: "grey", min: 0, max: 100, step: 1, unit: "%" }],
  wash: [{ key: "percent", words: "opacity", min: 0, max: 100, step: 1, unit: "%" }],
  sharpen: [
    { key: "percent", words: "sharper", min: 0, max: 300, step: 5, unit: "%" },
    { key: "radius", words: "edge", min: 0.3, max: 3, step: 0.1, unit: "px" },
  ],
  darken: [
    { key: "percent", words: "darker", min: 0, max: 100, step: 1, unit: "%" },
    { key: "reach", words: "beyond", min: 0, max: 99, step: 1, unit: "%" },
  ],
};
