const [target, text, pictureText, job] = arguments;
const found = { overflow: [], hidden: [], targets: [], jobs: [], text: [] };
const name = (one) => `${one.tagName.toLowerCase()}${one.id ? "#" + one.id : ""}${typeof one.className === "string" && one.className ? "." + one.className.trim().split(/\s+/).slice(0, 2).join(".") : ""} “${(one.innerText ?? one.textContent ?? one.value ?? "").trim().slice(0, 30)}”`;
const shown = (one) => one.checkVisibility({ visibilityProperty: true, opacityProperty: true });
// A gap of a sentence opens over the page, one at a time; every other part that is folded is unfolded.
document.querySelectorAll("main details:not([open], .gap)").forEach((one) => { one.open = true; });
const width = document.documentElement.clientWidth;
if (document.documentElement.scrollWidth > width) {
  const wide = [...document.querySelectorAll("main *")].filter((one) => shown(one) && one.getBoundingClientRect().right > width + 1 && !one.closest(".mapbox, .scrolls, [tabindex='0']"));
  found.overflow.push(`${document.documentElement.scrollWidth} of ${width}: ${wide.slice(0, 3).map(name).join(", ")}`);
}
// A link within a sentence may be as low as its line.
const inline = (one) => getComputedStyle(one).display === "inline" && [...one.parentElement.childNodes].some((near) => near !== one && near.textContent.trim().length > 1);
const small = "a[href], button, input:not([type=hidden]), select, textarea, summary, [role=button], [tabindex='0']:not(figure):not(div)";
for (const one of document.querySelectorAll(small)) {
  if (!shown(one) || one.closest(".sr-only") || one.matches(".sr-only") || inline(one)) continue;
  const label = one.matches("input[type=checkbox], input[type=radio]") ? one.closest("label") ?? document.querySelector(`label[for="${one.id}"]`) : null;
  const box = (label ?? one).getBoundingClientRect();
  if (box.width && (box.width < target - 0.5 || box.height < target - 0.5)) found.targets.push(`${name(one)} ${box.width.toFixed(0)}×${box.height.toFixed(0)}`);
}
// What the main jobs are done by is as large as a thumb.
const jobs = ".btn-main, .beam li a, .pad button, .grades button, .write-now, a[data-pot], .pick-line .btn, .pick-line input, .uses .btn, .crate, .slide, .sentence :is(summary, select, input), .choose-typed input, .told-line summary";
for (const one of document.querySelectorAll(jobs)) {
  const box = one.getBoundingClientRect();
  if (shown(one) && box.width && (box.height < job - 0.5 || box.width < job - 0.5)) found.jobs.push(`${name(one)} ${box.width.toFixed(0)}×${box.height.toFixed(0)}`);
}
const walker = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
while (walker.nextNode()) {
  const node = walker.currentNode, one = node.parentElement;
  if (!node.textContent.trim() || !shown(one) || one.closest(".sr-only, script, style, noscript, title, desc, option")) continue;
  const size = parseFloat(getComputedStyle(one).fontSize);
  if (one instanceof SVGElement) {
    const scale = one.getScreenCTM?.();
    const drawn = size * (scale ? Math.hypot(scale.b, scale.d) : 1);
    if (drawn < pictureText - 0.05) found.text.push(`${name(one)} ${drawn.toFixed(1)} px drawn`);
  } else if (size < text - 0.05) found.text.push(`${name(one)} ${size.toFixed(1)} px`);
}
// What has the focus is in sight: whatever lies over its middle, where it is within the window, belongs to it.
for (const one of document.querySelectorAll("a[href], button:not([disabled]), input:not([type=hidden]):not([disabled]), select, textarea, summary, [tabindex='0']")) {
  if (!shown(one) || one.matches(".sr-only")) continue;
  one.focus();
  if (document.activeElement !== one) continue;
  const box = [...one.getClientRects(), ...(one.firstElementChild?.getClientRects() ?? [])].reduce((a, b) => (a.width * a.height >= b.width * b.height ? a : b));
  const low = Math.max(box.top, 0), high = Math.min(box.bottom, innerHeight);
  const x = Math.min(Math.max((box.left + box.right) / 2, 1), width - 1), y = (low + high) / 2;
  const over = high - low < 2 ? null : document.elementFromPoint(x, y);
  if (!over || !(one.contains(over) || over.contains(one) || over.closest("label")?.contains(one))) found.hidden.push(`${name(one)} under ${over ? name(over) : "the edge"}`);
}
return found;
