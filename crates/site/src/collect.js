// Runs in the measured page. Returns every place that shows a picture, as it is laid out now.
// Boxes are content boxes in CSS px (padding boxes for backgrounds), before any transform.
(() => {
  const MOST = 1000;
  const visible = (style) => style.display !== "none" && style.visibility !== "hidden";
  const number = (text) => Number.parseFloat(text) || 0;

  const places = new WeakMap();
  /** How many children of its kind come before an element, and whether it is the only one. */
  const placeOf = (element) => {
    const parent = element.parentElement;
    if (!parent) return { index: 1, alone: true };
    if (!places.has(parent)) {
      const counts = new Map();
      const index = new Map();
      for (const child of parent.children) {
        const n = (counts.get(child.localName) ?? 0) + 1;
        counts.set(child.localName, n);
        index.set(child, n);
      }
      places.set(parent, { counts, index });
    }
    const { counts, index } = places.get(parent);
    return { index: index.get(element), alone: counts.get(element.localName) === 1 };
  };

  /** A selector that finds this element alone, and the same without positions. */
  const selectors = (element) => {
    const exact = [];
    const loose = [];
    for (let at = element; at && at !== document.documentElement; at = at.parentElement) {
      const tag = at.localName;
      if (at.id) {
        exact.unshift(`${tag}#${CSS.escape(at.id)}`);
        loose.unshift(`${tag}#${CSS.escape(at.id)}`);
        break;
      }
      const classes = [...at.classList].map((name) => `.${CSS.escape(name)}`).join("");
      loose.unshift(tag + classes);
      const { index, alone } = placeOf(at);
      exact.unshift(alone ? tag : `${tag}:nth-of-type(${index})`);
    }
    return { selector: exact.join(" > "), loose: loose.join(" > ") };
  };

  const box = (element, style, edge) => {
    const rect = element.getBoundingClientRect();
    if (!visible(style)) return { x: 0, y: 0, width: 0, height: 0 };
    const sides = (name) => number(style[`border${name}Width`]) + (edge === "content" ? number(style[`padding${name}`]) : 0);
    return {
      x: rect.left + scrollX + sides("Left"),
      y: rect.top + scrollY + sides("Top"),
      width: Math.max(0, rect.width - sides("Left") - sides("Right")),
      height: Math.max(0, rect.height - sides("Top") - sides("Bottom")),
    };
  };

  const kindOf = (element) => {
    if (element.closest("header, [role=banner]")) return "header";
    if (element.closest("figure, article p, main > p")) return "text";
    const area = element.getBoundingClientRect();
    if (element.closest("a") && element.closest("li, ul, ol") && Math.max(area.width, area.height) <= 320) return "thumbnail";
    if (element.closest("li, ul, ol, .card, [class*=card]")) return "card";
    return "text";
  };

  const found = [];
  let left = 0;
  const add = (entry) => { if (found.length < MOST) found.push(entry); else left += 1; };

  for (const img of document.images) {
    const style = getComputedStyle(img);
    const picture = img.closest("picture");
    add({
      ...selectors(img),
      element: picture ? "picture" : "img",
      kind: kindOf(img),
      box: box(img, style, "content"),
      address: img.currentSrc || img.src || "",
      loaded: img.complete && img.naturalWidth > 0,
      srcset: img.srcset || null,
      sizes: img.sizes || null,
      sources: picture ? [...picture.querySelectorAll("source")].map((s) => ({ media: s.media, srcset: s.srcset, type: s.type })) : [],
      painting: { fill: "fill", cover: "cover", contain: "contain", none: "natural", "scale-down": "contain" }[style.objectFit],
      position: style.objectPosition,
      alt: img.getAttribute("alt"),
      // Measuring asks for lazy pictures by changing the property.
      lazy: img.dataset.wasLazy === "1" || img.loading === "lazy",
    });
  }
  for (const element of document.querySelectorAll("body, body *")) {
    const style = getComputedStyle(element);
    const address = /url\("([^"]+)"\)/.exec(style.backgroundImage)?.[1];
    if (!address || address.startsWith("data:")) continue;
    const size = style.backgroundSize;
    add({
      ...selectors(element),
      element: "background",
      kind: element.closest("header, [role=banner]") ? "header" : "background",
      box: box(element, style, "padding"),
      address,
      loaded: true,
      srcset: null,
      sizes: null,
      sources: [],
      painting: size === "cover" || size === "contain" ? size : size === "100% 100%" ? "fill" : "natural",
      position: style.backgroundPosition,
      alt: null,
      lazy: false,
    });
  }
  const icons = [...document.querySelectorAll("link[rel~=icon], link[rel=apple-touch-icon]")].map((link) => ({
    ...selectors(link), address: link.href, rel: link.rel, sizes: link.sizes.value,
  }));

  const breakpoints = new Set();
  let asksForDensity = document.scripts.length > 0 || document.querySelector("img[srcset], source") !== null;
  const read = (text) => {
    for (const [, limit, value, unit] of text.matchAll(/(min|max)-width:\s*([\d.]+)(px|em|rem)/g)) {
      const px = Math.round(Number(value) * (unit === "px" ? 1 : 16));
      breakpoints.add(limit === "min" ? px : px + 1);
    }
    for (const [, sign, value] of text.matchAll(/width\s*(>=|>|<=|<)\s*([\d.]+)px/g)) {
      breakpoints.add(Math.round(Number(value)) + (sign === ">" || sign === "<=" ? 1 : 0));
    }
  };
  for (const sheet of document.styleSheets) {
    try {
      for (const rule of sheet.cssRules) {
        if (rule instanceof CSSMediaRule) read(rule.conditionText);
        if (/image-set\(|resolution|pixel-ratio/.test(rule.cssText)) asksForDensity = true;
      }
    } catch {
      asksForDensity = true;
      // A style sheet from elsewhere keeps its rules to itself.
    }
  }
  for (const source of document.querySelectorAll("source[media]")) read(source.media);

  const links = [...document.querySelectorAll("a[href]")].map((a) => a.href);
  return {
    title: document.title,
    address: location.href,
    found,
    left,
    dependsOnDensity: asksForDensity,
    icons,
    breakpoints: [...breakpoints].sort((a, b) => a - b),
    links: [...new Set(links)].slice(0, 2000),
    height: document.documentElement.scrollHeight,
    lcp: globalThis.__largest ? selectors(globalThis.__largest).selector : null,
  };
})()
