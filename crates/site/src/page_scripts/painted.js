// Waits until the browser told of the largest paint that can be: no smaller than any picture in
// view. It tells of one some frames later; of backgrounds it is not known how large a paint they
// are, so while one could be larger, three looks in a row have to find nothing new.
// Frames are counted, not time: a busy machine paints late. One that paints nothing ends the wait.
const frame = () =>
  new Promise((done) => {
    requestAnimationFrame(() => setTimeout(done, 16));
    setTimeout(done, 250);
  });
const inView = (box) => {
  const width = Math.min(box.right, innerWidth) - Math.max(box.left, 0);
  const height = Math.min(box.bottom, innerHeight) - Math.max(box.top, 0);
  return width > 0 && height > 0 ? width * height : 0;
};
const pictures = [...document.images].map((img) => ({ img, area: inView(img.getBoundingClientRect()) })).filter(({ area }) => area > 0);
// An enlarged picture counts as large as its file.
const largest = Math.max(0, ...pictures.map(({ img, area }) => Math.min(area, img.naturalWidth * img.naturalHeight)));
const behind = Math.max(0, ...[...document.querySelectorAll("body, body *")]
  .filter((element) => getComputedStyle(element).backgroundImage.includes("url("))
  .map((element) => inView(element.getBoundingClientRect())));
// Where there is no picture, a text is told soon or there is none.
const most = largest > 0 || behind > 0 ? 60 : 15;
for (let told = 0, quiet = 0, n = 0; n < most; n++) {
  const paint = globalThis.__largest;
  if (paint && paint.size >= largest * 0.95 && (paint.size >= behind * 0.95 || quiet >= 9)) break;
  if (quiet >= 30 && told > 0) break;
  await frame();
  quiet = told === globalThis.__paints ? quiet + 1 : 0;
  told = globalThis.__paints;
}
globalThis.__lcp = globalThis.__largest;
