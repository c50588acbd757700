// The maps of the ground: dragging and nudging places, snapping, zoom by buttons or two fingers; drawing a part.
const SNAP_PX = 8;
const MARGIN = 34; // as in drawing/ground_map.py
const NUDGE_M = 0.1;
const NUDGE_WAIT_MS = 500;
const READABLE_PX_PER_M = 40; // on a narrow screen the map is as large as this, and panned
const headers = () => JSON.parse(document.body.getAttribute("hx-headers"));
const mode = () => document.querySelector("[data-map-modes] input:checked")?.value ?? "";
const round = (metres) => Math.round(metres * 100) / 100;

// --- zoom: the picture grows inside its box, which pans by itself ---
function scaleTo(svg, scale) {
  const [, , width, height] = svg.getAttribute("viewBox").split(" ").map(Number);
  const bounded = Math.min(Math.max(scale, 0.3), 8);
  svg.dataset.scale = bounded;
  svg.setAttribute("width", Math.round(width * bounded));
  svg.setAttribute("height", Math.round(height * bounded));
}
const scaleOf = (svg) => Number(svg.dataset.scale ?? 1);

function watchFingers(box, svg) {
  let start = null;
  const distance = (touches) =>
    Math.hypot(touches[0].clientX - touches[1].clientX, touches[0].clientY - touches[1].clientY);
  box.addEventListener(
    "touchstart",
    (event) => {
      if (event.touches.length === 2) start = { distance: distance(event.touches), scale: scaleOf(svg) };
    },
    { passive: true },
  );
  box.addEventListener(
    "touchmove",
    (event) => {
      if (!start || event.touches.length !== 2) return;
      event.preventDefault();
      scaleTo(svg, (start.scale * distance(event.touches)) / start.distance);
    },
    { passive: false },
  );
  box.addEventListener("touchend", () => {
    start = null;
  });
}

// --- places ---
function others(svg, place) {
  return [...svg.querySelectorAll("[data-place]")].filter((one) => one !== place).map(boxOf);
}
const boxOf = (place) => ({
  x: Number(place.dataset.x),
  y: Number(place.dataset.y),
  w: Number(place.dataset.w),
  h: Number(place.dataset.h),
});

// The nearest line of a neighbour (either edge, or one beside the other) within reach, else where it is.
function snapped(at, size, edges, reach) {
  let best = { by: reach, to: at };
  for (const edge of edges) {
    for (const candidate of [edge, edge - size]) {
      const by = Math.abs(candidate - at);
      if (by < best.by) best = { by, to: candidate };
    }
  }
  return round(best.to);
}

function snap(svg, place, x, y) {
  const near = others(svg, place);
  const size = boxOf(place);
  const reach = SNAP_PX / (Number(svg.dataset.px) * scaleOf(svg));
  return [
    snapped(
      x,
      size.w,
      near.flatMap((box) => [box.x, box.x + box.w]),
      reach,
    ),
    snapped(
      y,
      size.h,
      near.flatMap((box) => [box.y, box.y + box.h]),
      reach,
    ),
  ];
}

function say(text, undo) {
  const box = document.getElementById("messages");
  const line = Object.assign(document.createElement("div"), { className: undo ? "say success" : "say error" });
  line.append(Object.assign(document.createElement("span"), { textContent: text }));
  if (undo) {
    const form = Object.assign(document.createElement("form"), { method: "post", action: undo });
    for (const [name, value] of [
      ["csrfmiddlewaretoken", headers()["X-CSRFToken"]],
      ["back", location.pathname + location.search],
    ]) {
      form.append(Object.assign(document.createElement("input"), { type: "hidden", name, value }));
    }
    const button = Object.assign(document.createElement("button"), {
      type: "submit",
      className: "btn",
      textContent: "Undo",
    });
    button.dataset.undo = "";
    form.append(button);
    line.append(form);
  }
  box.replaceChildren(line);
}

async function put(svg, place, x, y) {
  const body = new URLSearchParams({ x_m: x, y_m: y, is_move: mode() === "move" ? "on" : "" });
  try {
    const response = await fetch(place.dataset.place, { method: "POST", headers: headers(), body });
    const answer = await response.json();
    if (!response.ok) throw new Error(answer.problem);
    say(answer.says, answer.undo);
    settle(svg, place);
    place.dataset.x = x;
    place.dataset.y = y;
    settle(svg, place);
  } catch (error) {
    settle(svg, place);
    say(error.message || "That did not get through; the place is where it was. Please try again.");
  }
}

// Metres to the picture's own pixels and back; a long site lies in strips one under the other.
const frameOf = (svg) => ({
  px: Number(svg.dataset.px),
  north: Number(svg.dataset.north),
  pitch: Number(svg.dataset.pitch),
  starts: svg.dataset.starts.split(" ").map(Number),
});
function toPicture(svg, x, y) {
  const { px, north, pitch, starts } = frameOf(svg);
  const strip = Math.max(starts.filter((start) => start <= x + 1e-9).length - 1, 0);
  return [(x - starts[strip]) * px, (north - y) * px + strip * pitch];
}
function toGround(svg, event) {
  const { px, north, pitch, starts } = frameOf(svg);
  const box = svg.getBoundingClientRect();
  const [left, top] = [
    (event.clientX - box.left) / scaleOf(svg) - MARGIN,
    (event.clientY - box.top) / scaleOf(svg) - MARGIN,
  ];
  const strip = Math.min(Math.max(Math.floor((top + MARGIN / 2) / pitch), 0), starts.length - 1);
  return [starts[strip] + left / px, north - (top - strip * pitch) / px];
}

// Draws a place where its records say, as a shift from where the page drew it first.
function settle(svg, place, x = Number(place.dataset.x), y = Number(place.dataset.y)) {
  place.dataset.firstX ??= place.dataset.x;
  place.dataset.firstY ??= place.dataset.y;
  const first = toPicture(svg, Number(place.dataset.firstX), Number(place.dataset.firstY));
  const now = toPicture(svg, x, y);
  place.setAttribute("transform", `translate(${now[0] - first[0]} ${now[1] - first[1]})`);
}

function watchDrag(svg) {
  let held = null;
  svg.addEventListener("pointerdown", (event) => {
    const place = event.target.closest("[data-place]");
    if (!place || !mode() || event.button !== 0) return;
    event.preventDefault();
    const [x, y] = [Number(place.dataset.x), Number(place.dataset.y)];
    const at = toGround(svg, event);
    held = { place, fromX: event.clientX, fromY: event.clientY, byX: x - at[0], byY: y - at[1], x, y, moved: false };
    svg.setPointerCapture(event.pointerId);
    place.focus();
  });
  svg.addEventListener("pointermove", (event) => {
    if (!held) return;
    if (!held.moved && Math.hypot(event.clientX - held.fromX, event.clientY - held.fromY) < 4) return;
    held.moved = true;
    const at = toGround(svg, event);
    [held.x, held.y] = snap(svg, held.place, at[0] + held.byX, at[1] + held.byY);
    settle(svg, held.place, held.x, held.y);
  });
  const drop = () => {
    if (held?.moved) put(svg, held.place, held.x, held.y);
    held = null;
  };
  svg.addEventListener("pointerup", drop);
  svg.addEventListener("pointercancel", () => {
    if (held) settle(svg, held.place);
    held = null;
  });
  // While places can be dragged, a click does not lead away.
  svg.addEventListener("click", (event) => {
    if (mode() && event.target.closest("[data-place]")) event.preventDefault();
  });
  svg.addEventListener("dragstart", (event) => event.preventDefault());
}

function watchKeys(svg) {
  let waiting = null;
  svg.addEventListener("keydown", (event) => {
    const place = event.target.closest("[data-place]");
    const step = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[event.key];
    if (!place || !step || !mode()) return;
    event.preventDefault();
    const by = event.shiftKey ? 1 : NUDGE_M;
    if (waiting?.place !== place) waiting = { place, x: Number(place.dataset.x), y: Number(place.dataset.y) };
    waiting.x = round(waiting.x + step[0] * by);
    waiting.y = round(waiting.y + step[1] * by);
    settle(svg, place, waiting.x, waiting.y);
    clearTimeout(waiting.timer);
    const { x, y } = waiting;
    waiting.timer = setTimeout(() => {
      put(svg, place, x, y);
      waiting = null;
    }, NUDGE_WAIT_MS);
  });
}

// --- a stretch drawn along a bed ---
function watchStretch(svg) {
  const long = Number(svg.dataset.stretch);
  const form = svg.closest("form");
  const drawn = svg.querySelector("[data-drawn]");
  const at = (event) => {
    const box = svg.getBoundingClientRect();
    return Math.min(Math.max((event.clientX - box.left) / box.width, 0), 1);
  };
  let start = null;
  const draw = (event) => {
    const [low, high] = [Math.min(start, at(event)), Math.max(start, at(event))];
    drawn.setAttribute("x", low * 1000);
    drawn.setAttribute("width", (high - low) * 1000);
    form.elements.from_m.value = round(low * long);
    form.elements.to_m.value = round(high * long);
    form.elements.kind.value = "stretch";
  };
  svg.addEventListener("pointerdown", (event) => {
    event.preventDefault();
    start = at(event);
    svg.setPointerCapture(event.pointerId);
  });
  svg.addEventListener("pointermove", (event) => {
    if (start !== null) draw(event);
  });
  svg.addEventListener("pointerup", (event) => {
    draw(event);
    start = null;
  });
}

document.addEventListener("DOMContentLoaded", () => {
  for (const svg of document.querySelectorAll(".mapbox svg")) {
    const box = svg.closest(".mapbox");
    const px = Number(svg.dataset.px ?? 0);
    if (px && box.clientWidth < 700 && px < READABLE_PX_PER_M) scaleTo(svg, READABLE_PX_PER_M / px);
    watchFingers(box, svg);
    if (svg.hasAttribute("data-map")) {
      watchDrag(svg);
      watchKeys(svg);
    }
  }
  document.querySelectorAll("[data-stretch]").forEach(watchStretch);
});
document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-zoom]");
  const svg = button?.closest("section").querySelector(".mapbox svg");
  if (svg) scaleTo(svg, scaleOf(svg) * (button.dataset.zoom === "in" ? 1.4 : 1 / 1.4));
});
document.addEventListener("change", (event) => {
  if (!event.target.closest("[data-map-modes]")) return;
  const hint = document.querySelector("[data-map-hint]");
  if (hint) hint.hidden = !mode();
  for (const svg of document.querySelectorAll("[data-map]")) svg.classList.toggle("arranging", mode() !== "");
});
