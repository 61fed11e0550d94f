// Runs before the page's own scripts: remembers the element of the largest contentful paint.
new PerformanceObserver((list) => {
  for (const entry of list.getEntries()) globalThis.__largest = entry.element;
}).observe({ type: "largest-contentful-paint", buffered: true });
