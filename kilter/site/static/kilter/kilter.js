// Keys of every page: g and a letter to a room, ? for the key sheet, u for the other unit system.
import { inField, lettersOn } from "./keys.js";

let afterG = false;

function toggle(id) {
  const dialog = document.getElementById(id);
  if (!dialog) return;
  if (dialog.open) dialog.close();
  else dialog.showModal();
}

const isTyping = () => document.querySelector('[data-bench][data-typing="yes"]') !== null;
function handled(event) {
  event.preventDefault();
  event.stopImmediatePropagation();
}
function sayLetters() {
  const said = document.getElementById("letters-off");
  if (said) said.textContent = lettersOn() ? "" : "Letters are off: only ? and / are keys.";
}
function press(selector) {
  document.querySelector(selector)?.click();
}

// The letter after g is a room's, whatever else it means on this page.
function goToRoom(event) {
  afterG = false;
  const link = document.querySelector(`a[data-key="${CSS.escape(event.key)}"]`);
  if (!link) return;
  handled(event);
  link.click();
}
function letter(key) {
  const onBench = document.querySelector("[data-bench]") !== null;
  if (key === "g" && !isTyping()) {
    afterG = true;
    setTimeout(() => {
      afterG = false;
    }, 1500);
  } else if (key === "t") press("details[data-table] > summary");
  else if (key === "u" && !onBench) press('#look button[name="units"][aria-pressed="false"]');
  else if (key === "z" && !onBench) press("#messages [data-undo], [data-undo-here]");
  else press(`.use-panel.is-page [data-use-key="${CSS.escape(key)}"]`);
}

// A table to be taken elsewhere: cells by tabs, as a spreadsheet takes them in.
const inCells = (table) =>
  [...table.rows]
    .filter((row) => !row.hidden)
    .map((row) => [...row.cells].map((cell) => cell.innerText.trim().replace(/\s+/g, " ")).join("\t"))
    .join("\n");
async function copied(table) {
  if (
    await navigator.clipboard?.writeText(inCells(table)).then(
      () => true,
      () => false,
    )
  )
    return true;
  getSelection().selectAllChildren(table); // without https, or without leave, there is no clipboard to write to
  const isDone = document.execCommand("copy");
  getSelection().removeAllRanges();
  return isDone;
}
function offerCopies() {
  for (const table of document.querySelectorAll("table[data-copy]:not([data-copied])")) {
    table.dataset.copied = "";
    const button = Object.assign(document.createElement("button"), {
      type: "button",
      className: "btn btn-quiet no-print",
      textContent: "Copy the table",
    });
    button.addEventListener("click", async () => {
      button.textContent = (await copied(table)) ? "Copied" : "This browser does not let it be copied";
    });
    (table.closest("[role=region]") ?? table).after(button);
  }
}
document.addEventListener("DOMContentLoaded", offerCopies);
document.addEventListener("htmx:afterSettle", offerCopies);

// On a phone the beam slides: the room we are in is brought into sight.
document.addEventListener("DOMContentLoaded", () => {
  const rooms = document.querySelector(".beam ol");
  const here = rooms?.querySelector("[aria-current]")?.closest("li");
  if (here) rooms.scrollLeft = here.offsetLeft - (rooms.clientWidth - here.offsetWidth) / 2;
});

document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || inField(event)) return;
  const opens = { "?": "keys", "/": "find" }[event.key];
  if (opens && !(opens === "find" && isTyping())) {
    handled(event);
    toggle(opens);
    return;
  }
  if (!lettersOn() || document.querySelector("dialog[open]")) return;
  if (afterG) goToRoom(event);
  else letter(event.key);
});

document.addEventListener("click", (event) => {
  const all = event.target.closest("[data-pick-all]");
  if (all) {
    const boxes = [...document.getElementById(all.dataset.pickAll).querySelectorAll("input")];
    const wanted = boxes.some((box) => !box.checked);
    for (const box of boxes) box.checked = wanted;
    document.dispatchEvent(new Event("kilter:ticked"));
  }
  const amount = event.target.closest("[data-amount]");
  if (amount) amount.closest("form").querySelector("[name=typed]").value = amount.dataset.amount;
  const add = event.target.closest("[data-add]");
  if (add) {
    const field = document.getElementById(add.dataset.addTo);
    const name = add.dataset.add.split("=")[0];
    // A method has one value: the one pressed takes the place of another.
    const kept = field.value
      .split(";")
      .map((piece) => piece.trim())
      .filter((piece) => piece && piece.split("=")[0].trim() !== name);
    field.value = [...kept, add.dataset.add].join("; ");
  }
  if (event.target.closest("[data-open-keys], [data-close-keys]")) toggle("keys");
  if (event.target.closest("[data-open-find], [data-close-find]")) {
    event.preventDefault();
    toggle("find");
  }
});
// A gap in which several may be ticked says what is ticked, and closes when one looks elsewhere.
const closeGaps = (except) => {
  for (const gap of document.querySelectorAll("details.gap[open]")) if (gap !== except) gap.open = false;
};
document.addEventListener("click", (event) => closeGaps(event.target.closest("details.gap")));
document.addEventListener("keydown", (event) => {
  if (event.key === "Escape") closeGaps(null);
});
document.addEventListener("change", (event) => {
  const gap = event.target.closest("details.gap");
  if (gap) {
    const ticked = [...gap.querySelectorAll("input:checked")].map((box) => box.closest("label").textContent.trim());
    gap.querySelector("summary").textContent = ticked.join(", ") || gap.dataset.none;
  }
  event.target.closest("form[data-sends-itself]")?.requestSubmit();
  if (event.target.id === "letters-on") {
    localStorage.setItem("kilter-letters", event.target.checked ? "on" : "off");
    sayLetters();
  }
});
// Signing out clears the device of one's own: it asks while lines of one's own wait, and leaves those of others.
const lines = (count) => `${count} line${count === 1 ? "" : "s"}`;
function waitingLines() {
  try {
    return { mine: 0, others: [], ...JSON.parse(localStorage.getItem("kilter-waiting") ?? "{}") };
  } catch {
    return { mine: 0, others: [] };
  }
}
async function clearOwn(who) {
  localStorage.removeItem("kilter-in-hand");
  const guests = JSON.parse(localStorage.getItem("kilter-guest") ?? "{}");
  delete guests[who];
  localStorage.setItem("kilter-guest", JSON.stringify(guests));
  for (const name of Object.keys(sessionStorage))
    if (name.startsWith("kilter-draft ") || ["mode", "unit", "pot"].some((one) => name === `kilter-${one} ${who}`))
      sessionStorage.removeItem(name);
  const opened = await new Promise((resolve) => {
    const asked = indexedDB.open("kilter", 1);
    asked.onsuccess = () => resolve(asked.result);
    // Nobody was at the bench yet: its stores are not ours to make, and an empty one would take no line later.
    asked.onupgradeneeded = () => asked.transaction.abort();
    asked.onerror = () => resolve(null);
  });
  for (const name of opened?.objectStoreNames ?? []) {
    await new Promise((resolve) => {
      const change = opened.transaction(name, "readwrite");
      const cursor = change.objectStore(name).openCursor();
      cursor.onsuccess = () => {
        if (!cursor.result) return;
        if (cursor.result.value.who === who) cursor.result.delete();
        cursor.result.continue();
      };
      change.oncomplete = change.onerror = change.onabort = resolve;
    });
  }
  opened?.close();
  if (!window.caches) return;
  for (const name of await caches.keys())
    if (name.startsWith("kilter-pages-") || name === "kilter-who") await caches.delete(name);
}
document.addEventListener("submit", async (event) => {
  const form = event.target;
  if (form.id !== "sign-out" || form.dataset.ready) return;
  event.preventDefault();
  const { who, mine, others } = waitingLines();
  const stay = others.map((one) => `${lines(one.count)} of ${one.name || "somebody else"}`).join(" and ");
  if (
    mine &&
    !window.confirm(
      `${lines(mine)} of yours wait${mine === 1 ? "s" : ""} on this device and will be lost. ${stay ? `${stay} stay here. ` : ""}Sign out all the same?`,
    )
  )
    return;
  try {
    await clearOwn(who);
  } catch {
    /* what cannot be cleared here is cleared by the answer */
  }
  form.elements.namedItem("keep").value = stay ? "on" : "";
  if (stay) localStorage.setItem("kilter-waiting", JSON.stringify({ mine: 0, others }));
  form.dataset.ready = "yes";
  form.submit();
});
// Enter in the find box goes to the first thing found.
document.addEventListener("submit", (event) => {
  const first = event.target.closest("#find") && document.querySelector("#found a");
  if (!first) return;
  event.preventDefault();
  first.click();
});
// Today, the maps and what one looked up out there open with no connection, as they were last seen.
function yardWithoutConnection() {
  const { who, yard } = document.body.dataset;
  if (!yard || !("serviceWorker" in navigator)) return;
  const isSeen = navigator.serviceWorker.controller !== null; // then it is kept as it comes
  navigator.serviceWorker
    .register(yard, { scope: "/" })
    .then(async (found) => {
      if (isSeen) return;
      const own = performance
        .getEntriesByType("resource")
        .map((one) => one.name)
        .filter((name) => new URL(name).pathname.startsWith("/static/"));
      (found.active ?? (await navigator.serviceWorker.ready).active)?.postMessage({
        who,
        keep: [location.pathname, ...own],
      });
    })
    .catch(() => {
      /* without it these pages need the connection */
    });
}
// A page that comes from this device says of when it is.
function sayIfKept() {
  const worker = navigator.serviceWorker?.controller;
  if (!worker) return;
  const asked = new MessageChannel();
  asked.port1.onmessage = ({ data }) => {
    const seen = data && new Date(data);
    if (!seen) return;
    const note = Object.assign(document.createElement("p"), { id: "kept", className: "say" });
    note.setAttribute("role", "status");
    const day = seen.toLocaleDateString("en-GB", { weekday: "long", day: "numeric", month: "long" });
    const hour = seen.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });
    const takesLines = document.querySelector("[data-worker]") !== null;
    note.textContent = `Kilter cannot be reached. This page is as it was when you last saw it, on ${day} at ${hour}. ${
      takesLines
        ? "What you write is kept here and sent later."
        : "It can be read; to change anything, the connection has to be back."
    } `;
    note.append(Object.assign(document.createElement("a"), { href: location.href, textContent: "Load it again" }));
    document.getElementById("sheet")?.prepend(note);
  };
  worker.postMessage({ isKept: true }, [asked.port2]);
}
document.documentElement.classList.add("scripted");
document.addEventListener("DOMContentLoaded", () => {
  // Whichever page shows that somebody else is signed in, or nobody: the bench's worker lets the pages of before go.
  const { who } = document.body.dataset;
  if (who !== undefined)
    navigator.serviceWorker
      ?.getRegistration("/weigh-in/")
      .then((bench) => bench?.active?.postMessage({ who }))
      .catch(() => {});
  yardWithoutConnection();
  sayIfKept();
  // The zone that this device is set to, where nothing was chosen yet.
  const zone = document.querySelector('select[data-guess="zone"]');
  const here = Intl.DateTimeFormat().resolvedOptions().timeZone;
  if (
    zone &&
    !zone.closest("form").querySelector(".problem") &&
    [...zone.options].some((option) => option.value === here)
  )
    zone.value = here;
  const box = document.getElementById("letters-on");
  if (box) box.checked = lettersOn();
  sayLetters();
  // The note in hand is kept in view on a long strip.
  document.querySelector('.strip [aria-current="true"]')?.scrollIntoView({ block: "nearest", inline: "center" });
});
