// What the style sheets say: where they change, whether they ask for the density, and which
// elements may have pseudo-elements.
const rules = (() => {
  const breakpoints = new Set();
  const hosts = new Set();
  let asksForDensity = document.scripts.length > 0 || document.querySelector("img[srcset], source") !== null;
  const readQuery = (text) => {
    for (const [, limit, value, unit] of text.matchAll(/(min|max)-width:\s*([\d.]+)(px|em|rem)/g)) {
      const px = Math.round(Number(value) * (unit === "px" ? 1 : 16));
      breakpoints.add(limit === "min" ? px : px + 1);
    }
    for (const [, sign, value] of text.matchAll(/width\s*(>=|>|<=|<)\s*([\d.]+)px/g)) {
      breakpoints.add(Math.round(Number(value)) + (sign === ">" || sign === "<=" ? 1 : 0));
    }
  };
  // A query that only says which picture is shown moves no box; a publication adds such queries.
  const isOfPictures = (rule) =>
    [...rule.cssRules].every((inner) => inner.style?.length > 0 && [...inner.style].every((name) => name.startsWith("background-")));
  const PSEUDO = /::?(before|after)/g;
  const readRule = (rule) => {
    if (rule instanceof CSSMediaRule && !isOfPictures(rule)) readQuery(rule.conditionText);
    if (rule.selectorText && PSEUDO.test(rule.selectorText)) hosts.add(rule.selectorText.replaceAll(PSEUDO, "").trim());
    PSEUDO.lastIndex = 0;
    if (rule instanceof CSSImportRule && rule.styleSheet) readSheet(rule.styleSheet);
    for (const inner of rule.cssRules ?? []) readRule(inner);
  };
  const readSheet = (sheet) => {
    try {
      for (const rule of sheet.cssRules) {
        readRule(rule);
        if (/image-set\(|resolution|pixel-ratio/.test(rule.cssText)) asksForDensity = true;
      }
    } catch {
      // A style sheet from elsewhere keeps its rules to itself.
      asksForDensity = true;
      hosts.add("*");
    }
  };
  [...document.styleSheets, ...document.adoptedStyleSheets].forEach(readSheet);
  for (const source of document.querySelectorAll("source[media]:not([hidden])")) readQuery(source.media);
  return { breakpoints: [...breakpoints].sort((a, b) => a - b), asksForDensity, hosts };
})();

/** The elements that may have pseudo-elements. */
const pseudoHosts = () => {
  const found = new Set();
  for (const host of rules.hosts) {
    try {
      for (const element of document.querySelectorAll(host || "*")) found.add(element);
    } catch {
      // What is left without its pseudo-element may be no selector.
      return document.querySelectorAll("*");
    }
  }
  return found;
};
