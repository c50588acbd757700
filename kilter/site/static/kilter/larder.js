// The larder: pick a crate, say what became of it; kept on the device like the lines of the bench.
document.addEventListener("alpine:init", () => {
  "use strict";
  const { Queue, follow, nothingWaits, hex, timeNow } = window.kilterQueue;
  const { resolved } = window.kilterLines;
  const SHOWN = { eaten: "Ate", given: "Gave", fed: "Fed", froze: "Froze", dried: "Dried", bottled: "Bottled", kept_to_plant: "Kept to plant",
    composted: "Composted", spoiled: "Spoiled", weighed: "Weighed again", moved: "Moved" };

  Alpine.data("larder", () => ({
    ...nothingWaits(),
    isOpen: false, hasPage: false, label: "", leftWords: "", address: "", said: "", hasSaid: false, canUndo: false, lastId: "", picked: null,

    init() {
      this.queue = new Queue(this.$root);
      follow(this, this.queue);
      this.queue.onstored = () => this.refresh();
      this.queue.onrefused = () => false;
      document.addEventListener("keydown", (event) => this.key(event));
    },
    pick(event) {
      const from = event.currentTarget;
      const { crate = "", crop = "", season = "", label, left, usual } = from.dataset;
      this.picked = { crate, crop, season, label, left: Number(left) };
      this.label = label;
      this.address = from.getAttribute("href") ?? "";
      this.hasPage = crate !== "";
      this.leftWords = `${this.weight(this.picked.left)} there.`;
      this.isOpen = true;
      for (const one of this.$root.querySelectorAll(".crate[data-open]")) delete one.dataset.open;
      const box = from.closest(".crate");
      if (box) box.dataset.open = "yes";
      this.field("typed").value = usual;
      this.field("when").value = "";
      this.field("note").value = "";
      // The panel has the keys, not the field, so that a letter says what became of it.
      this.$nextTick(() => document.getElementById("use-panel").focus({ preventScroll: true }));
    },
    close() { this.isOpen = false; this.picked = null; },
    field(name) { return this.$root.querySelector(`#use-panel [name="${name}"]`); },
    weight(mg) { return mg >= 1e6 ? `${(mg / 1e6).toFixed(2)} kg` : `${Math.round(mg / 1000)} g`; },
    key(event) {
      const { inField, lettersOn } = window.kilterKeys;
      if (event.key === "Escape" && this.isOpen) this.close();
      if (!this.isOpen || !lettersOn() || event.ctrlKey || event.metaKey || event.altKey || inField(event)) return;
      const button = this.$root.querySelector(`#use-panel [data-use-key="${CSS.escape(event.key)}"]`);
      if (button) { event.preventDefault(); button.click(); }
    },
    // A day that is said in words is read by the server, so that goes by the plain form.
    async take(event) {
      const form = event.target;
      const button = event.submitter;
      const isLook = button?.name === "is_look";
      const use = isLook ? "spoiled" : button?.value ?? "eaten";
      const typed = this.field("typed").value.trim();
      if (this.field("when").value.trim() !== "") {
        this.plain(form, use, isLook);
        return;
      }
      if (typed === "" && !isLook) {
        this.tell("Say how much: a weight such as 800 g, a count such as c6, half, or the rest.");
        this.field("typed").focus();
        return;
      }
      const to = this.field("to").value;
      if (use === "moved" && to === "") { this.tell("Say which store it goes to."); return; }
      const { crate, left } = this.picked;
      const mg = isLook ? 0 : resolved(typed, left);
      const made = { ...this.made(use, isLook ? "" : typed, mg), is_look: isLook, ...(use === "moved" ? { to: Number(to) } : {}) };
      const words = isLook ? `${this.label}: all good` : `${SHOWN[use]} ${typed} of ${this.label}`;
      this.lastId = made.client_id;
      this.tell(`${words}.`, true);
      if (mg !== null) this.lower(crate, left - mg);
      this.close();
      await this.queue.add(made, words);
    },
    made(use, typed, mg) {
      const { crate, crop, season, left } = this.picked;
      const of = crate ? { crate: Number(crate) } : { crop: Number(crop), season: Number(season) };
      const amount = mg === null ? {} : { mass_mg: mg };
      return { client_id: hex(16), kind: "use", use, typed, balance_mg: left, at: timeNow(this.$root), note: this.field("note").value, ...of, ...amount };
    },
    plain(form, use, isLook) {
      for (const [name, value] of Object.entries({ use, crate: this.picked.crate, crop: this.picked.crop, season: this.picked.season, ...(isLook ? { is_look: "on" } : {}) })) {
        const known = form.querySelector(`input[type="hidden"][name="${name}"]`) ?? form.appendChild(Object.assign(document.createElement("input"), { type: "hidden", name }));
        known.value = value;
      }
      form.submit();
    },
    // Until the server answers the shelf shows what is left by this device.
    lower(crate, left) {
      const link = crate && this.$root.querySelector(`[data-crate="${crate}"]`);
      if (!link) return;
      const fill = link.closest(".crate").querySelector("rect:last-of-type");
      const was = Number(link.dataset.left);
      if (fill && was > 0) {
        const height = Number(fill.getAttribute("height"));
        const now = Math.max(height * left / was, 0);
        fill.setAttribute("y", Number(fill.getAttribute("y")) + height - now);
        fill.setAttribute("height", now);
      }
      link.dataset.left = String(left);
      link.closest(".crate").querySelector(".crate-left").textContent = `${this.weight(left)} left`;
    },
    tell(words, canUndo = false) { this.said = words; this.hasSaid = true; this.canUndo = canUndo; },
    async undo() {
      const target = this.lastId;
      await this.queue.add({ client_id: hex(16), kind: "strike", target, at: timeNow(this.$root) }, `Struck: ${this.said}`);
      this.tell(`Struck: ${this.said}`);
    },
    async refresh() {
      const answer = await fetch(this.$root.dataset.here, { headers: { "HX-Request": "true" }, cache: "no-store" }).catch(() => null);
      if (!answer?.ok || (await this.queue.waiting()).length) return;
      const now = document.getElementById("larder-now");
      now.innerHTML = await answer.text();
      // Alpine sees new elements by itself; the picked crate may be another element now.
    },
    async dropIt(event) { await this.queue.outOfTray(event.currentTarget.dataset.id); },
    async keepIt(event) {
      const entry = await this.queue.outOfTray(event.currentTarget.dataset.id);
      if (entry) this.queue.keep(entry);
    },
    async takeBack(event) {
      const entry = await this.queue.outOfTray(event.currentTarget.dataset.id);
      const link = entry?.event.crate && this.$root.querySelector(`[data-crate="${entry.event.crate}"]`);
      if (!link) return;
      link.click();
      this.field("typed").value = entry.event.typed;
    },
    wasEmptied() {},
  }));
});
