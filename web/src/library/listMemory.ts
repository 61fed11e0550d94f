/**
 * How lists were left, so that coming back to one finds it as it was: how far it was scrolled, and what
 * was selected in it. Both last as long as the page does.
 */
const scrolled = new Map<string, number>();

/** How far the list called `name` was scrolled, in CSS px. */
export const scrollOf = (name: string) => scrolled.get(name) ?? 0;

export const leaveScrolled = (name: string, top: number) => scrolled.set(name, top);

export interface Selected {
  ids: ReadonlySet<string>;
  /** Whether all that meet the filter are selected. */
  everything: boolean;
}

const NOTHING: Selected = { ids: new Set(), everything: false };
let last = { name: "", selected: NOTHING };

/** What was selected among the pictures that `name` stands for; only the last selection is kept. */
export const selectedOf = (name: string) => (name === last.name ? last.selected : NOTHING);

export const leaveSelected = (name: string, selected: Selected) => {
  last = { name, selected };
};
