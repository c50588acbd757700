// The bench's reasoning about lines, run without a browser.
import assert from "node:assert/strict";
import { test } from "node:test";

import * as lines from "../../kilter/site/static/kilter/lines.js";

const same = (found, expected) => assert.deepEqual(JSON.parse(JSON.stringify(found)), expected);

const entry = (id, rest = {}) => ({
  seq: id,
  words: `line ${id}`,
  event: { client_id: id, kind: "write", pile: "", number: 0, ...rest },
});
const clock = (iso, minutesWest) => ({ getTime: () => Date.parse(iso), getTimezoneOffset: () => minutesWest });

test("the time written is the wall clock with its offset, on both sides of Greenwich and off the hour", () => {
  assert.equal(lines.localTime(clock("2026-07-01T10:00:00Z", -120)), "2026-07-01T12:00:00+02:00");
  assert.equal(lines.localTime(clock("2026-07-01T01:15:00Z", 210)), "2026-06-30T21:45:00-03:30");
  assert.equal(lines.localTime(clock("2026-01-01T00:00:00Z", 0)), "2026-01-01T00:00:00+00:00");
  assert.equal(lines.localTime(clock("2026-01-01T20:00:00Z", -345)), "2026-01-02T01:45:00+05:45");
});

test("the longer there is no answer, the longer the next try waits, up to a minute", () => {
  const waits = [0, 1, 2, 3, 4, 5, 99].map(lines.waitAfter);
  same(waits, [1000, 3000, 8000, 20000, 60000, 60000, 60000]);
});

test("one tab sends at a time: the lease is its holder's until it runs out", () => {
  assert.ok(lines.isLeaseFree(null, "a", 5));
  assert.ok(lines.isLeaseFree("a 9", "a", 5));
  assert.ok(!lines.isLeaseFree("b 9", "a", 5));
  assert.ok(lines.isLeaseFree("b 5", "a", 5));
  assert.ok(lines.isLeaseFree("rubbish", "a", 5));
});

test("only a line that the server names leaves the device", () => {
  const batch = [entry("a"), entry("b"), entry("c")];
  const { done, back } = lines.settled(batch, {
    stored: ["a", "other"],
    refused: [{ client_id: "c", reason: "Too heavy", is_fall: true }],
  });
  same(
    done.map((one) => one.seq),
    ["a"],
  );
  same(back, [{ entry: entry("c"), reason: "Too heavy", isFall: true, isUnusual: false, meant: "" }]);
});

test("an emptied scale begins a new pile with that line, and those after it keep their order", () => {
  const hand = entry("b", { pile: "p", number: 2 });
  const tray = [
    entry("d", { pile: "p", number: 4 }),
    entry("x", { pile: "q", number: 3 }),
    entry("c", { pile: "p", number: 3 }),
    entry("a", { pile: "p", number: 1 }),
  ];
  const run = lines.renumbered(hand, tray, "new");
  same(
    run.moved.map((one) => [one.seq, one.event.pile, one.event.number]),
    [
      ["b", "new", 1],
      ["c", "new", 2],
      ["d", "new", 3],
    ],
  );
  same(
    run.later.map((one) => one.seq),
    ["d", "c"],
  );
  same([run.pile, run.number], ["new", 3]);
});

test("without the line those after it follow on what stood before", () => {
  const run = lines.renumbered(entry("b", { pile: "p", number: 2 }), [entry("c", { pile: "p", number: 3 })], "");
  same(
    run.moved.map((one) => [one.seq, one.event.pile, one.event.number]),
    [["c", "p", 2]],
  );
  same([run.pile, run.number], ["p", 2]);
  const alone = lines.renumbered(entry("b", { pile: "p", number: 2 }), [], "");
  same([alone.moved, alone.number], [[], 1]);
});

test("a line that belongs to no pile takes no other with it", () => {
  same(lines.renumbered(entry("b"), [entry("c", { number: 3 })], "").later, []);
});

test("what is typed becomes a weight, a count or both", () => {
  const typed = (line, rest = {}) => lines.typedNow({ line, count: null, mode: "zeroed", live: null, ...rest });
  assert.equal(typed(" 940 12 "), "940 12");
  assert.equal(typed("940", { count: 3 }), "940 c3");
  assert.equal(typed("", { count: 3 }), "c3");
  assert.equal(typed("12", { mode: "count" }), "c12");
  assert.equal(typed("940 g", { mode: "count" }), "940 g");
  const live = { text: "812 g" };
  assert.equal(typed("", { live }), "812 g");
  assert.equal(typed("7", { live }), "812 g c7");
  assert.equal(typed("", { live, count: 2 }), "812 g c2");
});

test("a bare number is of the unit shown; what says its own unit keeps it", () => {
  const inLb = (line) => lines.inUnit(line, "lb", "g");
  assert.equal(inLb("2.43"), "2.43lb");
  assert.equal(inLb("2.43 12"), "2.43lb c12");
  assert.equal(inLb("2+1.5 3"), "2lb+1.5lb c3");
  for (const line of ["", "940g 12", "c12", "2 tub", "½ cup"]) assert.equal(inLb(line), line);
  assert.equal(lines.inUnit("940 12", "g", "g"), "940 12");
  assert.equal(
    lines.typedNow({ line: "2.4", count: 5, mode: "zeroed", live: null, typedUnit: "kg", usualUnit: "g" }),
    "2.4kg c5",
  );
  assert.equal(
    lines.typedNow({ line: "7", count: null, mode: "count", live: null, typedUnit: "kg", usualUnit: "g" }),
    "c7",
  );
  const turned = (usual, ...units) => units.map((unit) => lines.turned(unit, usual));
  assert.deepEqual(turned("g", "g", "kg", "oz", "lb"), ["kg", "oz", "lb", "g"]);
  assert.deepEqual(turned("scale", "scale", "lb"), ["g", "scale"]);
  assert.equal(lines.inUnit("1.24", "scale", "scale"), "1.24");
  assert.equal(lines.unitWords("scale"), "g, or kg with a point");
});

test("nothing is written without a pot, a reading at rest, or anything typed", () => {
  const lack = (rest) => lines.lack({ line: "940", count: null, pot: "3", live: null, ...rest });
  assert.equal(lack({}), "");
  assert.match(lack({ pot: null }), /no pot/);
  assert.match(lack({ line: "  " }), /Type a weight/);
  assert.equal(lack({ line: "", count: 1 }), "");
  assert.equal(lack({ live: { problem: "It is gone." } }), "It is gone.");
  assert.equal(lack({ live: { is_steady: false, word: "moving" } }), "moving");
  assert.match(lack({ live: { is_steady: true, is_nothing: true } }), /Nothing lies/);
  assert.equal(lack({ line: "", live: { is_steady: true } }), "");
});

test("a letter is a command on an empty line and a unit within one", () => {
  const means = (key, line = "", live = null) => lines.meaning(key, { line, live });
  assert.equal(means("h"), "command");
  assert.equal(means("h", "9"), "type");
  assert.equal(means("c"), "type");
  assert.equal(means("5"), "type");
  assert.equal(means("½"), "type");
  assert.equal(means("0"), "zero and type");
  assert.equal(means("0", "", { text: "" }), "zero");
  assert.equal(means("0", "9"), "type");
  assert.equal(means(" "), "");
  assert.equal(means(" ", "940"), "type");
  assert.equal(means("Enter"), "next");
  assert.equal(means("Enter", "940"), "write");
  assert.equal(means("Enter", "", { text: "" }), "write");
  assert.equal(lines.meaning("Enter", { line: "", live: null, count: 3 }), "write");
  assert.equal(lines.meaning("Enter", { line: "940", live: null }, true), "write and next");
  assert.equal(means("Backspace"), "");
  assert.equal(means("Backspace", "9"), "rub");
  assert.equal(means("Escape"), "clear");
  for (const key of ["Shift", "Tab", "F5", "ArrowUp", "!", "ß"]) assert.equal(means(key, "9"), "", key);
});

test("undo takes the newest line that still stands, unsent ones first", () => {
  assert.equal(lines.lastStanding(new Set(["c"]), ["b", "c"], ["a"]), "b");
  assert.equal(lines.lastStanding(new Set(["b", "c"]), ["b", "c"], ["a"]), "a");
  assert.equal(lines.lastStanding(new Set(), [], []), undefined);
});

test("the grade offered is the next of those expected; with all of them in, none is", () => {
  const pots = (...all) => all.map((grades) => new Set(grades.split(" ").filter(Boolean)));
  assert.equal(lines.nextGrade(pots("table", ""), 0, ["table", "small"]), "small");
  assert.equal(lines.nextGrade(pots("table small", "table"), 1, []), "small");
  assert.equal(lines.nextGrade(pots("table", "table"), 1, ["small"]), undefined, "the pot before it says more");
  assert.equal(lines.nextGrade(pots("table"), -1, ["small"]), undefined);
});

test("a reading is taken once: an empty scale shows nothing new, nor does what lies there still", () => {
  assert.ok(lines.isTaken({ is_nothing: true, mg: 0 }, null));
  assert.ok(!lines.isTaken({ is_nothing: false, mg: 940_000 }, null));
  assert.ok(lines.isTaken({ is_nothing: false, mg: 942_000 }, 940_000), "it trembles");
  assert.ok(!lines.isTaken({ is_nothing: false, mg: 960_000 }, 940_000), "something was added");
  assert.ok(lines.isTaken({ is_nothing: false, mg: 5_020_000 }, 5_000_000));
});

test("what is on its way is not spoken of for five seconds", () => {
  assert.ok(!lines.waitedLong(1000, 5999));
  assert.ok(lines.waitedLong(1000, 6000));
});

test("lines that wait are told apart by whose they are", () => {
  const kept = [{ who: "7-1", name: "Ada" }, { who: "7-2", name: "Nib" }, { who: "7-2", name: "Nib" }, { who: "7-3" }];
  same(lines.byPerson(kept, "7-1"), {
    who: "7-1",
    mine: 1,
    others: [
      { name: "Nib", count: 2 },
      { name: "", count: 1 },
    ],
  });
  same(lines.byPerson([], "7-1"), { who: "7-1", mine: 0, others: [] });
});

test("what waits can be taken away as text, a line each", () => {
  const waiting = [{ event: { at: "2026-08-04T18:30:00+01:00" }, words: "Crock 3: table 940 12" }];
  const tray = [{ event: {}, words: "Crock 4: table 12", reason: "Too light" }];
  assert.equal(
    lines.inText(waiting, tray),
    "2026-08-04 18:30  Crock 3: table 940 12  (waits to be sent)\n  Crock 4: table 12  (Too light)\n",
  );
});

test("what waits for one address is sent together, in the order written", () => {
  const waiting = [{ seq: 1 }, { seq: 2, to: "/lines" }, { seq: 3, to: "/larder" }, { seq: 4, to: "/lines" }];
  const { to, entries } = lines.nextBatch(waiting, "/lines", 50);
  same([to, entries.map((one) => one.seq)], ["/lines", [1, 2]]);
  same(lines.nextBatch(waiting.slice(2), "/lines", 50).to, "/larder");
  assert.equal(lines.nextBatch(waiting, "/lines", 1).entries.length, 1);
  same(lines.nextBatch([], "/lines", 5), { to: "/lines", entries: [] });
});

test("weighing again says what is left, all else what went; weights read as on the pages", () => {
  assert.equal(lines.leftAfter("weighed", 700, 1000), 700);
  assert.equal(lines.leftAfter("eaten", 700, 1000), 300);
  assert.deepEqual(
    [850_000, 1_240_000, 12_300_000].map((mg) => lines.shortly(mg, "metric")),
    ["850 g", "1.24 kg", "12.3 kg"],
  );
  // As tests/web/test_amounts.py has them: what lies half way goes up on both sides.
  assert.deepEqual(
    [1_845_000, 7_995_000, 9_996_000, 627_500, -1_845_000].map((mg) => lines.shortly(mg, "metric")),
    ["1.85 kg", "8.00 kg", "10.0 kg", "628 g", "-1.85 kg"],
  );
  // As the core writes them: 992,233 mg are 2 lb 3.0 oz, 100 g are 3.5 oz, 1 kg is 2.20 lb.
  assert.deepEqual(
    [992_233, 100_000, 1_000_000].map((mg) => lines.shortly(mg, "imperial")),
    ["2 lb 3.0 oz", "3.5 oz", "2.20 lb"],
  );
});

test("half, the rest and a plain weight are resolved on the device; what needs the garden is not", () => {
  assert.equal(lines.resolved(" Half ", 3_000_001), 1_500_001);
  assert.equal(lines.resolved("the  rest", 700), 700);
  assert.equal(lines.resolved("1.2 kg", 700), 1_200_000);
  assert.equal(lines.resolved("0,5kg", 700), 500_000);
  for (const words of ["940", "1,234 g", "c6", "2 tub", "2 lb"]) assert.equal(lines.resolved(words, 700), null);
});
