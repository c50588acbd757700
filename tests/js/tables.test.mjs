// How rows come in order, run without a browser.
import assert from "node:assert/strict";
import { test } from "node:test";

import { inOrder, nameOf, valueOf } from "../../kilter/site/static/kilter/orders.js";

const ordered = (texts, isDown = false) => Array.from(inOrder(texts, isDown), (i) => texts[i]);

test("weights come in order whatever their unit", () => {
  assert.deepEqual(ordered(["1.234 kg", "850 g", "2 lb 3 oz", "12 oz", ""]), [
    "12 oz",
    "850 g",
    "2 lb 3 oz",
    "1.234 kg",
    "",
  ]);
  assert.equal(valueOf("2 lb 3 oz").toFixed(3), (2 * 453.59237 + 3 * 28.349523125).toFixed(3));
  assert.equal(valueOf("850 g of 1.2 kg"), 850);
});

test("days come in order, vague ones in the middle of what is known", () => {
  const days = ["9 Aug 2026", "14 May 2026", "mid-May 2026", "spring 2026", "Nov 2025", "late May 2026"];
  assert.deepEqual(ordered(days), [
    "Nov 2025",
    "spring 2026",
    "14 May 2026",
    "mid-May 2026",
    "late May 2026",
    "9 Aug 2026",
  ]);
});

test("figures are figures, names keep their numbers in order, and what says nothing comes last either way", () => {
  assert.deepEqual(ordered(["1,200", "93 %", "−4", "~12", ""], true), ["1,200", "93 %", "~12", "−4", ""]);
  assert.deepEqual(ordered(["Crock 10", "Crock 2", "", "bed 1"]), ["bed 1", "Crock 2", "Crock 10", ""]);
  assert.deepEqual(ordered(["Crock 10", "Crock 2", "", "bed 1"], true), ["Crock 10", "Crock 2", "bed 1", ""]);
  assert.deepEqual(ordered(["b", "a", "b", "a"]).length, 4);
});

test("a head is named in the address by its words", () => {
  assert.equal(nameOf(" Length, m "), "length-m");
});
