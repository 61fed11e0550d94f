// Places that are hidden until a visitor opens something. They are opened for as long as it takes to
// measure them, within one script: no frame shows it, and the page's own scripts are not told.
const MOST_OPENED = 80;
const TOLD = ["beforetoggle", "toggle", "close", "cancel", "focus", "blur", "focusin", "focusout"];
const isSeen = (element) => element.checkVisibility({ visibilityProperty: true });

/** All that hides an element, the outermost first; itself may be among it. */
const closedAround = (element) => {
  const closed = [];
  for (let at = element; at; at = at.parentElement) {
    const style = getComputedStyle(at);
    const outside = at.parentElement ? getComputedStyle(at.parentElement).visibility : "visible";
    const isShut = at.localName === "details" && !at.open && !at.querySelector(":scope > summary")?.contains(element);
    const isVeiled = style.visibility !== "visible" && outside === "visible";
    if (style.display === "none" || style.contentVisibility === "hidden" || isVeiled || isShut) closed.unshift(at);
  }
  return closed;
};

const KINDS = [
  ["dialog", "dialog, [role=dialog], [role=alertdialog], [aria-modal=true]"],
  ["popover", "[popover]"],
  ["details", "details"],
  ["tab", "[role=tabpanel]"],
  ["slide", "[aria-roledescription=slide i], [aria-roledescription=carousel i] *, [class*=slide i], [class*=carousel i] *"],
];
const hiddenIn = (closed) => KINDS.find(([, matching]) => closed.some((one) => one.matches(matching)))?.[0] ?? "part";

/** The one beside it that is open instead, as a tab or a slide has. */
const openBeside = (element) =>
  [...(element.parentElement?.children ?? [])].find(
    (other) =>
      other !== element &&
      other.localName === element.localName &&
      isSeen(other) &&
      ([...other.classList].some((name) => element.classList.contains(name)) || (other.role && other.role === element.role)),
  );

/** Sets an attribute, or takes it away, and tells how that is undone. */
const setting = (element, name, value) => {
  const before = element.getAttribute(name);
  const set = (to) => (to === null ? element.removeAttribute(name) : element.setAttribute(name, to));
  set(value);
  return () => set(before);
};
const forcing = (element, property, value) => {
  const undo = setting(element, "style", element.getAttribute("style"));
  element.style.setProperty(property, value, "important");
  return undo;
};

/** Opens one; what undoes that is added to `undo` step by step, so that nothing stays half open. */
const open = (element, undo) => {
  if (element.localName === "dialog" && !element.open) {
    element.showModal();
    undo.push(() => element.close());
  } else if (element.popover && !element.matches(":popover-open")) {
    element.showPopover();
    undo.push(() => element.hidePopover());
  } else if (element.localName === "details") {
    undo.push(setting(element, "open", ""));
  }
  const isAway = () => getComputedStyle(element).display === "none";
  const beside = isAway() ? openBeside(element) : undefined;
  if (beside) {
    const { display } = getComputedStyle(beside);
    for (const name of ["class", "hidden"]) {
      const [own, other] = [element.getAttribute(name), beside.getAttribute(name)];
      undo.push(setting(element, name, other), setting(beside, name, own));
    }
    undo.push(forcing(beside, "display", "none"));
    if (isAway()) undo.push(forcing(element, "display", display));
  }
  if (element.hasAttribute("hidden")) undo.push(setting(element, "hidden", null));
  if (isAway()) undo.push(forcing(element, "display", "revert"));
  if (getComputedStyle(element).visibility !== "visible") undo.push(forcing(element, "visibility", "visible"));
  if (getComputedStyle(element).contentVisibility === "hidden") undo.push(forcing(element, "content-visibility", "visible"));
};

const untold = (work) => {
  const stop = (event) => event.stopImmediatePropagation();
  const still = new CSSStyleSheet();
  still.replaceSync("* { transition: none !important; }");
  const before = document.adoptedStyleSheets;
  document.adoptedStyleSheets = [...before, still];
  for (const type of TOLD) addEventListener(type, stop, { capture: true });
  try {
    return work();
  } finally {
    document.adoptedStyleSheets = before;
    // Some are told only after the script.
    setTimeout(() => TOLD.forEach((type) => removeEventListener(type, stop, { capture: true })), 50);
  }
};

/** By element, what `measure` tells while all that hides it is open, and in what it is hidden. */
const opened = (elements, measure) => {
  const parts = new Map();
  for (const element of new Set(elements)) {
    const closed = closedAround(element);
    if (closed.length === 0) continue;
    const part = parts.get(closed.at(-1)) ?? { closed, elements: [] };
    part.elements.push(element);
    parts.set(closed.at(-1), part);
  }
  const told = new Map();
  if (parts.size === 0) return told;
  untold(() => {
    for (const { closed, elements: inside } of [...parts.values()].slice(0, MOST_OPENED)) {
      const kind = hiddenIn(closed);
      const undo = [];
      try {
        for (const one of closed) open(one, undo);
        for (const element of inside) told.set(element, { hiddenIn: kind, boxes: measure(element) });
      } catch {
        // It stays as hidden as it was.
      }
      for (const step of undo.toReversed()) step();
    }
  });
  return told;
};
