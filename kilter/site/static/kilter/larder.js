// The larder: pick a crate, say what became of it; kept on the device like the lines of the bench.
import { inField, lettersOn } from "./keys.js";
import { inUnit, leftAfter, pieceWords, resolved, shortly, spoken, turned, unitSign, unitWords } from "./lines.js";
import { Queue, follow, nothingWaits, hex, timeNow } from "./queue.js";

document.addEventListener("alpine:init", () => {
  const MEAL_MS = 20 * 60 * 1000;

  Alpine.data("larder", () => ({
    ...nothingWaits(),
    isOpen: false,
    hasPage: false,
    label: "",
    leftWords: "",
    address: "",
    said: "",
    hasSaid: false,
    mealId: "",
    mealAt: 0,
    canUndo: false,
    lastId: "",
    picked: null,
    usual: "",
    typedUnit: "",
    usualUnit: "",
    dayWords: "",

    init() {
      this.usualUnit = this.$root.dataset.unit;
      this.typedUnit = sessionStorage.getItem(this.unitKey()) ?? this.usualUnit;
      this.field("when")?.addEventListener("input", () => this.showDay());
      this.queue = new Queue(this.$root);
      follow(this, this.queue);
      this.queue.onstored = () => this.refresh();
      this.queue.onrefused = () => false;
      document.addEventListener("keydown", (event) => this.key(event));
      this.lowerAll();
    },
    // A page kept from before does not know what was taken since and waits to be sent.
    async lowerAll() {
      for (const { event } of await this.queue.waiting()) {
        const link = event.crate && event.mass_mg && this.$root.querySelector(`[data-crate="${event.crate}"]`);
        if (link) this.lower(String(event.crate), leftAfter(event.use, event.mass_mg, Number(link.dataset.left)));
      }
    },
    // The unit of a bare number is the person's, as at the bench.
    unitKey() {
      return `kilter-unit ${this.$root.dataset.who}`;
    },
    // Of what was only counted a bare number is pieces.
    isCounted() {
      return Boolean(this.picked && this.picked.left <= 0 && this.picked.pieces > 0);
    },
    typed() {
      const said = this.field("typed").value.trim();
      if (this.isCounted()) return said.replace(/^(\d+)( pieces?)?$/, "c$1");
      return inUnit(said, this.typedUnit, this.usualUnit);
    },
    resolved(typed, left) {
      return this.isCounted() ? null : resolved(typed, left);
    },
    get unitShown() {
      return this.isCounted() ? "pieces" : unitSign(this.typedUnit);
    },
    get unitLabel() {
      const next = unitWords(turned(this.typedUnit, this.usualUnit));
      return `A bare number is ${unitWords(this.typedUnit)}; press for ${next}`;
    },
    get usualWords() {
      return `as usual: ${this.usual}`;
    },
    turnUnit() {
      this.typedUnit = turned(this.typedUnit, this.usualUnit);
      sessionStorage.setItem(this.unitKey(), this.typedUnit);
    },
    // The day chosen stays for what is taken next, and stands by the name of what it is taken from.
    showDay() {
      const said = this.field("when").value.trim();
      this.dayWords = said ? `When: ${said}` : "";
    },
    pick(event) {
      const from = event.currentTarget;
      const { crate = "", crop = "", season = "", label, left, pieces = "0", usual } = from.dataset;
      this.picked = { crate, crop, season, label, left: Number(left), pieces: Number(pieces) };
      this.label = label;
      this.address = from.getAttribute("href") ?? "";
      this.hasPage = crate !== "";
      this.leftWords = `${this.isCounted() ? pieceWords(this.picked.pieces) : this.weight(this.picked.left)} there.`;
      this.isOpen = true;
      this.markNone();
      const box = from.closest(".crate");
      if (box) box.dataset.open = "yes";
      this.usual = usual;
      for (const name of ["typed", "to", "note"]) this.field(name).value = "";
      this.showDay();
      // The panel has the keys, not the field, so that a letter says what became of it.
      this.$nextTick(() => document.getElementById("use-panel").focus({ preventScroll: true }));
    },
    close() {
      this.isOpen = false;
      this.picked = null;
      this.markNone();
    },
    markNone() {
      for (const one of this.$root.querySelectorAll(".crate[data-open]")) delete one.dataset.open;
    },
    field(name) {
      return this.$root.querySelector(`#use-panel [name="${name}"]`);
    },
    weight(mg) {
      return shortly(mg, this.$root.dataset.system);
    },
    key(event) {
      if (event.key === "Escape" && this.isOpen) this.close();
      if (!this.isOpen || !lettersOn() || event.ctrlKey || event.metaKey || event.altKey || inField(event)) return;
      const button = this.$root.querySelector(`#use-panel [data-use-key="${CSS.escape(event.key)}"]`);
      if (button) {
        event.preventDefault();
        button.click();
      }
    },
    async take(event) {
      if (!this.picked) return; // a second tap on the way
      const button = event.submitter ?? this.$root.querySelector('#use-panel [name="use"]');
      const isLook = button.name === "is_look";
      const use = isLook ? button.dataset.use : button.value;
      const typed = this.typed();
      if (typed === "" && !isLook) {
        this.tell("Say how much: a weight such as 800 g, a count such as c6, half, or the rest.");
        this.field("typed").focus();
        return;
      }
      const to = this.field("to").value;
      if (use === "moved" && to === "") {
        this.tell("Say which store it goes to.");
        return;
      }
      const { crate, left } = this.picked;
      // The server says what pieces, half and the rest come to where no weight is known.
      const mg = isLook ? 0 : this.resolved(typed, left);
      const meal = "meal" in button.dataset ? this.meal() : "";
      const made = {
        ...this.made(use, isLook ? "" : typed, mg),
        meal,
        is_look: isLook,
        ...(use === "moved" ? { to: Number(to) } : {}),
      };
      const day = this.dayWords && ` (${made.when})`;
      const words = isLook
        ? `${this.label}: all good`
        : `${button.dataset.done} ${spoken(typed)} of ${this.label}${day}`;
      this.lastId = made.client_id;
      this.tell(`${words}.`, true);
      if (mg !== null) this.lower(crate, leftAfter(use, mg, left));
      this.close();
      await this.queue.add(made, words);
    },
    made(use, typed, mg) {
      const { crate, crop, season, left } = this.picked;
      const of = crate ? { crate: Number(crate) } : { crop: Number(crop), season: Number(season) };
      const amount = mg === null ? {} : { mass_mg: mg };
      return {
        client_id: hex(16),
        kind: "use",
        use,
        typed,
        balance_mg: left,
        at: timeNow(this.$root),
        note: this.field("note").value,
        when: this.field("when").value.trim(),
        ...of,
        ...amount,
      };
    },
    // What is eaten of several crates within twenty minutes is one meal.
    meal() {
      if (Date.now() - this.mealAt > MEAL_MS) this.mealId = hex(16);
      this.mealAt = Date.now();
      return this.mealId;
    },
    // Until the server answers the shelf shows what is left by this device.
    lower(crate, left) {
      const link = crate && this.$root.querySelector(`[data-crate="${crate}"]`);
      if (!link) return;
      const fill = link.closest(".crate").querySelector("rect:last-of-type");
      const was = Number(link.dataset.left);
      if (fill && was > 0) {
        const height = Number(fill.getAttribute("height"));
        const now = Math.max((height * left) / was, 0);
        fill.setAttribute("y", Number(fill.getAttribute("y")) + height - now);
        fill.setAttribute("height", now);
      }
      link.dataset.left = String(left);
      link.closest(".crate").querySelector(".crate-left").textContent = `${this.weight(left)} left`;
    },
    tell(words, canUndo = false) {
      this.said = words;
      this.hasSaid = true;
      this.canUndo = canUndo;
    },
    async undo() {
      const target = this.lastId;
      await this.queue.add(
        { client_id: hex(16), kind: "strike", target, at: timeNow(this.$root) },
        `Struck: ${this.said}`,
      );
      this.tell(`Struck: ${this.said}`);
    },
    async refresh() {
      const answer = await fetch(this.$root.dataset.here, {
        headers: { "HX-Request": "true" },
        cache: "no-store",
      }).catch(() => null);
      if (!answer?.ok || (await this.queue.waiting()).length) return;
      const now = document.getElementById("larder-now");
      now.innerHTML = await answer.text();
      // Alpine sees new elements by itself; the picked crate may be another element now.
    },
    async dropIt(event) {
      await this.queue.outOfTray(event.currentTarget.dataset.id);
    },
    async keepIt(event) {
      const entry = await this.queue.outOfTray(event.currentTarget.dataset.id);
      if (entry) this.queue.keep(entry);
    },
    async takeBack(event) {
      const { id } = event.currentTarget.dataset;
      const { crate, crop, season, ...said } =
        (await this.queue.tray()).find((one) => one.event.client_id === id)?.event ?? {};
      const from = this.$root.querySelector(
        crate ? `[data-crate="${crate}"]` : `[data-crop="${crop}"][data-season="${season}"]`,
      );
      if (!from) {
        this.tell("What it was taken from is on no shelf here any more. Save it as text, or discard it.");
        return;
      }
      await this.queue.outOfTray(id);
      from.click();
      for (const name of ["typed", "when", "note"]) this.field(name).value = said[name] ?? "";
      this.field("to").value = said.to ?? "";
    },
    wasEmptied() {},
  }));
});
