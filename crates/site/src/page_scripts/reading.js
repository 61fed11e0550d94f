// Everything that is told of a page. An element's own entries come before those of styles, since
// pictures of the markup are what people look for first.
const MOST = 1000;
const STYLES = ["background", "mask", "border-image", "list-marker", "content"];
const all = [];
for (const element of [document.documentElement, ...document.querySelectorAll("body, body *")]) all.push(...shownBy(element));
for (const element of pseudoHosts()) {
  all.push(...shownByPseudo(element, "before"), ...shownByPseudo(element, "after"));
}
const isStyle = (one) => STYLES.includes(one.element);
const found = [...all.filter((one) => !isStyle(one)), ...all.filter(isStyle)];
globalThis.__probes = probes;

const unseen = found.filter(({ probe: part, inWindow, of }) => !part && !inWindow && !isSeen(of));
const whileOpen = opened(unseen.map(({ of }) => of), boxesOf);
const openedAt = (element, edge, inWindow) => {
  const at = inWindow ? undefined : whileOpen.get(element);
  return at ? { hiddenIn: at.hiddenIn, box: at.boxes[edge] } : null;
};

const largest = globalThis.__lcp;
const isLargest = (one) => largest && one.of === largest.element && (!largest.address || largest.address === one.address);
const images = new Map([...document.images].map((image, n) => [image, n]));
// Longer texts are of no use to anybody, and may be very long.
const bounded = (one) => Object.fromEntries(Object.entries(one).map(([name, value]) => [name, typeof value === "string" ? value.slice(0, 10_000) : value]));
const told = ({ of: element, suffix, ...one }) => ({
  ...one,
  image: images.get(element) ?? null,
  // Enough to see what it is; the length tells the rest.
  length: one.address.length,
  address: one.address.startsWith("data:") ? one.address.slice(0, 60) : one.address,
  base: one.selector,
  selector: one.selector + suffix,
  loose: one.loose + suffix,
  box: one.box ?? NOWHERE,
  opened: openedAt(element, one.edge, one.inWindow),
});
const lcp = found.find(isLargest);
const icons = [...document.querySelectorAll("link[rel~=icon], link[rel=apple-touch-icon]")].slice(0, 100).map((link) => bounded({
  ...selectors(link), address: link.href, rel: link.rel, sizes: link.sizes.value,
}));
const links = [...document.querySelectorAll("a[href]")].map((a) => a.href).filter((link) => link.length <= 2000);
return {
  title: document.title.slice(0, 1000),
  address: location.href,
  found: found.slice(0, MOST).map(told).map(bounded),
  images: images.size,
  left: Math.max(0, found.length - MOST),
  dependsOnDensity: rules.asksForDensity,
  icons,
  breakpoints: rules.breakpoints,
  links: [...new Set(links)].slice(0, 2000),
  height: document.documentElement.scrollHeight,
  lcp: lcp ? lcp.selector + lcp.suffix : null,
};
