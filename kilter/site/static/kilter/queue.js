// Lines kept on this device until the server has echoed their ids: in order, each once, by one tab at a time.
import { send as sendLate } from "./late.js";
import {
  SAID_AFTER_MS,
  byPerson,
  inText,
  isLeaseFree,
  localTime,
  nextBatch,
  renumbered,
  settled,
  waitAfter,
  waitedLong,
} from "./lines.js";

const BATCH = 50;
const LEASE_MS = 15000;
const IDLE_TRIES = 40;
const IDLE_MS = 75;
const REOPENS_MS = 200;
const hex = (bytes) =>
  Array.from(crypto.getRandomValues(new Uint8Array(bytes)), (b) => b.toString(16).padStart(2, "0")).join("");
const device = localStorage.getItem("kilter-device") ?? hex(16);
localStorage.setItem("kilter-device", device);

// Two stores: "waiting" in the order written, and "tray" for those that need the gardener.
const STORES = ["waiting", "tray"];
const CLOSED = ["InvalidStateError", "AbortError", "UnknownError"];
// What this page last saw in them. Where the browser throws its storage away while the page is open, it goes back.
const seen = { waiting: [], tray: [] };
function open() {
  return new Promise((resolve, reject) => {
    const asked = indexedDB.open("kilter", 1);
    asked.onupgradeneeded = () => {
      for (const name of STORES) asked.result.createObjectStore(name, { keyPath: "seq", autoIncrement: true });
    };
    asked.onsuccess = () => {
      asked.result.onclose = () => {
        opened = open();
        restore();
      };
      resolve(asked.result);
    };
    asked.onerror = () => reject(asked.error);
  });
}
let opened = open();
async function restore() {
  for (const name of STORES) {
    const there = new Set((await all(name)).map((entry) => entry.event.client_id));
    for (const entry of seen[name].filter((one) => !there.has(one.event.client_id))) {
      const copy = { ...entry };
      delete copy.seq;
      await put(name, copy);
    }
  }
  window.dispatchEvent(new Event("kilter-restored"));
}
const tried = (name, mode, work) =>
  opened.then(
    (db) =>
      new Promise((resolve, reject) => {
        const change = db.transaction(name, mode);
        const asked = work(change.objectStore(name));
        change.oncomplete = () => resolve(asked?.result);
        change.onerror = change.onabort = () => reject(change.error ?? new DOMException("closed", "InvalidStateError"));
      }),
  );
// A store that was thrown away under it is opened anew, and asked again.
async function store(name, mode, work) {
  const was = opened;
  try {
    return await tried(name, mode, work);
  } catch (error) {
    if (!CLOSED.includes(error?.name)) throw error;
    await new Promise((resolve) => {
      setTimeout(resolve, REOPENS_MS);
    });
    if (opened === was) opened = open();
    return tried(name, mode, work);
  }
}
const all = (name) => store(name, "readonly", (kept) => kept.getAll());
const put = (name, entry) => store(name, "readwrite", (kept) => kept.add(entry));
const take = (name, seqs) =>
  store(name, "readwrite", (kept) => {
    for (const seq of seqs) kept.delete(seq);
  });

// The device's clock, put right where it was said that the server's is.
const clockOff = () => Number(localStorage.getItem("kilter-clock")) || 0;
const isClockSure = () => localStorage.getItem("kilter-clock") === "sure";
const timeHere = () => new Date(Date.now() - clockOff());

class Queue {
  constructor(root) {
    this.root = root;
    this.who = root.dataset.who;
    this.name = root.dataset.name ?? "";
    this.onothers = () => {};
    this.onlate = () => {};
    this.onchange = () => {};
    this.onstored = () => {};
    this.onrefused = () => false;
    this.failures = 0;
    this.timer = 0;
    window.addEventListener("online", () => this.soon(0));
    window.addEventListener("kilter-restored", () => {
      this.changed();
      this.soon(0);
    });
    document.addEventListener("visibilitychange", () => {
      if (!document.hidden) this.soon(0);
    });
    this.changed();
    this.soon(0);
  }
  mine(entries) {
    return entries.filter((entry) => entry.who === this.who);
  }
  async waiting() {
    return this.mine(await all("waiting"));
  }
  async tray() {
    return this.mine(await all("tray"));
  }
  async changed() {
    // How many there are is known to every page, which asks before signing out.
    for (const name of STORES) seen[name] = await all(name);
    const kept = [...seen.waiting, ...seen.tray];
    localStorage.setItem("kilter-waiting", JSON.stringify(byPerson(kept, this.who)));
    this.onothers(byPerson(kept, this.who).others);
    this.onchange(await this.waiting(), await this.tray());
  }

  async add(event, words) {
    if (isClockSure()) event.is_clock_sure = true;
    await put("waiting", {
      event,
      words,
      who: this.who,
      name: this.name,
      since: Date.now(),
      to: this.root.dataset.events,
    });
    await this.changed();
    this.failures = 0;
    this.soon(0);
  }
  // Whether all is sent, waiting a little for it.
  async idle() {
    for (let tries = 0; tries < IDLE_TRIES; tries += 1) {
      if ((await this.waiting()).length === 0) return true;
      await new Promise((resolve) => {
        setTimeout(resolve, IDLE_MS);
      });
    }
    return false;
  }
  soon(after) {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.flush(), after);
  }
  // Where there is no Web Lock, as on a home network without https, a lease in localStorage stands in for it.
  async alone(work) {
    if (navigator.locks)
      return navigator.locks.request("kilter-queue", { ifAvailable: true }, async (lock) => (lock ? work() : "busy"));
    const owner = device + this.tab;
    if (!isLeaseFree(localStorage.getItem("kilter-lease"), owner, Date.now())) return "busy";
    localStorage.setItem("kilter-lease", `${owner} ${Date.now() + LEASE_MS}`);
    try {
      return await work();
    } finally {
      localStorage.removeItem("kilter-lease");
    }
  }
  tab = hex(4);

  async flush() {
    let left;
    try {
      left = await this.alone(() => this.sendAll());
    } catch {
      left = "unanswered";
      // A guest whose link was ended meanwhile is nobody here any more: the owners are asked about their lines.
      if (this.root.dataset.guest && navigator.onLine) this.onlate((await sendLate().catch(() => 0)) ?? 0);
    }
    await this.changed();
    if (left === "busy") this.soon(400);
    if (left === "unanswered") {
      this.soon(waitAfter(this.failures));
      this.failures += 1;
    }
  }
  async sendAll() {
    for (;;) {
      const batch = nextBatch(await this.waiting(), this.root.dataset.lines ?? this.root.dataset.events, BATCH);
      if (batch.entries.length === 0) return "none";
      if (!(await this.send(batch.entries, batch.to))) return "unanswered";
      this.failures = 0;
      await this.changed();
    }
  }
  // A sign-in page, a redirect, a 5xx or silence is no answer: only an id echoed leaves the device.
  async json(address, options) {
    const answer = await fetch(address, { redirect: "manual", cache: "no-store", ...options });
    if (!answer.ok || !answer.headers.get("Content-Type")?.startsWith("application/json")) throw new Error("no answer");
    return answer.json();
  }
  async send(batch, to) {
    const fresh = await this.json(this.root.dataset.token);
    if (fresh.who !== this.who) return false;
    const said = await this.json(to, {
      method: "POST",
      headers: { "Content-Type": "application/json", "X-CSRFToken": fresh.token },
      body: JSON.stringify({ events: batch.map((entry) => entry.event), now: localTime(timeHere()) }),
    });
    const { done, back } = settled(batch, said);
    const refusedIds = new Set(
      [...(await this.tray()), ...back.map((one) => one.entry)].map((entry) => entry.event.client_id),
    );
    for (const { entry, reason, isFall, isUnusual, meant } of back) {
      // Undoing what was refused itself takes it out of the tray.
      if (entry.event.kind === "strike" && refusedIds.has(entry.event.target))
        await this.dropTarget(entry.event.target);
      else if (meant || to !== this.root.dataset.events || !this.onrefused(entry, reason, isFall, isUnusual)) {
        const { event, words, who, name, since, to: address } = entry;
        await put("tray", { event, words, who, name, since, to: address, reason, isFall, isUnusual, meant });
      }
    }
    await take(
      "waiting",
      [...done, ...back.map((one) => one.entry)].map((entry) => entry.seq),
    );
    if (done.length) this.onstored(done);
    return done.length + back.length > 0;
  }
  async dropTarget(target) {
    const seqs = (await this.tray()).filter((entry) => entry.event.client_id === target).map((entry) => entry.seq);
    await take("tray", seqs);
  }
  async outOfTray(id) {
    const entry = (await this.tray()).find((one) => one.event.client_id === id);
    if (entry) await take("tray", [entry.seq]);
    await this.changed();
    return entry;
  }
  // A line far from the usual that is right all the same goes again as sure.
  async keep(entry) {
    const { event, words, who, name, since, to } = entry;
    await put("waiting", { event: { ...event, is_sure: true }, words, who, name, since, to });
    await this.changed();
    this.soon(0);
  }
  // The clocks of device and server were more than a day apart, and it was said which is right: for all that wait.
  async clockIs(right) {
    const asked = (await this.tray()).filter((one) => one.meant);
    if (!asked.length) return;
    if (right === "server")
      localStorage.setItem(
        "kilter-clock",
        String(clockOff() + Date.parse(asked[0].event.at) - Date.parse(asked[0].meant)),
      );
    else localStorage.setItem("kilter-clock", "sure");
    await take(
      "tray",
      asked.map((one) => one.seq),
    );
    for (const { event, words, who, name, since, to, meant } of asked) {
      const mended = right === "server" ? { ...event, at: meant } : { ...event, is_clock_sure: true };
      await put("waiting", { event: mended, words, who, name, since, to });
    }
    await this.changed();
    this.soon(0);
  }
  async again(entry, wasEmptied) {
    const { later, moved, pile, number } = renumbered(entry, await this.tray(), wasEmptied ? hex(16) : "");
    await take(
      "tray",
      later.map((one) => one.seq),
    );
    for (const { event, words, who, name, since, to } of moved)
      await put("waiting", { event, words, who, name, since, to });
    await this.changed();
    this.soon(0);
    return { pile, number };
  }
}

// What a page shows of the queue, as plain values of its Alpine component.
const nothingWaits = () => ({
  othersWords: "",
  lateWords: "",
  saidTimer: 0,
  unsent: [],
  tray: [],
  hasUnsent: false,
  hasTray: false,
  unsentWords: "",
  stayWords: "",
  clockIsServers() {
    this.queue.clockIs("server");
  },
  clockIsDevices() {
    this.queue.clockIs("device");
  },
  async saveAsText() {
    const words = inText(await this.queue.waiting(), await this.queue.tray());
    const link = document.createElement("a");
    link.href = URL.createObjectURL(new Blob([words], { type: "text/plain" }));
    link.download = `kilter-lines-${localTime(timeHere()).slice(0, 10)}.txt`;
    link.click();
    setTimeout(() => URL.revokeObjectURL(link.href), 1000);
  },
});
function follow(component, queue) {
  queue.onchange = (waiting, tray) => {
    const count = waiting.length;
    const since = count
      ? new Date(waiting[0].since).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" })
      : "";
    component.unsent = waiting.map(({ words }) => ({ words }));
    const { events: here, lines = here } = queue.root.dataset;
    component.tray = tray.map(({ words, reason, event, to, isFall, isUnusual, meant }) => ({
      words,
      reason,
      isFall,
      isUnusual,
      isClock: Boolean(meant),
      isHere: (to ?? lines) === here,
      id: event.client_id,
    }));
    // What is on its way is not spoken of; what has waited a while is.
    clearTimeout(component.saidTimer);
    const isLong = count > 0 && waitedLong(waiting[0].since, Date.now());
    if (count && !isLong) component.saidTimer = setTimeout(() => queue.changed(), SAID_AFTER_MS);
    component.hasUnsent = isLong;
    component.hasTray = tray.length > 0;
    component.unsentWords = `${count} line${count === 1 ? " waits" : "s wait"} on this device since ${since}.`;
    component.stayWords = navigator.serviceWorker?.controller
      ? "They are sent when the connection is back."
      : "Keep this page open until the connection is back.";
  };
  queue.onothers = (others) => {
    const said = others.map(
      ({ name, count }) => `${count} line${count === 1 ? "" : "s"} of ${name || "somebody else"}`,
    );
    const one = others.reduce((sum, { count }) => sum + count, 0) === 1;
    component.othersWords = said.length
      ? `${said.join(" and ")} wait${one ? "s" : ""} on this device, and ${one ? "is" : "are"} sent when they come here again.`
      : "";
  };
  queue.onlate = (sent) => {
    if (sent)
      component.lateWords = `Your link was ended. ${sent} line${sent === 1 ? "" : "s"} went to the owners, to be kept or left out.`;
  };
  queue.changed();
}

// When it is in the garden, as the page's clock was set.
const timeNow = (root) => localTime(new Date(timeHere().getTime() + Number(root.dataset.shiftDays) * 86400000));

export { Queue, follow, nothingWaits, hex, device, timeNow };

document.addEventListener("DOMContentLoaded", () => {
  const root = document.querySelector("[data-worker]");
  if (root && "serviceWorker" in navigator) {
    navigator.serviceWorker
      .register(root.dataset.worker)
      .then(() => navigator.serviceWorker.ready)
      .then((ready) => {
        // The first visit loads its styles and scripts before there is a worker to see them.
        const own = performance
          .getEntriesByType("resource")
          .map((one) => one.name)
          .filter((name) => new URL(name).pathname.startsWith("/static/"));
        const pages = (root.dataset.pages ?? location.pathname).split(" ").filter(Boolean);
        ready.active?.postMessage({ who: root.dataset.who, keep: [...pages, ...own] });
      })
      .catch(() => {
        /* without it the page has to stay open, and says so */
      });
  }
});
