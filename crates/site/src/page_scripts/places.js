// Every way in which an element can show a picture. Each makes an entry, or none.
const FITS = { fill: "fill", cover: "cover", contain: "contain", none: "natural", "scale-down": "contain" };

/** What the entries of all ways have; `way` is how the picture is shown. */
const entry = (element, way, file, more) => ({
  ...selectors(element),
  surroundings: surroundings(element),
  element: way,
  kind: kindOf(element),
  address: file.address,
  density: file.density ?? 1,
  loaded: true,
  srcset: null,
  sizes: null,
  painting: "fill",
  position: "50% 50%",
  alt: null,
  lazy: false,
  layer: null,
  edge: "content",
  inWindow: false,
  probe: null,
  suffix: "",
  of: element,
  ...more,
});

/** What has a picture as its content: `object-fit` says how it is put into the content box. */
const replaced = (element, style, way, address, more) =>
  entry(element, way, { address }, {
    box: boxOf(element, style, "content"),
    painting: FITS[style.objectFit],
    position: style.objectPosition,
    ...more,
  });

const img = (element, style) => {
  const picture = element.closest("picture");
  return replaced(element, style, picture ? "picture" : "img", element.currentSrc || element.src || "", {
    loaded: element.complete && element.naturalWidth > 0,
    srcset: element.srcset || null,
    sizes: element.sizes || null,
    alt: element.getAttribute("alt"),
    // Measuring asks for lazy pictures by changing the property.
    lazy: element.dataset.wasLazy === "1" || element.loading === "lazy",
  });
};

const isPicture = (address, type) =>
  /^image\//.test(type) || (!type && /\.(jpe?g|png|gif|webp|avif|svg|bmp)$/i.test(new URL(address, location.href).pathname));

/** SVG fits by `preserveAspectRatio` (SVG 2, 7.13), whose parts are corners and middles. */
const svgImage = (element, style) => {
  const address = new URL(element.href.baseVal, element.baseURI).href;
  const [align, slice] = (element.getAttribute("preserveAspectRatio") ?? "xMidYMid").trim().split(/\s+/);
  const at = (axis) => ({ Min: "0%", Max: "100%" })[new RegExp(`${axis}(Min|Mid|Max)`, "i").exec(align)?.[1]] ?? "50%";
  return entry(element, "svg-image", { address }, {
    box: boxOf(element, style, "border"),
    edge: "border",
    painting: align === "none" ? "fill" : slice === "slice" ? "cover" : "contain",
    position: `${at("x")} ${at("Y")}`,
    alt: element.getAttribute("aria-label"),
  });
};

const ELEMENTS = {
  img,
  image: (element, style) => (element instanceof SVGImageElement && element.href.baseVal ? svgImage(element, style) : null),
  video: (element, style) => (element.poster ? replaced(element, style, "poster", element.poster) : null),
  input: (element, style) =>
    element.type === "image" && element.src
      ? replaced(element, style, "input", element.src, { alt: element.getAttribute("alt") })
      : null,
  object: (element, style) =>
    element.data && isPicture(element.data, element.type) ? replaced(element, style, "object", element.data) : null,
  embed: (element, style) =>
    element.src && isPicture(element.src, element.type) ? replaced(element, style, "object", element.src) : null,
};

/** The layers of a background or a mask that are files, each with its area and how it lies there. */
const painted = (element, style, pseudo, way, name, isBusy) => {
  const image = style[`${name}Image`];
  if (!image || image === "none") return [];
  const lists = Object.fromEntries(
    ["Size", "Position", "Repeat", "Origin", "Clip", "Attachment"].map((part) => [part, layers(style[name + part] ?? "")]),
  );
  const entries = [];
  for (const [n, part] of layers(image).entries()) {
    const file = fileOf(part);
    if (!file) continue;
    const of = (list) => lists[list][n % lists[list].length];
    const layer = {
      size: of("Size"), position: of("Position"), repeat: of("Repeat"),
      origin: of("Origin"), clip: of("Clip"), attachment: of("Attachment") || "scroll",
    };
    const edge = layer.origin.replace("-box", "");
    // Anything else is a box of SVG, which elements of HTML do not have.
    const known = ["border", "padding", "content"].includes(edge) ? edge : "border";
    const isFixed = layer.attachment === "fixed";
    const own = pseudo ? null : boxOf(element, style, isFixed ? "border" : known);
    const suffixes = [isBusy || way === "mask" ? way : "", entries.length > 0 ? `layer ${entries.length + 1}` : ""];
    entries.push(entry(element, way, file, {
      kind: inHeader(element) ? "header" : "background",
      // A fixed one lies in the window, wherever its element is.
      box: isFixed && own?.width > 0 ? { ...own, width: innerWidth, height: innerHeight } : own,
      edge: isFixed ? "border" : known,
      inWindow: isFixed,
      probe: pseudo ? probe(element, pseudo) : null,
      layer,
      position: layer.position,
      suffix: suffixes.filter(Boolean).map((words) => `/* ${words} */`).join(""),
    }));
  }
  return entries;
};

const bordered = (element, style, pseudo) => {
  const file = fileOf(style.borderImageSource ?? "none");
  if (!file) return [];
  return [entry(element, "border-image", file, {
    kind: "background",
    box: pseudo ? null : boxOf(element, style, "border"),
    edge: "border",
    probe: pseudo ? probe(element, pseudo) : null,
    suffix: "/* border */",
  })];
};

/** `content` that is a file, which replaces what an element has, or is what a pseudo-element has. */
const content = (element, style, pseudo) => {
  const file = fileOf(style.content ?? "normal");
  if (!file) return [];
  return [entry(element, "content", file, {
    box: pseudo ? null : boxOf(element, style, "content"),
    probe: pseudo ? probe(element, pseudo) : null,
    painting: pseudo ? "natural" : FITS[style.objectFit],
    alt: / \/ "([^"]*)"$/.exec(style.content)?.[1] ?? null,
  })];
};

const marker = (element, style) => {
  const file = style.display === "list-item" ? fileOf(style.listStyleImage) : null;
  if (!file) return [];
  return [entry(element, "list-marker", file, { painting: "natural", probe: probe(element, "marker"), suffix: "::marker" })];
};

/** All that an element shows by itself. */
const shownBy = (element) => {
  const style = getComputedStyle(element);
  const own = ELEMENTS[element.localName]?.(element, style);
  const isBusy = Boolean(own);
  return [
    ...(own ? [own] : []),
    ...(own ? [] : content(element, style, null)),
    ...painted(element, style, null, "background", "background", isBusy),
    ...painted(element, style, null, "mask", "mask", isBusy),
    ...bordered(element, style, null),
    ...marker(element, style),
  ];
};

/** All that one of its pseudo-elements shows. */
const shownByPseudo = (element, pseudo) => {
  const style = getComputedStyle(element, `::${pseudo}`);
  if (style.content === "none" || style.content === "normal" || style.display === "none") return [];
  const entries = [
    ...content(element, style, pseudo),
    ...painted(element, style, pseudo, "background", "background", false),
    ...painted(element, style, pseudo, "mask", "mask", false),
    ...bordered(element, style, pseudo),
  ];
  return entries.map((one) => ({ ...one, suffix: `::${pseudo}${one.suffix}` }));
};
