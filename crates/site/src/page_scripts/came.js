// When things were there, in ms from the start of the page.
const [page] = performance.getEntriesByType("navigation");
const [paint] = performance.getEntriesByName("first-contentful-paint");
const files = performance.getEntriesByType("resource").map(({ name, responseEnd }) => ({ address: name, end: responseEnd }));
return {
  firstPaint: paint?.startTime ?? null,
  largest: globalThis.__lcp?.at ?? null,
  shift: globalThis.__shift ?? 0,
  files: [{ address: page.name, end: page.responseEnd }, ...files],
};
