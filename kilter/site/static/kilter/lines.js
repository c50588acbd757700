// The bench's and the queue's reasoning about lines, without page or network: node tests it on its own.
const WAITS_MS = [1000, 3000, 8000, 20000, 60000];
const LINE_KEYS = /^[0-9.,/+±%~ a-zA-Z½¼¾-]$/;

// The wall clock of this device with its offset, as the server reads it.
function localTime(now) {
  const two = (n) => String(Math.trunc(Math.abs(n))).padStart(2, "0");
  const off = -now.getTimezoneOffset();
  const local = new Date(now.getTime() + off * 60000).toISOString().slice(0, 19);
  return `${local}${off < 0 ? "-" : "+"}${two(off / 60)}:${two(off % 60)}`;
}

// How long to wait before the next try, the more the longer there was no answer.
const waitAfter = (failures) => WAITS_MS[Math.min(failures, WAITS_MS.length - 1)];

// Where there is no Web Lock a lease stands in for it: "owner until".
function isLeaseFree(lease, owner, now) {
  const [holder, until] = (lease ?? "").split(" ");
  return holder === owner || !(Number(until) > now);
}

// Which of a batch the server has, and which it gave back and why: a line it did not name waits on.
function settled(batch, said) {
  const stored = new Set(said.stored);
  const refused = new Map(said.refused.map((one) => [one.client_id, one]));
  return {
    done: batch.filter((entry) => stored.has(entry.event.client_id)),
    back: batch
      .filter((entry) => refused.has(entry.event.client_id))
      .map((entry) => {
        const {
          reason,
          is_fall: isFall,
          is_unusual: isUnusual = false,
          meant = "",
        } = refused.get(entry.event.client_id);
        return { entry, reason, isFall, isUnusual, meant };
      }),
  };
}

// What is sent next: the first that wait for one address, in the order written. Those of before Kilter had several
// addresses are lines of the bench.
function nextBatch(waiting, bench, most) {
  const to = waiting[0]?.to ?? bench;
  const end = waiting.findIndex((entry) => (entry.to ?? bench) !== to);
  return { to, entries: waiting.slice(0, Math.min(end === -1 ? waiting.length : end, most)) };
}

// What lies in a crate as this device sees it: half and the rest are resolved here, so that two phones that say so
// are settled in order.
const PARTS = { half: 0.5, "a half": 0.5, "a third": 1 / 3, "a quarter": 0.25, "two thirds": 2 / 3, some: 0.25 };
const ALL = ["rest", "the rest", "all", "all of it", "the lot"];
function resolved(typed, left) {
  const words = typed.trim().toLowerCase().replace(/\s+/g, " ");
  if (ALL.includes(words)) return left;
  const plain = /^(\d+(?:\.\d+|,\d{1,2})?) ?(kg|g)$/.exec(words);
  if (plain) return Math.round(Number(plain[1].replace(",", ".")) * (plain[2] === "kg" ? 1e6 : 1e3));
  return words in PARTS ? Math.round(left * PARTS[words]) : null;
}

// So many pieces in words; a count as it is typed, spoken.
const pieceWords = (count) => `${Math.round(count * 10) / 10} piece${count === 1 ? "" : "s"}`;
const spoken = (typed) => {
  const count = /^c(\d+)$/.exec(typed);
  return count ? pieceWords(Number(count[1])) : typed;
};

// What is left after an entry: weighing again says what lies there, everything else what went.
const leftAfter = (use, mg, left) => (use === "weighed" ? mg : left - mg);

// A weight in a line of words, as the pages write it: from whole milligrams, so that what lies half way goes up.
const MG_PER_OZ = 28349.523125;
function kilograms(mg) {
  const places = mg < 9.995e6 ? 2 : 1;
  return ((Math.sign(mg) * Math.round(Math.abs(mg) / 10 ** (6 - places))) / 10 ** places).toFixed(places);
}
function shortly(mg, system) {
  const isImperial = system !== "metric";
  if (Math.abs(mg) >= 1e6) {
    if (!isImperial) return `${kilograms(mg)} kg`;
    const pounds = mg / (16 * MG_PER_OZ);
    return `${pounds.toFixed(pounds < 9.995 ? 2 : 1)} lb`;
  }
  if (!isImperial) return `${Math.round(mg / 1000)} g`;
  if (system === "pounds") return `${(Math.round((mg / (16 * MG_PER_OZ)) * 100) / 100).toFixed(2)} lb`;
  const tenths = Math.round((mg / MG_PER_OZ) * 10);
  const pounds = Math.trunc(tenths / 160);
  return `${pounds ? `${pounds} lb ` : ""}${((tenths - pounds * 160) / 10).toFixed(1)} oz`;
}

// All that waits on a device, to be kept elsewhere: a line each, with when it was written and what it needs.
function inText(waiting, tray) {
  const said = ({ event, words, reason = "waits to be sent" }) =>
    `${(event.at ?? "").slice(0, 16).replace("T", " ")}  ${words}  (${reason})`;
  return `${[...waiting, ...tray].map(said).join("\n")}\n`;
}

// A pile is read in order. Where the scale was emptied, that line and those after it make a new pile;
// without the line (left out, or taken in hand) those after it follow on what stood before.
function renumbered(entry, tray, fresh) {
  const { pile, number } = entry.event;
  const later = pile === "" ? [] : tray.filter((one) => one.event.pile === pile && one.event.number > number);
  const run = [...(fresh ? [entry] : []), ...later].sort((a, b) => a.event.number - b.event.number);
  const first = fresh ? 1 : number;
  const moved = run.map((one, i) => ({ ...one, event: { ...one.event, pile: fresh || pile, number: first + i } }));
  return { later, moved, pile: fresh || pile, number: first + run.length - 1 };
}

// The units a bare number may be of, in the order in which the key turns them.
const UNITS = ["g", "kg", "oz", "lb"];
function turned(unit, usual) {
  const all = usual in UNIT_WORDS ? [usual, ...UNITS] : UNITS;
  return all[(all.indexOf(unit) + 1) % all.length];
}
// How a scale shows it: whole numbers are grams, those with a decimal point kilograms.
const UNIT_WORDS = { scale: "g, or kg with a point" };
const UNIT_SIGNS = { scale: "g · kg" };
const unitWords = (unit) => UNIT_WORDS[unit] ?? unit;
const unitSign = (unit) => UNIT_SIGNS[unit] ?? unit;
// A bare number gets the unit that is shown, where that is not the household's; a count after it is marked as one.
const BARE = /^([\d.,½¼¾]+(?:\+[\d.,½¼¾]+)*)(?: +(\d+))?$/;
function inUnit(line, unit, usual) {
  const found = unit === usual ? null : BARE.exec(line);
  if (!found) return line;
  const loads = found[1]
    .split("+")
    .map((load) => load + unit)
    .join("+");
  return found[2] ? `${loads} c${found[2]}` : loads;
}

// What is written when Enter is pressed: with a scale on the bench, figures typed are the count.
function typedNow({ line, count, mode, live, typedUnit = "", usualUnit = "" }) {
  const words = inUnit(line.trim(), typedUnit, usualUnit);
  const counted = count === null ? "" : `c${count}`;
  const figure = /^\d+$/.exec(line.trim())?.[0];
  if (live) return `${live.text} ${figure ? `c${figure}` : line.trim() || counted}`.trim();
  if ((mode === "count" || mode === "never") && figure) return `c${figure}`;
  return `${words} ${counted}`.trim();
}

// Why Enter writes nothing now; nothing is said where it does.
function lack({ line, count, pot, live }) {
  if (pot === null) return "There is no pot in hand.";
  if (live?.problem) return live.problem;
  if (live && !live.is_steady) return live.word || "The scale has not been read yet.";
  if (live?.is_nothing) return "Nothing lies on the scale: put it on, or zero the scale first.";
  if (!live && line.trim() === "" && count === null) return "Type a weight, a count, or both: 940 12.";
  return "";
}

// Letters are commands on an empty line and units within one; Enter on an empty line goes to the next pot. With a scale
// on the bench it is the reading that decides.
function enterMeans({ line, live, count = null }, isShifted) {
  if (isShifted) return "write and next";
  return line === "" && count === null && !live ? "next" : "write";
}
function meaning(key, hand, isShifted = false) {
  const { line, live } = hand;
  const isEmpty = line === "";
  const named = { Enter: enterMeans(hand, isShifted), Backspace: isEmpty ? "" : "rub", Escape: "clear" };
  if (key in named) return named[key];
  if (!isEmpty) return LINE_KEYS.test(key) ? "type" : "";
  if (key === "0") return live ? "zero" : "zero and type";
  if (/^[abd-z]$/.test(key)) return "command";
  return LINE_KEYS.test(key) && key !== " " ? "type" : "";
}

// Whether the scale shows nothing new: it is empty, or what was just written lies there still. It trembles by a few
// steps, and drifts by less than one part in two hundred.
const TREMBLES_MG = 5000;
const isTaken = (live, takenMg) =>
  Boolean(live?.is_nothing) ||
  (takenMg !== null && Math.abs(live.mg - takenMg) <= Math.max(TREMBLES_MG, takenMg / 200));

// The last of the ids that was not struck, of the first list that has one.
function lastStanding(struck, ...lists) {
  for (const ids of lists) {
    const last = ids.filter((id) => !struck.has(id)).at(-1);
    if (last) return last;
  }
  return undefined;
}

// The grades a pot is expected to get: those of the pot before it, else those this crop usually gets.
const expectedOf = (grades, at, usual) => [...(grades[at - 1]?.size ? grades[at - 1] : usual)];

// The next of the expected grades that a pot has not got yet; undefined where it has all of them.
const nextGrade = (grades, at, usual) =>
  at < 0 ? undefined : expectedOf(grades, at, usual).find((grade) => !grades[at].has(grade));

// How long lines wait until it is said: what is on its way needs no word.
const SAID_AFTER_MS = 5000;
const waitedLong = (since, now) => now - since >= SAID_AFTER_MS;

// How many lines wait of the person here, and of whom else: a device may be lent.
function byPerson(kept, who) {
  const others = new Map();
  for (const entry of kept) {
    if (entry.who === who) continue;
    const one = others.get(entry.who) ?? { name: entry.name ?? "", count: 0 };
    one.count += 1;
    others.set(entry.who, one);
  }
  return { who, mine: kept.filter((entry) => entry.who === who).length, others: [...others.values()] };
}

export {
  byPerson,
  inText,
  inUnit,
  isLeaseFree,
  isTaken,
  lack,
  lastStanding,
  leftAfter,
  localTime,
  meaning,
  nextBatch,
  nextGrade,
  pieceWords,
  renumbered,
  resolved,
  SAID_AFTER_MS,
  settled,
  shortly,
  spoken,
  turned,
  typedNow,
  unitSign,
  unitWords,
  waitAfter,
  waitedLong,
};
