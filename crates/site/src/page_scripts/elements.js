// The boxes of all elements, in their order, but for those that only offer files.
const NO_BOX = ["picture", "source", "script", "style", "template"];
const elements = [...document.querySelectorAll("body, body *")].filter(({ localName }) => !NO_BOX.includes(localName));
return elements.map((element) => {
  const rect = element.getBoundingClientRect();
  return { name: element.localName, x: rect.left + scrollX, y: rect.top + scrollY, width: rect.width, height: rect.height };
});
