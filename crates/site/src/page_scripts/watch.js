// Runs before the page's own scripts: remembers the largest contentful paint, and which files came.
globalThis.__paints = 0;
new PerformanceObserver((list) => {
  for (const entry of list.getEntries()) {
    globalThis.__largest = { element: entry.element, address: entry.url, size: entry.size };
    globalThis.__paints += 1;
  }
}).observe({ type: "largest-contentful-paint", buffered: true });
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
