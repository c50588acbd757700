// A long table is ordered by its heads and narrowed by a word; which, stands in the address, so that it can be shared.
import { inOrder, nameOf } from "./orders.js";

const LONG = 8; // rows from which on its heads are buttons
const VERY_LONG = 16; // and from which on it can be narrowed
const ready = new WeakSet();
const textOf = (cell) => cell.textContent.trim().replace(/\s+/g, " ");

function isRegular(table) {
  const heads = table.tHead?.rows;
  if (
    heads?.length !== 1 ||
    table.tBodies.length !== 1 ||
    table.querySelector("tbody :is(input, select, textarea):not([type=hidden])")
  )
    return false;
  const rows = [...table.tBodies[0].rows];
  return (
    rows.length >= LONG &&
    rows.every(
      (row) =>
        row.cells.length === heads[0].cells.length &&
        [...row.cells].every((cell) => cell.colSpan === 1 && cell.rowSpan === 1),
    )
  );
}

class Ordered {
  constructor(table, nth) {
    [this.table, this.nth, this.was] = [table, nth, [...table.tBodies[0].rows]];
    this.heads = [...table.tHead.rows[0].cells].filter((head) => textOf(head) && !head.querySelector(".sr-only"));
    for (const head of this.heads) this.offer(head);
    const controls = Object.assign(document.createElement("p"), { className: "table-controls no-print" });
    controls.append(this.orders());
    if (this.was.length >= VERY_LONG) controls.append(this.narrows());
    table.before(controls);
    this.show();
  }
  named(what) {
    return this.nth ? `${what}-${this.nth + 1}` : what;
  }
  asked(what) {
    return new URLSearchParams(location.search).get(this.named(what)) ?? "";
  }
  ask(what, value) {
    const address = new URL(location.href);
    if (value) address.searchParams.set(this.named(what), value);
    else address.searchParams.delete(this.named(what));
    history.replaceState(history.state, "", address);
    this.show();
  }
  offer(head) {
    const name = nameOf(textOf(head));
    const button = Object.assign(document.createElement("button"), { type: "button", className: "order-by" });
    button.append(...head.childNodes);
    head.append(button);
    head.dataset.order = name;
    // up, down, and as it was
    button.addEventListener("click", () =>
      this.ask("sort", { [name]: `-${name}`, [`-${name}`]: "" }[this.asked("sort")] ?? name),
    );
  }
  orders() {
    const label = Object.assign(document.createElement("label"), {
      className: "order-narrow",
      textContent: "In order of ",
    });
    this.choice = document.createElement("select");
    const options = [
      ["", "as they came"],
      ...this.heads.flatMap((head) => [
        [head.dataset.order, textOf(head)],
        [`-${head.dataset.order}`, `${textOf(head)}, the other way`],
      ]),
    ];
    for (const [value, words] of options) this.choice.append(new Option(words, value));
    this.choice.addEventListener("change", () => this.ask("sort", this.choice.value));
    label.append(this.choice);
    return label;
  }
  narrows() {
    const label = Object.assign(document.createElement("label"), { textContent: "Only rows with " });
    this.word = Object.assign(document.createElement("input"), {
      type: "search",
      value: this.asked("only"),
      autocomplete: "off",
    });
    this.word.addEventListener("input", () => this.ask("only", this.word.value.trim()));
    this.said = Object.assign(document.createElement("span"), { className: "quiet" });
    this.said.setAttribute("role", "status");
    label.append(this.word);
    const both = document.createElement("span");
    both.append(label, " ", this.said);
    return both;
  }
  show() {
    const sort = this.asked("sort");
    const name = sort.replace(/^-/, "");
    const head = this.heads.find((one) => one.dataset.order === name);
    for (const one of this.heads) {
      if (one === head) one.setAttribute("aria-sort", sort.startsWith("-") ? "descending" : "ascending");
      else one.removeAttribute("aria-sort");
    }
    this.choice.value = head ? sort : "";
    const texts = head ? this.was.map((row) => textOf(row.cells[head.cellIndex])) : [];
    const rows = head ? inOrder(texts, sort.startsWith("-")).map((i) => this.was[i]) : this.was;
    // what stands in order already is not moved, and keeps the focus
    if (rows.some((row, i) => this.table.tBodies[0].rows[i] !== row)) this.table.tBodies[0].append(...rows);
    const words = this.asked("only").toLowerCase().split(/\s+/).filter(Boolean);
    for (const row of rows) row.hidden = !words.every((word) => row.textContent.toLowerCase().includes(word));
    if (this.said)
      this.said.textContent = words.length ? `${rows.filter((row) => !row.hidden).length} of ${rows.length}` : "";
  }
}
function offerOrders() {
  [...document.querySelectorAll("#sheet table:is(.stacks, [data-copy])")]
    .filter((table) => ready.has(table) || isRegular(table))
    .forEach((table, nth) => {
      if (!ready.has(table)) new Ordered(table, nth);
      ready.add(table);
    });
}
document.addEventListener("DOMContentLoaded", offerOrders);
document.addEventListener("htmx:afterSettle", offerOrders);
