// Whether the page can do anything by itself after it was loaded.
const runs = (script) => ["", "module", "text/javascript", "application/javascript"].includes(script.type);
return [...document.scripts].some(runs) || document.querySelector("[onload], [onscroll], iframe, frame") !== null;
