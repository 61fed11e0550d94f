// The boxes of all elements, in their order, but for those that only offer files, and for the words in captions,
// which may be other ones afterwards: what holds them has a box itself.
const NO_BOX = ["picture", "source", "script", "style", "template", "noscript"];
const isWord = (element) =>
  element.parentElement?.closest("figcaption") && element.localName !== "img" && !element.querySelector("img");
const elements = [...document.querySelectorAll("body, body *")].filter(
  (element) => !NO_BOX.includes(element.localName) && !isWord(element),
);
const numbers = new Map(elements.map((element, n) => [element, n]));
const around = (element) => {
  for (let at = element.parentElement; at; at = at.parentElement) {
    if (numbers.has(at)) return numbers.get(at);
  }
  return null;
};
// What a selector that no longer fits would change, but for sizes, which the boxes tell.
const LOOKS = [
  "display", "position", "float", "clear", "opacity", "visibility", "z-index", "object-fit",
  "border-top", "border-right", "border-bottom", "border-left", "border-top-left-radius", "border-bottom-right-radius",
  "box-shadow", "filter", "clip-path", "mix-blend-mode", "color", "background-color", "font-size", "font-weight",
  "vertical-align", "cursor", "pointer-events", "animation-name", "transition-property", "outline-style",
];
/** A number for a text: other texts hardly ever have the same one. */
const digest = (text) => {
  let sum = 0;
  for (let n = 0; n < text.length; n++) sum = (Math.imul(sum, 31) + text.charCodeAt(n)) | 0;
  return sum;
};
return elements.map((element) => {
  const rect = element.getBoundingClientRect();
  const style = getComputedStyle(element);
  return {
    name: element.localName, around: around(element),
    held: style.objectPosition,
    looks: digest(LOOKS.map((name) => style.getPropertyValue(name)).join()),
    x: rect.left + scrollX, y: rect.top + scrollY, width: rect.width, height: rect.height,
  };
});
