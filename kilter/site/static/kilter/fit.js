// While a slider of the fit is moved no search begins, which would take it from under the hand.
addEventListener("input", (event) => {
  if (event.target.closest?.(".fit-slide")) document.getElementById("fit-improve")?.remove();
});

// What stands where: a planned planting is dragged, or moved by arrow keys, by half-months and from place to place.
const SLOTS = 24;
const formOf = (block) => document.getElementById(`shift-${block.dataset.planned}`);
const lanes = () => [...document.querySelectorAll("svg[data-place]")];

function move(block, slots, lane) {
  const form = formOf(block);
  if (!form) return;
  const length = Number(block.dataset.length);
  const start = Math.min(Math.max(Number(block.dataset.start) + slots, 0), SLOTS - length);
  const place = lane?.dataset.place ?? block.dataset.place;
  if (start === Number(block.dataset.start) && place === block.dataset.place) return;
  form.elements.start.value = start;
  form.elements.place.value = place;
  form.requestSubmit();
}

document.addEventListener("keydown", (event) => {
  const block = event.target.closest?.("[data-planned]");
  const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
  if (!block || !by) return;
  event.preventDefault();
  const all = lanes();
  const at = all.findIndex((lane) => lane.dataset.place === block.dataset.place);
  move(block, by[0], by[1] ? all[at + by[1]] : undefined);
});

let dragged = null;
document.addEventListener("pointerdown", (event) => {
  const block = event.target.closest?.("[data-planned]");
  if (!block || !formOf(block)) return;
  const svg = block.ownerSVGElement;
  dragged = { block, svg, from: event.clientX, slot: svg.getBoundingClientRect().width / SLOTS };
  block.setPointerCapture(event.pointerId);
  event.preventDefault();
  block.focus();
});
addEventListener("pointermove", (event) => {
  if (!dragged) return;
  const slots = Math.round((event.clientX - dragged.from) / dragged.slot);
  dragged.block.setAttribute("transform", `translate(${(slots * 1000) / SLOTS} 0)`);
});
addEventListener("pointerup", (event) => {
  if (!dragged) return;
  const { block, from, slot } = dragged;
  dragged = null;
  block.removeAttribute("transform");
  const under = document.elementsFromPoint(event.clientX, event.clientY).map((one) => one.closest("svg[data-place]"));
  move(block, Math.round((event.clientX - from) / slot), under.find(Boolean));
});
addEventListener("pointercancel", () => {
  dragged?.block.removeAttribute("transform");
  dragged = null;
});
