// Parts of a page that are asked for anew: what works is shown, what failed is said, what is typed stays.
const SHOWN_AFTER_MS = 300;
const AGAIN_AFTER_MS = 10000;
const busy = new WeakMap();

// --- It works: from a third of a second on the part says so.
document.addEventListener("htmx:beforeRequest", ({ detail: { target, elt } }) => {
  forget(elt);
  clearTimeout(busy.get(target)); // of two at once the first must not say so after both are back
  busy.set(
    target,
    setTimeout(() => target.setAttribute("aria-busy", "true"), SHOWN_AFTER_MS),
  );
});
document.addEventListener("htmx:afterRequest", ({ detail: { target } }) => {
  clearTimeout(busy.get(target));
  target.removeAttribute("aria-busy");
});

// --- It failed: the control goes back to what the page shows, and what was asked can be asked again.
const placeOf = (elt) => elt.closest("form") ?? elt;
function forget(elt) {
  const note = placeOf(elt).nextElementSibling;
  if (note?.matches("[data-failed]")) note.remove();
}
// What a control held, and how to hold it again; the page's own answer is the default of each.
function heldBy(control) {
  if (control?.matches("select")) {
    const held = [...control.options].map((option) => option.selected);
    return {
      back: () => {
        for (const option of control.options) option.selected = option.defaultSelected;
      },
      again: () => {
        held.forEach((is, i) => {
          control.options[i].selected = is;
        });
      },
    };
  }
  if (control?.matches("input[type=checkbox], input[type=radio]")) {
    const held = control.checked;
    const group =
      control.type === "radio" ? [...control.form.elements].filter((one) => one.name === control.name) : [control];
    return {
      back: () => {
        for (const one of group) one.checked = one.defaultChecked;
      },
      again: () => {
        control.checked = held;
      },
    };
  }
  return { back() {}, again() {} }; // text stays as it was typed
}
function failed({ detail: { elt, requestConfig } }) {
  const control = requestConfig?.triggeringEvent?.target ?? elt;
  const held = heldBy(control instanceof Element ? control : null);
  held.back();
  const note = document.createElement("p");
  note.className = "problem my-2";
  note.dataset.failed = "";
  note.setAttribute("role", "alert");
  note.textContent = "That did not get through; the page still shows what it showed before. ";
  const button = Object.assign(document.createElement("button"), {
    type: "button",
    className: "btn",
    textContent: "Try again",
  });
  button.addEventListener("click", () => {
    note.remove();
    held.again();
    window.htmx.ajax(requestConfig.verb, requestConfig.path, { source: elt });
  });
  note.append(button);
  forget(elt);
  placeOf(elt).after(note);
}
for (const kind of ["htmx:sendError", "htmx:responseError", "htmx:timeout"]) document.addEventListener(kind, failed);

// --- It came: what was open stays open, the cursor stays where it was, and what was typed meanwhile is kept.
const isText = (field) =>
  field.matches("textarea, input:not([type=checkbox], [type=radio], [type=submit], [type=button])");
const same = (field) => {
  if (field.id) return document.getElementById(field.id);
  if (!field.name) return null;
  const form = field.form?.id ? `#${CSS.escape(field.form.id)} ` : "";
  return (
    [...document.querySelectorAll(`${form}[name="${CSS.escape(field.name)}"]`)].find(
      (one) => one.value === field.value,
    ) ?? null
  );
};
let open = [];
let held = null;
document.addEventListener("htmx:beforeSwap", ({ detail: { target } }) => {
  open = [...target.querySelectorAll("details[id][open]")].map((details) => details.id);
  const field = document.activeElement;
  held =
    target.contains(field) && field !== target
      ? { field, value: field.value, at: isText(field) ? field.selectionStart : null, target }
      : null;
});
document.addEventListener("htmx:afterSettle", () => {
  for (const id of open) document.getElementById(id)?.setAttribute("open", "");
  open = [];
  if (held === null) return;
  const field = same(held.field);
  if (field && isText(field) && field.value !== held.value) typedMeanwhile(field, held);
  // What is gone leaves the cursor where it stood, so that Tab goes on from there and not from the top.
  const next = field ?? (held.target.isConnected ? held.target : document.getElementById(held.target.id));
  if (next && !field) next.tabIndex = -1;
  next?.focus({ preventScroll: true });
  held = null;
});
// A browser sees no change in a value that a script put in, so leaving the field sends it.
function typedMeanwhile(field, { value, at }) {
  field.value = value;
  if (at !== null && field.setSelectionRange && field.type !== "number") field.setSelectionRange(at, at);
  let isSent = false;
  field.addEventListener(
    "change",
    () => {
      isSent = true;
    },
    { once: true },
  );
  field.addEventListener(
    "blur",
    () => {
      if (!isSent) field.dispatchEvent(new Event("change", { bubbles: true }));
    },
    { once: true },
  );
}

// --- A form is sent once, however often its button is pressed.
document.addEventListener("submit", (event) => {
  const form = event.target;
  if (form.method !== "post" || form.hasAttribute("hx-post") || event.defaultPrevented) return;
  if (form.dataset.sent) {
    event.preventDefault();
    return;
  }
  form.dataset.sent = "yes";
  setTimeout(() => {
    delete form.dataset.sent;
  }, AGAIN_AFTER_MS); // as after a download, where the page stays
  setTimeout(() => form.setAttribute("aria-busy", "true"), SHOWN_AFTER_MS);
});
window.addEventListener("pageshow", () => {
  for (const form of document.querySelectorAll("form[data-sent]")) {
    delete form.dataset.sent;
    form.removeAttribute("aria-busy");
  }
});
