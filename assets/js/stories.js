// What a weight or a pot was is told in one line under the picture: on hover, and on focus by keyboard.
(() => {
  "use strict";
  const tell = (event) => {
    const one = event.target.closest?.("[data-story]");
    const line = document.getElementById("story");
    if (one && line && line.textContent !== one.dataset.story) line.textContent = one.dataset.story;
  };
  for (const kind of ["pointerover", "focusin"]) document.addEventListener(kind, tell);
})();
