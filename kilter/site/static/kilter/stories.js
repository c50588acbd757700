// What a weight or a pot was is told in one line under the picture: on hover, on focus by keyboard, at the first tap.
const storied = (event) => event.target.closest?.("[data-story]");
function tell(one, more = "") {
  const line = document.getElementById("story");
  const words = `${one?.dataset.story}${more}`;
  if (one && line && line.textContent !== words) line.textContent = words;
  return line;
}
let byTouch = false;
let tapped = null;
document.addEventListener("pointerdown", (event) => {
  byTouch = event.pointerType === "touch";
  if (storied(event) !== tapped) tapped = null;
});
for (const kind of ["pointerover", "focusin"])
  document.addEventListener(kind, (event) => {
    if (event.pointerType !== "touch") tell(storied(event));
  });
// A finger has no hover: the first tap tells, the second opens.
document.addEventListener(
  "click",
  (event) => {
    const one = storied(event);
    if (!byTouch || !one) return;
    if (one === tapped) return;
    tapped = one;
    if (one.closest("a[href]")) event.preventDefault();
    tell(one, one.closest("a[href]") ? " Tap again to open it." : "")?.scrollIntoView({ block: "nearest" });
  },
  { capture: true },
);
