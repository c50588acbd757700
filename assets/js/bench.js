// The bench: what is typed, which pot and grade it is for, and the events that carry it to the server.
document.addEventListener("alpine:init", () => {
  "use strict";
  const hex = (bytes) => Array.from(crypto.getRandomValues(new Uint8Array(bytes)), (b) => b.toString(16).padStart(2, "0")).join("");
  const device = localStorage.getItem("kilter-device") ?? hex(16);
  localStorage.setItem("kilter-device", device);
  const GRADES = { t: "table", s: "small", e: "seed", h: "hurt", u: "unripe", l: "lost" };
  const LINE_KEYS = /^[0-9.,/ a-zA-Z½¼¾]$/;

  function localTime(shiftDays) {
    const now = new Date(Date.now() + shiftDays * 86400000);
    const two = (n) => String(Math.trunc(Math.abs(n))).padStart(2, "0");
    const off = -now.getTimezoneOffset();
    const local = new Date(now.getTime() + off * 60000).toISOString().slice(0, 19);
    return `${local}${off < 0 ? "-" : "+"}${two(off / 60)}:${two(off % 60)}`;
  }

  Alpine.data("bench", () => ({
    line: "", count: null, tare: "", grade: "table", pot: null, pile: "", number: 0,
    big: "0", unit: "", small: "", countWords: "", problem: "", status: "", asksEmptied: false,
    written: [], mine: {}, readTimer: 0, readSerial: 0, sending: Promise.resolve(),

    init() {
      this.line = document.getElementById("typed")?.value ?? "";
      this.problem = document.getElementById("typed-problem")?.textContent.trim() ?? "";
      this.takePot();
      this.markGrade();
      this.read();
      this.$watch("line", () => {
        this.$root.dataset.typing = this.line === "" ? "no" : "yes";
        this.problem = "";
        clearTimeout(this.readTimer);
        this.readTimer = setTimeout(() => this.read(), 60);
      });
      document.addEventListener("keydown", (event) => this.key(event));
      this.$root.addEventListener("click", (event) => this.tapped(event));
      document.getElementById("crop")?.addEventListener("change", (event) => event.target.form.submit());
    },

    get countShown() { return this.count === null ? "–" : String(this.count); },
    get pilePressed() { return this.pile === "" ? "false" : "true"; },

    takePot() {
      const now = this.$root.querySelector('.pot[aria-current="true"]');
      this.pot = now ? now.dataset.pot : null;
    },
    markGrade() {
      for (const label of this.$root.querySelectorAll("[data-grade]")) {
        label.querySelector("input").checked = label.dataset.grade === this.grade;
      }
    },
    setGrade(grade) { this.grade = grade; this.markGrade(); },

    tapped(event) {
      const pot = event.target.closest("a[data-pot]");
      if (pot) {
        event.preventDefault();
        this.goTo(pot.dataset.pot);
        return;
      }
      const grade = event.target.closest("[data-grade]");
      if (grade) this.setGrade(grade.dataset.grade);
    },

    // Letters are commands on an empty line and units within one; nothing acts while a field has the cursor.
    key(event) {
      const { lettersOn, inField } = window.kilterKeys;
      if (event.ctrlKey || event.metaKey || event.altKey || inField(event) || event.defaultPrevented) return;
      if (document.querySelector("dialog[open]")) return;
      if (event.key === "Enter" && this.line !== "" && !event.target.closest("button, a, summary")) {
        event.preventDefault();
        this.write();
      } else if (event.key === "Backspace" && this.line !== "") {
        event.preventDefault();
        this.line = this.line.slice(0, -1);
      } else if (event.key === "Escape") {
        this.line = "";
      } else if (this.line === "" && /^[a-z]$/.test(event.key) && event.key !== "c") {
        if (lettersOn()) this.command(event.key);
      } else if (LINE_KEYS.test(event.key) && (event.key !== " " || this.line !== "")) {
        event.preventDefault();
        if (event.key === "0" && this.line === "") this.zero();
        this.line += event.key;
      }
    },
    command(letter) {
      if (letter in GRADES) this.setGrade(GRADES[letter]);
      else if (letter === "n") this.next();
      else if (letter === "b") this.before();
      else if (letter === "z") this.undo();
      else if (letter === "p") this.togglePile();
      else if (letter === "f") this.$root.querySelector("form.lifted button")?.click();
    },
    tapKey(event) { this.line += event.currentTarget.dataset.figure; },
    rub() { this.line = this.line.slice(0, -1); },
    more() { this.count = (this.count ?? 0) + 1; },
    fewer() { this.count = this.count && this.count > 1 ? this.count - 1 : null; },

    zero() { if (this.pile !== "") this.startPile(); },
    startPile() { this.pile = hex(16); this.number = 0; this.status = "A new pile: type what the scale shows after each load."; },
    togglePile() {
      if (this.pile === "") this.startPile();
      else { this.pile = ""; this.status = "Each load is zeroed."; }
    },
    newPile() { this.asksEmptied = false; this.problem = ""; this.startPile(); this.write(); },

    async read() {
      const serial = ++this.readSerial;
      try {
        const answer = await fetch(`${this.$root.dataset.read}?typed=${encodeURIComponent(this.line)}`);
        const said = await answer.json();
        if (serial !== this.readSerial) return;
        if (said.problem) { this.big = this.line; this.unit = ""; this.small = ""; return; }
        this.big = said.big || this.line;
        this.unit = said.unit;
        this.small = said.small;
        this.$root.querySelector("[data-big]")?.classList.toggle("long", this.big.length > 6);
        this.countWords = said.count === null ? "" : `${said.count} counted`;
        this.$root.querySelector("[data-pointer]")?.setAttribute("transform", `rotate(${said.angle})`);
        said.labels.forEach((label, i) => {
          const text = this.$root.querySelector(`[data-part="${i}"]`);
          if (text) text.textContent = label;
        });
      } catch {
        this.big = this.line || "0";
      }
    },

    typedNow() {
      if (this.count === null) return this.line.trim();
      return `${this.line.trim()} c${this.count}`.trim();
    },
    write() {
      const typed = this.typedNow();
      if (typed === "" || this.pot === null) {
        this.problem = this.pot === null ? "There is no pot in hand." : "Type a weight, a count, or both: 940 12.";
        return;
      }
      const event = {
        client_id: hex(16), kind: "write", planting: Number(this.pot), grade: this.grade, typed,
        tare: this.pile === "" ? this.tare : "", device, pile: this.pile, number: ++this.number, at: localTime(Number(this.$root.dataset.shiftDays)),
      };
      const [line, count] = [this.line, this.count];
      this.line = "";
      this.count = null;
      this.asksEmptied = false;
      this.noteWritten(event);
      this.send(event, () => this.written.push(event.client_id), (reason) => {
        this.mine = {};
        this.line = this.line || line;
        this.count = this.count ?? count;
        this.$nextTick(() => { this.problem = reason; });
        this.asksEmptied = reason.startsWith("The reading fell");
      });
    },
    undo() {
      const last = this.written.pop() ?? [...this.$root.querySelectorAll("tr[data-line]:not(.struck)")].at(-1)?.dataset.line;
      this.mine = {};
      if (!last) { this.status = "Nothing to undo on today's tape."; return; }
      this.send({ client_id: hex(16), kind: "strike", target: last, device }, () => { this.status = "Struck; it can be put back on the tape."; }, (reason) => { this.problem = reason; });
    },

    // One at a time and in order; a line leaves only when the server has echoed its id.
    send(event, done, refused) {
      this.sending = this.sending.then(async () => {
        try {
          const answer = await fetch(this.$root.dataset.events, {
            method: "POST",
            headers: { "Content-Type": "application/json", "X-CSRFToken": JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"] },
            body: JSON.stringify({ events: [event] }),
          });
          const said = answer.headers.get("Content-Type")?.startsWith("application/json") ? await answer.json() : {};
          if (said.stored?.includes(event.client_id)) done();
          else refused(said.refused?.[0]?.reason ?? said.problem ?? "It was not stored. Are you still signed in, and allowed to write? Try again.");
        } catch {
          refused("There is no answer from Kilter. The line is kept here; write it again when the connection is back.");
        }
        await this.refresh();
      });
    },
    async refresh() {
      const root = this.$root.dataset;
      try {
        const answer = await fetch(`${root.benchUrl}?crop=${root.crop}&pot=${this.pot ?? ""}`, { headers: { "HX-Request": "true" } });
        if (!answer.ok) return;
        const page = new DOMParser().parseFromString(await answer.text(), "text/html");
        for (const id of ["bench-head", "bench-tape"]) {
          const fresh = page.getElementById(id);
          if (fresh) document.getElementById(id).replaceChildren(...fresh.childNodes);
        }
        this.showPot();
      } catch { /* the tape is shown anew with the next answer */ }
    },

    pots() { return [...this.$root.querySelectorAll("a[data-pot]")]; },
    step(by) {
      const pots = this.pots();
      const at = pots.findIndex((pot) => pot.dataset.pot === this.pot) + by;
      if (at >= 0 && at < pots.length) this.goTo(pots[at].dataset.pot);
    },
    next() { this.step(1); },
    before() { this.step(-1); },
    goTo(pot) {
      this.pot = pot;
      this.setGrade("table");
      this.showPot();
      this.sending = this.sending.then(() => this.refresh());
    },
    showPot() {
      for (const one of this.pots()) {
        if (one.dataset.pot === this.pot) {
          one.setAttribute("aria-current", "true");
          one.scrollIntoView({ block: "nearest", inline: "nearest" });
        } else one.removeAttribute("aria-current");
      }
    },
    // A pot is in when it has every grade that the pot written before it got; then the next empty one is offered.
    noteWritten(event) {
      const pots = this.pots();
      const at = pots.findIndex((pot) => pot.dataset.pot === this.pot);
      if (at < 0) return;
      (this.mine[this.pot] ??= new Set()).add(event.grade);
      // What the strip shows may be older than what was just written here.
      const grades = (pot) => new Set([...pot.dataset.grades.split(" ").filter(Boolean), ...(this.mine[pot.dataset.pot] ?? [])]);
      const here = grades(pots[at]);
      const expected = at > 0 ? grades(pots[at - 1]) : new Set();
      if (expected.size === 0 || ![...expected].every((grade) => here.has(grade))) return;
      const empty = pots.slice(at + 1).find((pot) => grades(pot).size === 0);
      if (empty) this.goTo(empty.dataset.pot);
    },
  }));
});
