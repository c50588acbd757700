// The queue of the bench against a server, a store and a clock of its own: what leaves the device, and when.
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { test } from "node:test";
import vm from "node:vm";

const source = (name) => readFileSync(new URL(`../../kilter/site/static/kilter/${name}`, import.meta.url), "utf8");

// A script with what it imports, in a context of its own: as if on a page of its own.
async function imported(name, context, known = new Map()) {
  if (!known.has(name)) known.set(name, new vm.SourceTextModule(source(name), { context, identifier: name }));
  const module = known.get(name);
  if (module.status === "unlinked") await module.link((other) => imported(other.replace("./", ""), context, known));
  return module;
}

// As much of IndexedDB as the queue uses: named stores with counting keys, answered on the next turn.
function fakeStore() {
  const stores = {};
  let last = 0;
  const later = (what) => setImmediate(what);
  const objectStore = (name) => ({
    getAll: () => ({ result: [...stores[name].values()].map((one) => structuredClone(one)) }),
    add: (entry) => stores[name].set(++last, { ...structuredClone(entry), seq: last }),
    delete: (seq) => stores[name].delete(seq),
  });
  const db = {
    createObjectStore: (name) => {
      stores[name] = new Map();
    },
    transaction: () => {
      const change = { objectStore };
      later(() => change.oncomplete());
      return change;
    },
  };
  return {
    stores,
    open: () => {
      const asked = { result: db };
      later(() => {
        asked.onupgradeneeded();
        asked.onsuccess();
      });
      return asked;
    },
  };
}

function json(body, { ok = true, type = "application/json" } = {}) {
  return { ok, headers: { get: () => type }, json: async () => body };
}

// A page with the queue on it; `answer` is what the server says to a batch of events.
async function page({ answer, who = "7-1", signedIn = who }) {
  const kept = new Map();
  const waits = [];
  const sent = [];
  const idb = fakeStore();
  const window = { addEventListener: () => {} };
  const context = vm.createContext({
    window,
    setImmediate,
    console,
    document: { addEventListener: () => {}, hidden: false },
    navigator: {},
    indexedDB: idb,
    crypto: globalThis.crypto,
    localStorage: {
      getItem: (key) => kept.get(key) ?? null,
      setItem: (key, value) => kept.set(key, String(value)),
      removeItem: (key) => kept.delete(key),
    },
    setTimeout: (work, after) => {
      waits.push({ work, after });
      return waits.length;
    },
    clearTimeout: (number) => {
      if (number) waits[number - 1].work = () => {};
    },
    fetch: async (address, options) => {
      if (address === "/token") return json({ token: "fresh", who: signedIn });
      const { events } = JSON.parse(options.body);
      sent.push({ ids: events.map((event) => event.client_id), token: options.headers["X-CSRFToken"] });
      return answer(events, sent.length);
    },
  });
  const module = await imported("queue.js", context);
  await module.evaluate();
  const queue = new module.namespace.Queue({ dataset: { who, token: "/token", events: "/events" } });
  return { queue, sent, waits, kept, idb, last: () => waits.at(-1).after };
}

const stored = (events, how) => json({ stored: events.map((event) => event.client_id), refused: [] }, how);
const all = (events) => stored(events);
const write = (id, rest = {}) => ({ client_id: id, kind: "write", pile: "", number: 1, ...rest });
const ids = async (entries) => Array.from(await entries, (entry) => entry.event.client_id);

test("lines leave in the order they were written, at most fifty at a time, with a fresh token each", async () => {
  const { queue, sent } = await page({ answer: all });
  for (let n = 0; n < 120; n += 1) await queue.add(write(`line ${n}`), "a line");
  await queue.flush();
  assert.deepEqual(
    sent.map((one) => one.ids.length),
    [50, 50, 20],
  );
  assert.deepEqual(
    sent.flatMap((one) => one.ids),
    Array.from({ length: 120 }, (_, n) => `line ${n}`),
  );
  assert.ok(sent.every((one) => one.token === "fresh"));
  assert.deepEqual(await ids(queue.waiting()), []);
});

for (const [what, answer] of [
  ["a server that is broken", (events) => stored(events, { ok: false })],
  ["a page to sign in on", (events) => stored(events, { type: "text/html" })],
  [
    "silence",
    () => {
      throw new Error("no network");
    },
  ],
  ["an answer that names no line", () => json({ stored: [], refused: [] })],
]) {
  test(`${what} is no answer: the line stays, and the next try waits longer each time`, async () => {
    const { queue, kept, last } = await page({ answer });
    await queue.add(write("a"), "a line");
    const waited = [];
    for (let n = 0; n < 3; n += 1) {
      await queue.flush();
      waited.push(last());
    }
    assert.deepEqual(waited, [1000, 3000, 8000]);
    assert.deepEqual(await ids(queue.waiting()), ["a"]);
    assert.equal(JSON.parse(kept.get("kilter-waiting")).mine, 1, "every page knows that one waits");
  });
}

test("another person on the same phone does not send what is not theirs", async () => {
  const { queue, sent, idb } = await page({ answer: all });
  await queue.changed();
  idb.stores.waiting.set(99, { seq: 99, who: "7-2", event: write("theirs"), words: "", since: 0 });
  await queue.add(write("mine"), "a line");
  await queue.flush();
  assert.deepEqual(
    sent.flatMap((one) => one.ids),
    ["mine"],
  );
  assert.equal(idb.stores.waiting.size, 1);
});

test("signed out and in again as somebody else, nothing is sent under the wrong name", async () => {
  const { queue, sent } = await page({ answer: all, signedIn: "7-9" });
  await queue.add(write("a"), "a line");
  await queue.flush();
  assert.deepEqual(sent, []);
  assert.deepEqual(await ids(queue.waiting()), ["a"]);
});

test("a refused line holds nothing up: it lies in the tray with its reason", async () => {
  const answer = (events) =>
    json({
      stored: events.filter((event) => event.client_id !== "b").map((event) => event.client_id),
      refused: events
        .filter((event) => event.client_id === "b")
        .map(() => ({ client_id: "b", reason: "It fell.", is_fall: true })),
    });
  const { queue } = await page({ answer });
  const done = [];
  queue.onstored = (entries) => done.push(...Array.from(entries, (entry) => entry.event.client_id));
  for (const id of ["a", "b", "c"]) await queue.add(write(id), `line ${id}`);
  await queue.flush();
  assert.deepEqual(done, ["a", "c"]);
  const [tray] = await queue.tray();
  assert.deepEqual([tray.event.client_id, tray.words, tray.reason, tray.isFall], ["b", "line b", "It fell.", true]);
  assert.equal((await queue.outOfTray("b")).event.client_id, "b");
  assert.deepEqual(await ids(queue.tray()), []);
});

test("lines of a clock that is far off wait for which is right, and then go with the day that was meant", async () => {
  const sent = [];
  const answer = (events) => {
    sent.push(...events);
    const asked = events.filter((event) => event.at > "2027" && !event.is_clock_sure);
    return json({
      stored: events.filter((event) => !asked.includes(event)).map((event) => event.client_id),
      refused: asked.map((event) => ({
        client_id: event.client_id,
        reason: "Which?",
        is_fall: false,
        meant: "2026-11-26T10:00:00+00:00",
      })),
    });
  };
  for (const [right, said] of [
    ["server", { at: "2026-11-26T10:00:00+00:00" }],
    ["device", { is_clock_sure: true }],
  ]) {
    const { queue, kept } = await page({ answer });
    queue.onrefused = () => true;
    await queue.add(write("a", { at: "2031-05-03T10:00:00+00:00" }), "a line");
    await queue.flush();
    assert.deepEqual(await ids(queue.tray()), ["a"], "not back in the hand: it is not what was typed that is in doubt");
    await queue.clockIs(right);
    await queue.flush();
    assert.deepEqual([await ids(queue.tray()), await ids(queue.waiting())], [[], []]);
    for (const [name, value] of Object.entries(said)) assert.equal(sent.at(-1)[name], value);
    assert.equal(kept.get("kilter-clock") === "sure", right === "device");
  }
});

test("undoing what was refused takes it out of the tray", async () => {
  const answer = (events) =>
    json({
      stored: [],
      refused: events.map((event) => ({ client_id: event.client_id, reason: "No.", is_fall: false })),
    });
  const { queue } = await page({ answer });
  await queue.add(write("a"), "a line");
  await queue.flush();
  assert.deepEqual(await ids(queue.tray()), ["a"]);
  await queue.add({ client_id: "s", kind: "strike", target: "a" }, "a line struck");
  await queue.flush();
  assert.deepEqual([await ids(queue.tray()), await ids(queue.waiting())], [[], []]);
});

test("a refusal taken back into the hand is in no tray", async () => {
  const { queue } = await page({
    answer: () => json({ stored: [], refused: [{ client_id: "a", reason: "No.", is_fall: false }] }),
  });
  queue.onrefused = (entry, reason) => reason === "No." && entry.event.client_id === "a";
  await queue.add(write("a"), "a line");
  await queue.flush();
  assert.deepEqual([await ids(queue.tray()), await ids(queue.waiting())], [[], []]);
});

test("a tab waits while another one holds the lease, and takes it when that has run out", async () => {
  const { queue, sent, kept, last } = await page({ answer: all });
  await queue.add(write("a"), "a line");
  kept.set("kilter-lease", `another ${Date.now() + 60_000}`);
  await queue.flush();
  assert.deepEqual([sent.length, last()], [0, 400]);
  kept.set("kilter-lease", `another ${Date.now() - 1}`);
  await queue.flush();
  assert.equal(sent.length, 1);
  assert.equal(kept.has("kilter-lease"), false, "it is given back");
});

test("where the scale was emptied, the lines of the pile that wait in the tray are sent as a new pile", async () => {
  const { queue, sent } = await page({
    answer: (events, times) =>
      times > 1
        ? all(events)
        : json({
            stored: [],
            refused: events.map((event) => ({ client_id: event.client_id, reason: "It fell.", is_fall: true })),
          }),
  });
  for (const [id, number] of [
    ["b", 2],
    ["c", 3],
  ])
    await queue.add(write(id, { pile: "p", number }), id);
  await queue.flush();
  const first = await queue.outOfTray("b");
  const run = await queue.again(first, true);
  assert.equal(run.number, 2);
  assert.notEqual(run.pile, "p");
  const waiting = await queue.waiting();
  assert.deepEqual(
    Array.from(waiting, (entry) => [entry.event.client_id, entry.event.pile, entry.event.number]),
    [
      ["b", run.pile, 1],
      ["c", run.pile, 2],
    ],
  );
  await queue.flush();
  assert.deepEqual(sent.at(-1).ids, ["b", "c"]);
});
