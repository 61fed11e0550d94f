// Where known places are after the page was laid out anew.
globalThis.__elements ??= new Map();
const elementAt = (base) => {
  const before = globalThis.__elements.get(base);
  if (before?.isConnected) return before;
  const element = document.querySelector(base);
  globalThis.__elements.set(base, element);
  return element;
};
const unseen = known.filter(({ hidden }) => hidden).map(({ base }) => elementAt(base));
const whileOpen = opened(unseen.filter((element) => element && !isSeen(element)), boxesOf);
const moved = known.map(({ base, edge, inWindow, pseudo, painted }) => {
  const element = elementAt(base);
  const style = element && getComputedStyle(element, pseudo && `::${pseudo}`);
  // A layout may have no such element, or nothing behind it.
  if (!element || (painted && style[`${painted}Image`] === "none")) return null;
  if (pseudo) return { box: NOWHERE, probe: probe(element, pseudo) };
  const box = whileOpen.get(element)?.boxes[edge] ?? boxOf(element, style, edge);
  return { box: inWindow && box.width > 0 ? { ...box, width: innerWidth, height: innerHeight } : box, probe: null };
});
globalThis.__probes = probes;
return moved;
