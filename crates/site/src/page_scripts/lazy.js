// Asks for lazy pictures. Where scripts may load more when the page is scrolled, goes down the page
// a screen at a time and back to its top: timers and not frames set the pace, since a frame waits
// for pictures to be decoded, which nobody looks at.
for (const img of document.images) {
  if (img.loading === "lazy") img.dataset.wasLazy = "1";
  img.loading = "eager";
}
// Backgrounds of what is hidden do not load by themselves.
const hidden = [...document.querySelectorAll("body *")].filter((element) => !element.checkVisibility());
const named = hidden.flatMap((element) => [...getComputedStyle(element).backgroundImage.matchAll(/url\("(http[^"\\]*)"\)/g)]);
// A headless browser does not load icons by itself.
const icons = document.querySelectorAll("link[rel~=icon], link[rel=apple-touch-icon]");
const addresses = new Set([...[...icons].map(({ href }) => href), ...named.map(([, address]) => address)]);
const own = [...addresses].map((src) => Object.assign(new Image(), { src }));
if (scripted) {
  for (let y = 0, n = 0; y < document.documentElement.scrollHeight && n < 100; y += innerHeight, n++) {
    scrollTo({ top: y, behavior: "instant" });
    await new Promise((done) => setTimeout(done, 25));
  }
  scrollTo({ top: 0, behavior: "instant" });
}
const ended = (img) => img.complete || new Promise((done) => {
  img.addEventListener("load", done);
  img.addEventListener("error", done);
});
const late = new Promise((done) => setTimeout(done, 8000));
await Promise.race([Promise.all([...document.images, ...own].map(ended)), late]);
