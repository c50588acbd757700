// The bench: what is typed, which pot and grade it is for, and the events that carry it to the server.
import { inField, lettersOn } from "./keys.js";
import {
  inUnit,
  isTaken,
  lack,
  lastStanding,
  meaning,
  nextGrade,
  turned,
  typedNow,
  unitSign,
  unitWords,
  waitedLong,
} from "./lines.js";
import { Queue, follow, nothingWaits, hex, device, timeNow } from "./queue.js";

document.addEventListener("alpine:init", () => {
  const LIVE_MS = 250;
  const SHOWN_MS = 2000;
  const isStill = matchMedia("(prefers-reduced-motion: reduce)");

  Alpine.data("bench", () => ({
    ...nothingWaits(),
    line: "",
    count: null,
    tare: "",
    grade: "",
    pot: null,
    pile: "",
    number: 0,
    big: "0",
    unit: "",
    small: "",
    countWords: "",
    problem: "",
    status: "",
    asksEmptied: false,
    mode: "zeroed",
    plants: "",
    plantsWords: "",
    others: null,
    hand: "",
    size: "",
    cause: "",
    fullness: "",
    thinning: false,
    live: null,
    liveTimer: 0,
    takenMg: null,
    typedUnit: "",
    usualUnit: "",
    who: "",
    unusual: null,
    last: "",
    wrote: "",
    wroteTimer: 0,
    written: [],
    mine: {},
    readTimer: 0,
    readSerial: 0,
    refreshing: Promise.resolve(),

    init() {
      this.line = document.getElementById("typed")?.value ?? "";
      this.problem = document.getElementById("typed-problem")?.textContent.trim() ?? "";
      this.takePot();
      this.usualUnit = this.$root.dataset.unit;
      this.who = this.$root.dataset.who;
      this.hand = sessionStorage.getItem(this.ofPerson("hand")) ?? "";
      this.$watch("hand", () => sessionStorage.setItem(this.ofPerson("hand"), this.hand));
      this.setGrade(this.$root.dataset.usualGrade);
      this.offerGrade();
      this.showPot();
      this.modeAsLeft();
      this.read();
      this.queue = new Queue(this.$root);
      follow(this, this.queue);
      const told = this.queue.onchange;
      this.queue.onchange = (waiting, tray) => {
        told(waiting, tray);
        this.markUnsent(waiting);
      };
      this.queue.onstored = (entries) => {
        const events = entries.map((entry) => entry.event);
        const struck = new Set(events.filter((event) => event.kind === "strike").map((event) => event.target));
        this.written.push(...events.filter((event) => event.kind === "write").map((event) => event.client_id));
        this.written = this.written.filter((id) => !struck.has(id));
        // Only what was stored or struck is sent back; the other lines stand on the tape already.
        const touched = events.map((event) => event.target ?? event.client_id);
        this.refresh(touched.length > 20 ? "" : touched.join(",")).then(() => this.sayWritten(entries));
      };
      this.takeUp().catch(() => {});
      this.potAsLeft();
      this.queue.onrefused = (entry, reason, isFall, isUnusual) => this.refused(entry, reason, isFall, isUnusual);
      // Scale and bowl stay as they were chosen on this device.
      for (const field of this.$root.querySelectorAll("[data-keeps]")) {
        const kept = localStorage.getItem(`kilter-${field.dataset.keeps}`);
        if (kept && [...field.options].some((option) => option.value === kept)) field.value = kept;
        field.addEventListener("change", () => localStorage.setItem(`kilter-${field.dataset.keeps}`, field.value));
      }
      document.getElementById("scale")?.addEventListener("change", () => this.unitOfScale());
      this.typedUnit = sessionStorage.getItem(this.ofPerson("unit")) ?? this.scaleUnit();
      this.$watch("line", () => {
        this.$root.dataset.typing = this.line === "" ? "no" : "yes";
        this.problem = "";
        clearTimeout(this.readTimer);
        this.readTimer = setTimeout(() => this.read(), 60);
      });
      document.addEventListener("keydown", (event) => this.key(event));
      this.$root.addEventListener("submit", (event) => this.finishing(event));
      this.$root.addEventListener("click", (event) => this.tapped(event));
      for (const id of ["crop", "bench-day", "bench-site"])
        document.getElementById(id)?.addEventListener("change", (event) => event.target.form.submit());
    },

    get countShown() {
      return this.count === null ? "–" : String(this.count);
    },
    get inBowl() {
      return this.mode === "bowl";
    },
    get countsOnly() {
      return this.mode === "count" || this.mode === "never";
    },
    get lineLabel() {
      if (this.countsOnly) return "Count";
      return this.live ? "Count (the scale gives the weight)" : `Weight in ${unitWords(this.typedUnit)}; count`;
    },
    get unitLabel() {
      const next = unitWords(turned(this.typedUnit, this.usualUnit));
      return `A bare number is ${unitWords(this.typedUnit)}; press for ${next}`;
    },
    get unitShown() {
      return unitSign(this.typedUnit);
    },

    takePot() {
      const now = this.$root.querySelector('.pot[aria-current="true"]');
      this.pot = now ? now.dataset.pot : null;
    },
    markGrade() {
      for (const label of this.$root.querySelectorAll("[data-grade]")) {
        label.querySelector("input").checked = label.dataset.grade === this.grade;
      }
      for (const label of this.$root.querySelectorAll("[data-size]")) {
        label.querySelector("input").checked = label.dataset.size === this.size;
      }
    },
    setGrade(grade, size = "") {
      this.grade = grade;
      this.size = size;
      this.markGrade();
    },
    // The crop's own sizes of the grade in hand, one after another, and at the end none.
    nextSize() {
      const sizes = [...this.$root.querySelectorAll(`[data-size][data-of="${this.grade}"]:not([hidden])`)].map(
        (label) => label.dataset.size,
      );
      this.setGrade(this.grade, ["", ...sizes][(sizes.indexOf(this.size) + 2) % (sizes.length + 1)]);
    },
    // The grade that is offered: the first of those expected that the pot has not got yet.
    offerGrade() {
      const { grades, at, usual } = this.writtenSoFar();
      const grade = nextGrade(grades, at, usual);
      if (grade !== undefined) this.setGrade(grade);
    },

    tapped(event) {
      // A button pressed by hand does not keep the keys to itself: Enter is to write the next line.
      if (event.detail > 0) event.target.closest("button")?.blur();
      const pot = event.target.closest("a[data-pot]");
      if (pot) {
        event.preventDefault();
        this.goTo(pot.dataset.pot);
        return;
      }
      const grade = event.target.closest("[data-grade]");
      if (grade) this.setGrade(grade.dataset.grade);
      const size = event.target.closest("[data-size]");
      if (size) this.setGrade(size.dataset.of, size.dataset.size);
    },

    // Nothing acts while a field has the cursor, but Enter in the line's own; and Enter on a button presses it.
    key(event) {
      if (event.key === "Enter" && event.target.id === "typed" && !event.isComposing) {
        event.preventDefault();
        this.act(meaning(event.key, this, event.shiftKey), event.key);
        return;
      }
      if (event.ctrlKey || event.metaKey || event.altKey || inField(event) || event.defaultPrevented) return;
      if (document.querySelector("dialog[open]")) return;
      const meant = meaning(event.key, this, event.shiftKey);
      if (meant === "" || (event.key === "Enter" && event.target.closest("button, a, summary"))) return;
      if (!["clear", "command"].includes(meant)) event.preventDefault();
      this.act(meant, event.key);
    },
    act(meant, key) {
      if (meant === "write") this.write();
      else if (meant === "write and next") this.writeAndNext();
      else if (meant === "next") this.next();
      else if (meant === "rub") this.rub();
      else if (meant === "clear") this.line = "";
      else if (meant === "command") {
        if (lettersOn()) this.command(key);
      } else {
        if (meant.startsWith("zero")) this.zero();
        if (meant !== "zero") this.line += key;
      }
    },
    // A pot is said to be all lifted after its lines have arrived, not before.
    async finishing(event) {
      const form = event.target;
      if (!form.matches("form.lifted, #finish-many") || form.dataset.ready) return;
      event.preventDefault();
      const { action } = form;
      const which = event.submitter?.value;
      if (await this.queue.idle()) {
        // The lines that arrived may have put a fresh form in its place.
        const fresh = this.$root.querySelector(form.id ? "#finish-many" : "form.lifted") ?? form;
        fresh.action = action;
        fresh.dataset.ready = "yes";
        fresh.requestSubmit(
          which ? this.$root.querySelector(`button[form="finish-many"][value="${which}"]`) : undefined,
        );
      } else this.status = "Its lines wait on this device; say that all is lifted when they are sent.";
    },
    command(letter) {
      const grade = this.$root.querySelector(`[data-grade][data-key="${CSS.escape(letter)}"]`);
      if (grade?.dataset.grade === this.grade) this.nextSize();
      else if (grade) this.setGrade(grade.dataset.grade);
      else if (letter === "o") this.pickOthers();
      else if (letter === "n") this.next();
      else if (letter === "b") this.before();
      else if (letter === "z") this.undoLatest();
      else if (letter === "p") this.togglePile();
      else if (letter === "f") this.$root.querySelector("form.lifted button")?.click();
    },
    tapKey(event) {
      this.line += event.currentTarget.dataset.figure;
    },
    // Of which plants: said once for all lines of the pot in hand, until others are lifted.
    pickOthers() {
      if (!this.plantsWords) return;
      this.others = this.pot;
      this.plants = "";
      this.showPlants();
      document.getElementById("more").open = true;
      document.getElementById("plants").focus();
    },
    showPlants() {
      const said = this.potLink(this.pot)?.dataset.plants ?? "";
      if (this.others === this.pot) this.plantsWords = "others, from how many plants?";
      else this.plantsWords = said ? `of ${said} plant${said === "1" ? "" : "s"}` : "";
    },
    // The unit of a bare number is that of the scale chosen, else the household's.
    scaleUnit() {
      return document.getElementById("scale")?.selectedOptions[0]?.dataset.unit || this.usualUnit;
    },
    unitOfScale() {
      sessionStorage.removeItem(this.ofPerson("unit"));
      this.typedUnit = this.scaleUnit();
      this.status = `A bare number is ${unitWords(this.typedUnit)} now.`;
      this.read();
    },
    turnUnit() {
      this.typedUnit = turned(this.typedUnit, this.usualUnit);
      sessionStorage.setItem(this.ofPerson("unit"), this.typedUnit);
      this.status = `A bare number is ${unitWords(this.typedUnit)} now.`;
      this.read();
    },
    rub() {
      this.line = this.line.slice(0, -1);
    },
    more() {
      this.count = (this.count ?? 0) + 1;
    },
    fewer() {
      this.count = this.count && this.count > 1 ? this.count - 1 : null;
    },

    zero() {
      if (this.pile !== "") this.startPile();
      if (this.live) this.post(this.$root.dataset.zero);
    },
    startPile() {
      this.pile = hex(16);
      this.number = 0;
      this.status = "A new pile: type what the scale shows after each load.";
    },
    pickMode(event) {
      this.setMode(event.currentTarget.dataset.mode);
    },
    // How it is weighed is the person's, not the device's, which may be lent.
    ofPerson(name) {
      return `kilter-${name} ${this.who}`;
    },
    // Finishing a pot or another page of the room leaves how it is weighed as it was.
    modeAsLeft() {
      const { mode, pile, number } = JSON.parse(sessionStorage.getItem(this.ofPerson("mode")) ?? "{}");
      if (!mode || mode === this.mode) return;
      this.setMode(mode);
      if (pile) [this.pile, this.number] = [pile, number];
      this.keepMode();
    },
    keepMode() {
      const kept = { mode: this.mode, pile: this.pile, number: this.number };
      sessionStorage.setItem(this.ofPerson("mode"), JSON.stringify(kept));
    },
    setMode(mode) {
      this.mode = mode;
      this.pile = "";
      this.asksEmptied = false;
      for (const button of this.$root.querySelectorAll("[data-mode]"))
        button.setAttribute("aria-pressed", String(button.dataset.mode === mode));
      if (mode === "pile") this.startPile();
      else
        this.status = {
          zeroed: "Each load is zeroed.",
          bowl: "The bowl is taken off each load.",
          count: "Counted only: it waits for the scale.",
          never: "Counted only: it will not be weighed.",
        }[mode];
      this.keepMode();
    },
    togglePile() {
      this.setMode(this.mode === "pile" ? "zeroed" : "pile");
    },
    newPile() {
      this.asksEmptied = false;
      this.problem = "";
      this.startPile();
      this.write();
    },

    // The live scale: the dial follows it; Enter takes a reading at rest.
    toggleScale() {
      this.live = this.live ? null : { word: "The scale is looked for." };
      document.getElementById("live-scale").setAttribute("aria-pressed", String(this.live !== null));
      clearInterval(this.liveTimer);
      this.status = this.live
        ? "The dial follows the scale; figures typed are the count."
        : "The scale is off the bench.";
      if (this.live) this.liveTimer = setInterval(() => this.look(), LIVE_MS);
      else this.read();
    },
    async look() {
      let said;
      try {
        said = await (await fetch(this.$root.dataset.live, { cache: "no-store", credentials: "omit" })).json();
      } catch {
        said = { problem: "There is no answer from Kilter; type the weight instead." };
      }
      if (!this.live) return;
      this.live = said;
      if (!said.problem && !isTaken(said, this.takenMg)) this.takenMg = null;
      if (said.problem) {
        this.big = "—";
        this.unit = "";
        this.small = said.problem;
        return;
      }
      this.turn(said.angle, said.labels);
      this.big = said.big;
      this.unit = said.unit;
      this.small = said.is_steady ? " at rest" : " moving";
    },
    post(address) {
      const token = JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];
      return fetch(address, { method: "POST", headers: { "X-CSRFToken": token } }).catch(() => {});
    },
    turn(angle, labels) {
      this.$root.querySelector("[data-pointer]")?.setAttribute("transform", `rotate(${angle})`);
      labels.forEach((label, i) => {
        const text = this.$root.querySelector(`[data-part="${i}"]`);
        if (text) text.textContent = label;
      });
    },

    async read() {
      const serial = ++this.readSerial;
      if (this.live) {
        this.countWords = this.line.trim() === "" ? "" : `${this.line.trim()} counted`;
        return;
      }
      if (this.countsOnly) {
        this.big = this.line || "0";
        this.unit = this.line ? "counted" : "";
        this.small = "";
        return;
      }
      try {
        const typed = inUnit(this.line.trim(), this.typedUnit, this.usualUnit);
        const answer = await fetch(`${this.$root.dataset.read}?typed=${encodeURIComponent(typed)}`);
        const said = await answer.json();
        if (serial !== this.readSerial) return;
        if (said.problem) {
          this.big = this.line;
          this.unit = "";
          this.small = "";
          return;
        }
        this.big = said.big || this.line;
        this.unit = this.line === "" ? this.unitShown : said.unit;
        this.small = said.small;
        this.$root.querySelector("[data-big]")?.classList.toggle("long", this.big.length > 6);
        this.countWords = said.count === null ? "" : `${said.count} counted`;
        this.turn(said.angle, said.labels);
      } catch {
        this.big = this.line || "0";
      }
    },

    // A live reading is taken anew, so that what was on the scale a moment ago is not written. Where nothing new lies
    // there and nothing was counted, Enter means the next pot. Says whether a line was written.
    async write() {
      if (this.live) await this.look();
      if (this.showsNothingNew()) {
        this.next();
        return false;
      }
      this.problem = lack(this);
      if (this.problem) return false;
      if (this.live) this.takenMg = this.live.mg;
      const event = this.eventOf(typedNow(this));
      const place = this.potLink(this.pot)?.dataset.place ?? "";
      const words = `${place}: ${event.grade} ${event.typed}`;
      const written = this.line;
      this.inHand(event, words);
      this.line = "";
      this.count = null;
      this.asksEmptied = false;
      this.unusual = null;
      [this.plants, this.cause, this.fullness, this.thinning] = ["", "", "", false];
      this.keepMode();
      this.noteWritten(event);
      this.notePlants(event);
      try {
        await this.queue.add(event, words);
        this.outOfHand(event);
      } catch {
        this.giveBack(event, written);
      }
      return true;
    },
    showsNothingNew() {
      if (!this.live || this.live.problem || this.line !== "" || this.count !== null) return false;
      return isTaken(this.live, this.takenMg);
    },
    eventOf(typed) {
      const chosen = (id) => document.getElementById(id)?.value ?? "";
      return {
        client_id: hex(16),
        kind: "write",
        planting: Number(this.pot),
        grade: this.grade,
        typed,
        device,
        pile: this.pile,
        tare: this.inBowl ? this.tare : "",
        bowl: this.inBowl ? Number(chosen("bowl")) || null : null,
        scale: Number(chosen("scale")) || null,
        plants: Number(this.plants) || null,
        visit: this.others === this.pot ? "others" : "same",
        hand: document.getElementById("hand") ? this.hand.trim() : "",
        size: Number(this.size) || null,
        cause: this.cause,
        cleaned: chosen("cleaned"),
        topped: chosen("topped"),
        fullness: this.fullness,
        is_thinning: this.thinning,
        is_never_weighed: this.mode === "never",
        is_sure: this.unusual === `${this.pot} ${this.grade} ${typed}`,
        number: ++this.number,
        at: timeNow(this.$root),
      };
    },
    async writeAndNext() {
      if (await this.write()) this.next();
    },
    // What was written, as it stands on the tape: said once, and shown by the key for a moment.
    sayWritten(entries) {
      const entry = entries.filter(({ event }) => event.kind === "write").at(-1);
      const row = entry && this.$root.querySelector(`tr[data-line="${entry.event.client_id}"]`);
      if (!row) return;
      const cells = [...row.cells].slice(0, 4).map((cell) => cell.innerText.trim().replace(/\s+/g, " "));
      this.wrote = `Written: ${cells.filter(Boolean).join(", ")}`;
      clearTimeout(this.wroteTimer);
      this.wroteTimer = setTimeout(() => {
        this.wrote = "";
      }, SHOWN_MS);
    },
    // Until the queue has taken a line it stands in a place of its own: closing the page in that moment loses nothing.
    inHand(event, words) {
      this.keptInHand((held) => {
        held[event.client_id] = { event, words, who: this.$root.dataset.who };
      });
    },
    outOfHand(event) {
      this.keptInHand((held) => {
        delete held[event.client_id];
      });
    },
    keptInHand(change) {
      try {
        const held = JSON.parse(localStorage.getItem("kilter-in-hand") ?? "{}");
        change(held);
        localStorage.setItem("kilter-in-hand", JSON.stringify(held));
        return Object.values(held);
      } catch {
        return []; /* no room there either: the queue will say so */
      }
    },
    async takeUp() {
      const known = new Set(
        [...(await this.queue.waiting()), ...(await this.queue.tray())].map((entry) => entry.event.client_id),
      );
      for (const { event, words, who } of this.keptInHand(() => {})) {
        if (who !== this.$root.dataset.who) continue;
        if (!known.has(event.client_id)) await this.queue.add(event, words);
        this.outOfHand(event);
      }
    },
    giveBack(event, written) {
      this.outOfHand(event);
      this.mine[event.planting]?.delete(event.grade);
      if (event.pile !== "") this.number -= 1;
      this.backInHand({ ...event, typed: written + this.line });
      this.$nextTick(() => {
        this.problem =
          "This device has no room to keep the line, or its storage is shut. It stands here still: make room or load the page anew, then write it again.";
      });
    },
    // A refusal that comes at once goes back into the hand; one that comes late, to the tray.
    refused(entry, reason, isFall, isUnusual) {
      const { event } = entry;
      this.mine = {};
      const isLast = event.pile === "" || (event.pile === this.pile && event.number === this.number);
      if (event.kind !== "write") {
        this.problem = reason;
        return true;
      }
      if (this.line !== "" || !isLast || this.live) return false;
      if (event.pile !== "") this.number -= 1;
      this.backInHand(event);
      if (isUnusual) this.unusual = `${event.planting} ${event.grade} ${event.typed}`;
      this.$nextTick(() => {
        this.problem = isUnusual ? `${reason} Write it again to keep it, or put it right.` : reason;
      });
      this.asksEmptied = isFall;
      return true;
    },
    backInHand(event) {
      if (String(event.planting) !== this.pot) this.goTo(String(event.planting));
      this.setGrade(event.grade, String(event.size ?? ""));
      if (event.visit === "others") this.others = String(event.planting);
      [this.plants, this.cause, this.fullness, this.thinning] = [
        event.plants ?? "",
        event.cause,
        event.fullness,
        event.is_thinning,
      ];
      this.line = event.typed;
    },
    async wasEmptied(event) {
      const entry = await this.queue.outOfTray(event.currentTarget.dataset.id);
      if (!entry) return;
      const run = await this.queue.again(entry, true);
      if (entry.event.pile === this.pile) [this.pile, this.number] = [run.pile, run.number];
      this.keepMode();
    },
    async keepIt(event) {
      const entry = await this.queue.outOfTray(event.currentTarget.dataset.id);
      if (entry) await this.queue.keep(entry);
    },
    async dropIt(event) {
      const entry = await this.queue.outOfTray(event.currentTarget.dataset.id);
      if (entry) await this.followOn(entry);
    },
    async takeBack(event) {
      const entry = await this.queue.outOfTray(event.currentTarget.dataset.id);
      if (!entry) return;
      await this.followOn(entry);
      this.backInHand(entry.event);
    },
    async followOn(entry) {
      const run = await this.queue.again(entry, false);
      if (entry.event.pile !== "" && entry.event.pile === this.pile) this.number = run.number;
    },
    // What the page tells of came last, as long as nothing was written after it.
    undoLatest() {
      const told = document.querySelector("#messages [data-undo]");
      if (told) told.click();
      else this.undo();
    },
    // What was written last, sent or not, as long as it was not struck already.
    async undo() {
      const waiting = (await this.queue.waiting()).map((entry) => entry.event);
      const struck = new Set(waiting.filter((event) => event.kind === "strike").map((event) => event.target));
      const unsent = waiting.filter((event) => event.kind === "write").map((event) => event.client_id);
      const shown = [...this.$root.querySelectorAll("tr[data-line]:not(.struck)")].map((row) => row.dataset.line);
      const last = lastStanding(struck, unsent, this.written, shown);
      this.written = this.written.filter((id) => id !== last);
      this.mine = {};
      if (!last) {
        this.status = "Nothing to undo on today's tape.";
        return;
      }
      this.status = "Removed; it can be put back on the tape.";
      this.queue.add(
        { client_id: hex(16), kind: "strike", target: last, device, at: timeNow(this.$root) },
        "a line removed",
      );
    },

    refresh(only = "") {
      this.refreshing = this.refreshing.then(() => this.fetchAnew(only));
      return this.refreshing;
    },
    async fetchAnew(only) {
      const root = this.$root.dataset;
      try {
        const address = `${root.benchUrl}?crop=${root.crop}&pot=${this.pot ?? ""}&hidden=${root.hidden}&day=${root.day}&site=${root.site}&only=${only}`;
        const answer = await fetch(address, { headers: { "HX-Request": "true" } });
        if (!answer.ok) return;
        const page = new DOMParser().parseFromString(await answer.text(), "text/html");
        if (only && !this.joinTape(page.getElementById("bench-tape"))) {
          await this.fetchAnew("");
          return;
        }
        for (const id of ["bench-head", "bench-tape"]) {
          const fresh = page.getElementById(id);
          if (fresh) document.getElementById(id).replaceChildren(...fresh.childNodes);
        }
        this.showPot();
        this.markUnsent(await this.queue.waiting());
      } catch {
        /* the tape is shown anew with the next answer */
      }
    },

    // Puts the lines shown already around those that came; false where some are missing, as somebody else wrote too.
    joinTape(tape) {
      const came = tape?.querySelector("table[data-part] > tbody");
      if (!came) return true;
      const rows = new Map(
        [...document.querySelectorAll("#bench-tape tr[data-line]"), ...came.querySelectorAll("tr[data-line]")].map(
          (row) => [row.dataset.line, row],
        ),
      );
      if (rows.size !== Number(came.parentElement.dataset.lines)) return false;
      if (rows.size) came.replaceChildren(...rows.values());
      return true;
    },

    // Lines that are not sent yet stand on the tape too, marked; the last of all stands beside the pad.
    markUnsent(waiting) {
      const body = document.querySelector("#bench-tape tbody");
      if (!body) return;
      for (const row of body.querySelectorAll("[data-unsent]")) row.remove();
      for (const { event, words, since } of waiting.filter((entry) => entry.event.kind === "write")) {
        const row = body.insertRow();
        row.dataset.unsent = event.client_id;
        const cell = row.insertCell();
        cell.colSpan = 5;
        cell.textContent = waitedLong(since, Date.now()) ? `${words} · waits to be sent` : words;
      }
      this.showLast();
    },
    showLast() {
      const rows = [
        ...document.querySelectorAll("#bench-tape tr[data-line]:not(.struck), #bench-tape tr[data-unsent]"),
      ];
      const cells = [...(rows.at(-1)?.cells ?? [])].slice(0, 4);
      this.last = cells
        .map((cell) => cell.innerText.trim().replace(/\s+/g, " "))
        .filter(Boolean)
        .join(" · ");
    },

    pots() {
      return [...this.$root.querySelectorAll("a[data-pot]")];
    },
    step(by) {
      const pots = this.pots();
      const at = pots.findIndex((pot) => pot.dataset.pot === this.pot) + by;
      if (at >= 0 && at < pots.length) this.goTo(pots[at].dataset.pot);
      else this.status = by > 0 ? "This is the last pot of the row." : "This is the first pot of the row.";
    },
    next() {
      this.step(1);
    },
    before() {
      this.step(-1);
    },
    potLink(pot) {
      return this.pots().find((one) => one.dataset.pot === pot);
    },
    goTo(pot) {
      this.pot = pot;
      this.showPot();
      this.setGrade(this.$root.dataset.usualGrade);
      this.offerGrade();
      this.keepPot();
      this.status = `In hand: ${this.potLink(pot)?.dataset.title ?? ""}`;
      this.refresh("none");
    },
    // Whoever comes back after a call or a reload has the same pot in hand.
    keepPot() {
      const at = new URLSearchParams(location.search);
      at.set("crop", this.$root.dataset.crop);
      at.set("pot", this.pot);
      history.replaceState(history.state, "", `${location.pathname}?${at}`);
      const { crop } = this.$root.dataset;
      sessionStorage.setItem(this.ofPerson("pot"), JSON.stringify({ crop, pot: this.pot }));
    },
    potAsLeft() {
      const kept = JSON.parse(sessionStorage.getItem(this.ofPerson("pot")) ?? "{}");
      if (!kept.pot || location.search) return;
      if (kept.crop === this.$root.dataset.crop) {
        if (kept.pot === this.pot || !this.potLink(kept.pot)) return;
        this.goTo(kept.pot);
        this.status = `You were at ${this.potLink(kept.pot).dataset.place}.`;
      } else if (document.querySelector(`#crop option[value="${CSS.escape(kept.crop)}"]`)) {
        location.replace(`${location.pathname}?crop=${kept.crop}&pot=${kept.pot}`);
      }
    },
    showPot() {
      const link = this.potLink(this.pot);
      for (const label of this.$root.querySelectorAll("[data-size]"))
        label.hidden = label.dataset.crop !== link?.dataset.crop;
      const sizes = this.$root.querySelector("[data-sizes]");
      if (sizes) sizes.hidden = !sizes.querySelector("[data-size]:not([hidden])");
      const title = document.getElementById("pot-in-hand");
      if (link && title) {
        title.textContent = link.dataset.title;
        document.getElementById("pot-about").textContent = link.dataset.about;
        // What is pressed before the server has answered is for this pot too.
        for (const one of this.$root.querySelectorAll("[data-of-pot]")) {
          one.setAttribute(
            one.tagName === "FORM" ? "action" : "href",
            one.dataset.ofPot.replace(/\b0\b/, link.dataset.pot),
          );
        }
        const done = link.dataset.done === "yes";
        const button = this.$root.querySelector("form.lifted button");
        button?.setAttribute("aria-pressed", String(done));
        button?.querySelector("span").replaceChildren(`${done ? "Finished" : "All lifted"}: ${link.dataset.place}`);
      }
      this.showPlants();
      for (const one of this.pots()) {
        if (one.dataset.pot === this.pot) {
          one.setAttribute("aria-current", "true");
          one.scrollIntoView({ block: "nearest", inline: "center", behavior: isStill.matches ? "auto" : "smooth" });
        } else one.removeAttribute("aria-current");
      }
    },
    // The grades of each pot of the row; what the row shows may be older than what was just written here.
    writtenSoFar() {
      const pots = this.pots();
      const grades = pots.map(
        ({ dataset }) => new Set([...dataset.grades.split(" ").filter(Boolean), ...(this.mine[dataset.pot] ?? [])]),
      );
      const usual = (document.querySelector("[data-usual]")?.dataset.usual ?? "").split(" ").filter(Boolean);
      return { grades, usual, at: pots.findIndex((pot) => pot.dataset.pot === this.pot) };
    },
    notePlants(event) {
      const link = this.potLink(this.pot);
      if (event.visit === "others") this.others = null;
      if (link && (event.plants || event.visit === "others")) link.dataset.plants = event.plants ?? "";
      this.showPlants();
    },
    noteWritten(event) {
      document.getElementById("messages")?.replaceChildren();
      (this.mine[this.pot] ??= new Set()).add(event.grade);
      this.offerGrade();
    },
  }));
});
