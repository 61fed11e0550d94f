// Has the page painted again, at its top, with all its pictures, and tells how high it is, how far things on it
// jumped while it came, and when the largest was painted.
globalThis.__show();
scrollTo(0, 0);
await Promise.allSettled([...document.images].filter((img) => img.currentSrc).map((img) => img.decode()));
await new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)));
return { height: document.documentElement.scrollHeight, shift: globalThis.__shift, largest: globalThis.__lcp?.at };
