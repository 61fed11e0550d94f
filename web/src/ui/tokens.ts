/** The look in one place: for the component library by its theme, and for style sheets as custom properties. */
export type Mode = "light" | "dark";

/** Neutral greys, since colour is judged on them, and one accent. */
export const TOKENS = {
  light: {
    page: "#e4e4e4",
    sheet: "#efefef",
    field: "#f9f9f9",
    ink: "#1d1d1d",
    "ink-soft": "#565656",
    /** Between parts. */
    line: "#b4b4b4",
    /** Around what can be typed in or pressed: 3:1 against all that it lies on. */
    edge: "#808080",
    accent: "#0b5457",
    "accent-ground": "#d3dfdf",
    "on-accent": "#ffffff",
    placeholder: "#5e5e5e",
    /** What pictures lie on while they are worked on. */
    surround: "#808080",
  },
  dark: {
    page: "#1c1c1c",
    sheet: "#262626",
    field: "#303030",
    ink: "#e8e8e8",
    "ink-soft": "#ababab",
    line: "#525252",
    edge: "#7c7c7c",
    accent: "#63bdbb",
    "accent-ground": "#2b3d3d",
    "on-accent": "#101010",
    placeholder: "#a8a8a8",
    surround: "#4a4a4a",
  },
} as const;

/** What is the same in both: marks on pictures are light with a dark edge, whatever lies below. */
const ON_PICTURES = {
  mark: "#ffffff",
  "mark-edge": "#000000",
  guide: "#00ffff",
  /** The pattern that shows through what is transparent. */
  checks: "repeating-conic-gradient(#b9b9b9 0 25%, #a6a6a6 0 50%)",
  "surround-dark": "#2e2e2e",
  "surround-mid": "#808080",
  "surround-light": "#d6d6d6",
  "caption-dark": "#dcdcdc",
  "caption-mid": "#000000",
  "caption-light": "#1d1d1d",
};

/** Hands the tokens to the style sheets. */
export function applyTokens(mode: Mode) {
  const root = document.documentElement;
  root.dataset.theme = mode;
  root.style.colorScheme = mode;
  for (const [name, value] of Object.entries({ ...TOKENS[mode], ...ON_PICTURES })) {
    root.style.setProperty(`--${name}`, value);
  }
}
