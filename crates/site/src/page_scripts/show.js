// Has the page painted again, at its top, with all its pictures, and tells how high it is.
globalThis.__show();
scrollTo(0, 0);
await Promise.allSettled([...document.images].filter((img) => img.currentSrc).map((img) => img.decode()));
await new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)));
return document.documentElement.scrollHeight;
