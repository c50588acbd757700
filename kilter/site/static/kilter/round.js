// The picking round: a line for each crop, a few keys each, kept on the device like those of the bench.
import { Queue, follow, nothingWaits, hex, device, timeNow } from "./queue.js";

document.addEventListener("alpine:init", () => {
  Alpine.data("round", () => ({
    ...nothingWaits(),

    init() {
      this.queue = new Queue(this.$root);
      follow(this, this.queue);
      this.queue.onstored = (entries) => this.say(entries, (entry) => `Written: ${entry.event.typed}`);
      this.queue.onrefused = (entry, reason) => {
        const form = this.formOf(entry);
        if (!form) return false;
        form.querySelector("[name=typed]").value ||= entry.event.typed;
        this.tell(form, reason, true);
        return true;
      };
    },
    formOf(entry) {
      return this.$root.querySelector(
        `form[data-keys="${(entry.event.plantings ?? [entry.event.planting]).join(",")}"]`,
      );
    },
    tell(form, words, isProblem) {
      const said = form.querySelector(".said");
      said.textContent = words;
      said.classList.toggle("problem", isProblem);
    },
    say(entries, words) {
      for (const entry of entries) {
        const form = this.formOf(entry);
        if (form) this.tell(form, words(entry), false);
      }
    },
    write(event) {
      const form = event.target;
      const field = form.querySelector("[name=typed]");
      const typed = field.value.trim() === "=" ? form.dataset.last.trim() : field.value.trim();
      const rows = [...this.$root.querySelectorAll("form.pick-line")];
      const next = rows[rows.indexOf(form) + 1]?.querySelector("[name=typed]");
      if (typed !== "") {
        const keys = form.dataset.keys.split(",").map(Number);
        const from = keys.length === 1 ? { planting: keys[0] } : { plantings: keys, split_by: "plants" };
        const made = {
          client_id: hex(16),
          kind: "write",
          ...from,
          grade: form.elements.grade.value,
          typed,
          visit: "same",
          device,
          at: timeNow(this.$root),
        };
        this.queue.add(made, `${form.querySelector("label b").textContent} ${typed}`);
        field.value = "";
        this.tell(form, `Waits: ${typed}`, false);
      }
      (next ?? field).focus();
    },
    async dropIt(event) {
      await this.queue.outOfTray(event.currentTarget.dataset.id);
    },
    async takeBack(event) {
      const entry = await this.queue.outOfTray(event.currentTarget.dataset.id);
      const form = entry && this.formOf(entry);
      if (form) form.querySelector("[name=typed]").value = entry.event.typed;
    },
    wasEmptied() {},
  }));
});
