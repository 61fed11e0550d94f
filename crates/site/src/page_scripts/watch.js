// Runs before the page's own scripts: remembers the largest contentful paint, how far things jumped, and which
// files came.
globalThis.__paints = 0;
new PerformanceObserver((list) => {
  for (const entry of list.getEntries()) {
    globalThis.__largest = { element: entry.element, address: entry.url, size: entry.size, at: entry.startTime };
    globalThis.__paints += 1;
  }
}).observe({ type: "largest-contentful-paint", buffered: true });
globalThis.__shift = 0;
new PerformanceObserver((list) => {
  for (const entry of list.getEntries()) if (!entry.hadRecentInput) globalThis.__shift += entry.value;
}).observe({ type: "layout-shift", buffered: true });
performance.setResourceTimingBufferSize(10_000);
// Painting is most of the work, and boxes are the same without it: decoding waits for opacity.
const hiding = new CSSStyleSheet();
hiding.replaceSync("html { opacity: 0 !important; }");
globalThis.__hide = () => {
  document.adoptedStyleSheets = [...document.adoptedStyleSheets, hiding];
};
globalThis.__show = () => {
  document.adoptedStyleSheets = [...document.adoptedStyleSheets].filter((sheet) => sheet !== hiding);
};
