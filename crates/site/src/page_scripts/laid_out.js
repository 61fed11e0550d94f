// Waits until pictures that the new layout chooses have come, since their shape decides on boxes.
if (document.querySelector("picture > source")) {
  const pause = (ms) => new Promise((done) => setTimeout(done, ms));
  // The browser chooses a moment after the layout changed.
  await pause(20);
  for (let n = 0; n < 100 && ![...document.images].every((img) => img.complete); n++) await pause(20);
}
