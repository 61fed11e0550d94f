// Images as computed styles name them: lists of layers, of which some are files.
/** The parts of a CSS list that stand between commas outside of brackets and quotes. */
const layers = (text) => {
  const parts = [""];
  let depth = 0;
  let quoted = false;
  for (const c of text) {
    if (c === '"') quoted = !quoted;
    if (!quoted && c === "(") depth += 1;
    if (!quoted && c === ")") depth -= 1;
    if (c === "," && depth === 0 && !quoted) parts.push("");
    else parts[parts.length - 1] += c;
  }
  return parts.map((part) => part.trim());
};

const came = new Set(performance.getEntriesByType("resource").map((entry) => entry.name));
const SHOWN = /^image\/(jpeg|png|gif|webp|avif|svg\+xml|bmp|x-icon)$/;

/** Which file of an `image-set` is shown: one that came, and of these the one for this density. */
const chosen = (text) => {
  const all = [...text.matchAll(/url\("((?:[^"\\]|\\.)*)"\)\s+([\d.]+)dppx(?:\s+type\("([^"]*)"\))?/g)]
    .map(([, address, density, type]) => ({ address, density: Number(density), type }))
    .filter(({ type }) => !type || SHOWN.test(type));
  const there = all.filter(({ address }) => came.has(address));
  const among = (there.length > 0 ? there : all).sort((a, b) => a.density - b.density);
  return among.find(({ density }) => density >= devicePixelRatio) ?? among.at(-1) ?? null;
};

/** The file of an image, and for which density it is; null where it is none. */
const fileOf = (image) => {
  if (/^(-webkit-)?image-set\(/.test(image)) return chosen(image);
  const address = /^url\("((?:[^"\\]|\\.)*)"\)/.exec(image)?.[1];
  return address ? { address, density: 1 } : null;
};
