// Runs before the page's own scripts: remembers the element of the largest contentful paint.
globalThis.__paints = 0;
new PerformanceObserver((list) => {
  for (const entry of list.getEntries()) {
    globalThis.__largest = entry.element;
    globalThis.__paints += 1;
  }
}).observe({ type: "largest-contentful-paint", buffered: true });
