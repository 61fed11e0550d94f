// How an element is found again, and what a place there is for.
const places = new WeakMap();
/** How many children of its kind come before an element, and whether it is the only one. */
const placeOf = (element) => {
  const parent = element.parentElement;
  if (!parent) return { index: 1, alone: true };
  if (!places.has(parent)) {
    const counts = new Map();
    const index = new Map();
    for (const child of parent.children) {
      const n = (counts.get(child.localName) ?? 0) + 1;
      counts.set(child.localName, n);
      index.set(child, n);
    }
    places.set(parent, { counts, index });
  }
  const { counts, index } = places.get(parent);
  return { index: index.get(element), alone: counts.get(element.localName) === 1 };
};

/** A selector that finds this element alone, and the same without positions. */
const selectors = (element) => {
  if (element === document.documentElement) return { selector: "html", loose: "html" };
  const exact = [];
  const loose = [];
  for (let at = element; at && at !== document.documentElement; at = at.parentElement) {
    const tag = at.localName;
    if (at.id) {
      exact.unshift(`${tag}#${CSS.escape(at.id)}`);
      loose.unshift(`${tag}#${CSS.escape(at.id)}`);
      break;
    }
    const classes = [...at.classList].map((name) => `.${CSS.escape(name)}`).join("");
    loose.unshift(tag + classes);
    const { index, alone } = placeOf(at);
    exact.unshift(alone ? tag : `${tag}:nth-of-type(${index})`);
  }
  return { selector: exact.join(" > "), loose: loose.join(" > ") };
};

const inHeader = (element) => element.closest("header, [role=banner]") !== null;

const kindOf = (element) => {
  if (inHeader(element)) return "header";
  if (element.closest("figure, article p, main > p")) return "text";
  const area = element.getBoundingClientRect();
  if (element.closest("a") && element.closest("li, ul, ol") && Math.max(area.width, area.height) <= 320) return "thumbnail";
  if (element.closest("li, ul, ol, .card, [class*=card]")) return "card";
  return "text";
};
