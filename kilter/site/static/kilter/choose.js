// The small map of a chooser: pressing a place ticks its box, dragging over several ticks them all; boxes mark the map.
const boxes = (choose) => choose.querySelectorAll('input[type="checkbox"]');
const boxOf = (shape) =>
  shape.closest("[data-choose]").querySelector(`input[value="${CSS.escape(shape.dataset.tick)}"]`);

// As the server says it: the first four by name, and how many more.
function inWords(choose) {
  const names = [...boxes(choose)].filter((box) => box.checked).map((box) => box.closest("label").textContent.trim());
  return names.slice(0, 4).join(", ") + (names.length > 4 ? ` and ${names.length - 4} more` : "");
}
function mark(choose) {
  const ticked = new Set([...boxes(choose)].filter((box) => box.checked).map((box) => box.value));
  for (const shape of choose.querySelectorAll("[data-tick]"))
    shape.classList.toggle("ticked", ticked.has(shape.dataset.tick));
  const output = choose.querySelector("[data-count]");
  if (output) output.textContent = ticked.size ? `Ticked: ${inWords(choose)}` : "";
}
function tick(shape, wanted) {
  const box = boxOf(shape);
  if (!box || box.checked === wanted) return;
  box.checked = wanted;
  box.dispatchEvent(new Event("change", { bubbles: true }));
}

let dragging = null; // whether what is passed over gets ticked or unticked
document.addEventListener("pointerdown", (event) => {
  const shape = event.target.closest("[data-tick]");
  if (!shape || event.button !== 0) return;
  dragging = !boxOf(shape)?.checked;
  tick(shape, dragging);
  if (event.pointerType === "mouse") event.preventDefault();
});
document.addEventListener("pointerover", (event) => {
  const shape = event.target.closest("[data-tick]");
  if (shape && dragging !== null && event.pointerType === "mouse" && event.buttons) tick(shape, dragging);
});
addEventListener("pointerup", () => {
  dragging = null;
});
addEventListener("pointercancel", () => {
  dragging = null;
});

// What is typed is outlined on the map, as the server understood it.
document.addEventListener("htmx:afterSwap", (event) => {
  const choose = event.target.closest?.("[data-choose]");
  const meant = choose?.querySelector("[data-means]")?.dataset.means.split(" ") ?? [];
  for (const shape of choose?.querySelectorAll("[data-tick]") ?? [])
    shape.classList.toggle("meant", meant.includes(shape.dataset.tick));
});

const markAll = () => {
  for (const choose of document.querySelectorAll("[data-choose]")) mark(choose);
};
document.addEventListener("change", (event) => {
  const choose = event.target.closest("[data-choose]");
  if (choose) mark(choose);
});
document.addEventListener("kilter:ticked", markAll);
document.addEventListener("DOMContentLoaded", markAll);
