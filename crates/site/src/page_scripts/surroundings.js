// What a person sees around a place, so that it can be called by it.
const HEADINGS = "h1, h2, h3, h4, h5, h6, [role=heading], legend";
const headingsIn = new WeakMap();
const wordsOf = (element) => element.textContent.replace(/\s+/g, " ").trim().slice(0, 120);

/** The heading in `area` that comes last before `element`, or else the first after it. */
const nearestIn = (area, element) => {
  if (!headingsIn.has(area)) headingsIn.set(area, [...area.querySelectorAll(HEADINGS)].filter(wordsOf));
  const all = headingsIn.get(area);
  let from = 0;
  let to = all.length;
  while (from < to) {
    const middle = (from + to) >> 1;
    if (all[middle].compareDocumentPosition(element) & Node.DOCUMENT_POSITION_FOLLOWING) from = middle + 1;
    else to = middle;
  }
  return all[from - 1] ?? all[from];
};

/** Up to four headings, from the nearest outwards. */
const headingsAround = (element) => {
  const headings = [];
  for (let area = element; area && headings.length < 4; area = area.parentElement) {
    const nearest = nearestIn(area, element);
    const words = nearest && wordsOf(nearest);
    if (words && !headings.includes(words)) headings.push(words);
    if (area === document.body) break;
  }
  return headings;
};

const LANDMARKS = [
  ["header", "header, [role=banner]"],
  ["footer", "footer, [role=contentinfo]"],
  ["navigation", "nav, [role=navigation]"],
  ["sidebar", "aside, [role=complementary]"],
];

/** The part of the page that an element stands in; a header of an article is none of the page's. */
const landmarkOf = (element) => {
  const found = LANDMARKS.map(([name, matching]) => [name, element.closest(matching)]);
  const inside = found.filter(([, part]) => part && !part.parentElement?.closest("article, section, main"));
  // The outermost says most: navigation in a footer is the footer's.
  const outermost = inside.find(([, part]) => inside.every(([, other]) => part.contains(other)));
  return outermost?.[0] ?? null;
};

const leadsHome = (element) => {
  const link = element.closest("a[href]");
  if (!link || link.origin !== location.origin) return false;
  return /^\/(index\.\w+)?$/.test(link.pathname);
};

/** The caption of the figure that `element` is in, without its small print: who made the picture. */
const captionOf = (element) => {
  const caption = element.closest("figure")?.querySelector("figcaption")?.cloneNode(true);
  caption?.querySelectorAll("small").forEach((small) => small.remove());
  return caption;
};

const surroundings = (element) => {
  const caption = captionOf(element);
  return {
    landmark: landmarkOf(element),
    headings: headingsAround(element),
    caption: (caption && wordsOf(caption)) || null,
    leadsHome: leadsHome(element),
  };
};
