// Boxes in CSS px from the top left corner of the page, before any scrolling.
const number = (text) => Number.parseFloat(text) || 0;
const NOWHERE = { x: 0, y: 0, width: 0, height: 0 };

/** The border, padding or content box of an element. */
const boxOf = (element, style, edge) => {
  if (!element.checkVisibility({ visibilityProperty: true })) return NOWHERE;
  const rect = element.getBoundingClientRect();
  const side = (name) =>
    (edge === "border" ? 0 : number(style[`border${name}Width`])) +
    (edge === "content" ? number(style[`padding${name}`]) : 0);
  return {
    x: rect.left + scrollX + side("Left"),
    y: rect.top + scrollY + side("Top"),
    width: Math.max(0, rect.width - side("Left") - side("Right")),
    height: Math.max(0, rect.height - side("Top") - side("Bottom")),
  };
};

/** All three, since an element may show several pictures. */
const boxesOf = (element) => {
  const style = getComputedStyle(element);
  return Object.fromEntries(["border", "padding", "content"].map((edge) => [edge, boxOf(element, style, edge)]));
};

/** Pseudo-elements have no box of their own for scripts; the browser is asked for these. */
const probes = [];
const probe = (element, pseudo) => {
  probes.push(element);
  return { at: probes.length - 1, pseudo };
};
