// What was typed into a form outlasts a lost connection: with none it is not sent, and a page loaded again has it back.
const KEY = "kilter-draft ";
const ASKS_EVERY_MS = 5000;
const here = () => `${KEY}${location.pathname}${location.search}`;
const forms = () =>
  [...document.querySelectorAll("main form[method=post]")].filter(
    (form) => !form.closest("[x-data]") && !form.matches("[hx-post], #look, #sign-out"),
  );
const isTyped = (field) =>
  field.name &&
  field.name !== "csrfmiddlewaretoken" &&
  !["hidden", "password", "file", "submit", "button"].includes(field.type);
const typed = (form) => [...form.elements].filter(isTyped);
const isTicked = (field) => ["checkbox", "radio"].includes(field.type);
const held = (field) =>
  isTicked(field) ? field.checked : field.multiple ? [...field.selectedOptions].map((one) => one.value) : field.value;
const names = (form) =>
  typed(form)
    .map((field) => field.name)
    .join(" ");
// Which record it is about, and as of which change: what others wrote meanwhile is not written over unseen.
const about = (form) =>
  [...form.elements]
    .filter((field) => field.type === "hidden" && !["csrfmiddlewaretoken", "client_id", "back"].includes(field.name))
    .map((field) => field.value)
    .join(" ");

function keep(form, isSent = false) {
  const nth = forms().indexOf(form);
  if (nth < 0 || !typed(form).length) return;
  const draft = { nth, isSent, names: names(form), about: about(form), values: typed(form).map(held) };
  try {
    sessionStorage.setItem(here(), JSON.stringify(draft));
  } catch {
    /* no room: the page itself still holds it */
  }
}
function put(field, value) {
  if (isTicked(field)) field.checked = value;
  else if (field.multiple) for (const option of field.options) option.selected = value.includes(option.value);
  else field.value = value;
  for (const kind of ["input", "change"]) field.dispatchEvent(new Event(kind, { bubbles: true }));
}
function say(form, words, kind) {
  form.previousElementSibling?.matches("[data-draft]") && form.previousElementSibling.remove();
  const note = Object.assign(document.createElement("p"), {
    className: `say${kind === "alert" ? " error" : ""}`,
    textContent: words,
  });
  note.setAttribute("role", kind);
  note.dataset.draft = "";
  form.before(note);
  return note;
}
function bringBack() {
  const draft = JSON.parse(sessionStorage.getItem(here()) ?? "null");
  const form = draft && forms()[draft.nth];
  if (!form || names(form) !== draft.names || about(form) !== draft.about) return;
  const fields = typed(form);
  const before = fields.map(held);
  if (JSON.stringify(before) === JSON.stringify(draft.values)) return;
  fields.forEach((field, i) => put(field, draft.values[i]));
  const note = say(form, "What you had typed here is back; it was not saved. ", "status");
  const button = Object.assign(document.createElement("button"), {
    type: "button",
    className: "btn btn-quiet",
    textContent: "Start afresh",
  });
  button.addEventListener("click", () => {
    fields.forEach((field, i) => put(field, before[i]));
    sessionStorage.removeItem(here());
    note.remove();
  });
  note.append(button);
}
const drafts = () =>
  Object.keys(sessionStorage)
    .filter((one) => one.startsWith(KEY))
    .map((name) => [name, JSON.parse(sessionStorage.getItem(name))]);
// A page that came by a link or an answer: what was sent has arrived, and what was left here was left.
function letGo() {
  for (const [name, draft] of drafts()) if (name === here() || draft.isSent) sessionStorage.removeItem(name);
}
// The page that stands for one that cannot be had: what was sent has not arrived.
function withoutConnection(button) {
  const { noConnection: sent } = button.dataset;
  const inVain = sent ? drafts().filter(([, draft]) => draft.isSent) : [];
  for (const [name, draft] of inVain)
    sessionStorage.setItem(name, JSON.stringify({ ...draft, isSent: false, isStuck: true }));
  for (const words of document.querySelectorAll("[data-typed-kept]")) words.hidden = !inVain.length;
  button.addEventListener("click", () => (sent ? history.back() : location.reload()));
  if (sent) return;
  window.addEventListener("online", () => location.reload());
  // A server that was away tells no browser that it is back.
  setInterval(
    () =>
      fetch("/healthz").then(
        (answer) => {
          if (answer.ok) location.reload();
        },
        () => {},
      ),
    ASKS_EVERY_MS,
  );
}

document.addEventListener("DOMContentLoaded", () => {
  const stand = document.querySelector("[data-no-connection]");
  if (stand) return withoutConnection(stand);
  const [entry] = performance.getEntriesByType("navigation");
  const isStuck = drafts().some(([name, draft]) => name === here() && draft.isStuck);
  if (isStuck || ["reload", "back_forward"].includes(entry?.type)) bringBack();
  else letGo();
});
for (const kind of ["input", "change"])
  document.addEventListener(kind, ({ target }) => {
    if (target.form) keep(target.form);
  });
document.addEventListener("submit", (event) => {
  const form = event.target;
  if (event.defaultPrevented || !forms().includes(form)) return;
  keep(form, true);
  if (navigator.onLine) return;
  event.preventDefault();
  say(
    form,
    "There is no connection, so this was not sent. What you typed stays here; press again when it is back.",
    "alert",
  ).scrollIntoView({ block: "nearest" });
});
