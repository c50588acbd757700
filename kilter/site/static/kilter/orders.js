// In which order the cells of a column come, whatever they hold; without page or network: node tests it on its own.
const MONTHS = ["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"];
const SEASONS = { winter: 0, spring: 3, summer: 6, autumn: 9 };
const PARTS = { early: 5, mid: 15, late: 25 };
const GRAMS = { mg: 0.001, g: 1, kg: 1000, oz: 28.349523125, lb: 453.59237 };
const number = (text) => Number(text.replace(/,/g, ""));

// A day as people write it, as days that only have to come in order; null for what is none.
function dayOf(text) {
  const found = /(?:(\d{1,2})(?:st|nd|rd|th)?\s+|\b(early|mid|late)[\s-]+)?\b([a-z]{3})[a-z]*\.?\s+(\d{4})\b/i.exec(
    text,
  );
  const month = found ? MONTHS.indexOf(found[3].toLowerCase()) : -1;
  if (month >= 0) return Number(found[4]) * 372 + month * 31 + Number(found[1] ?? PARTS[found[2]?.toLowerCase()] ?? 15);
  const season = /\b(winter|spring|summer|autumn)\s+(\d{4})\b/i.exec(text);
  return season ? Number(season[2]) * 372 + SEASONS[season[1].toLowerCase()] * 31 + 15 : null;
}
// A weight in grams, whatever its unit; two of them where it is in pounds and ounces.
function gramsOf(text) {
  const parts = [...text.matchAll(/(\d[\d,]*(?:\.\d+)?)\s*(mg|kg|g|lb|oz)\b/g)];
  return parts.length
    ? parts.slice(0, parts[0][2] === "lb" ? 2 : 1).reduce((sum, [, much, unit]) => sum + number(much) * GRAMS[unit], 0)
    : null;
}
function figureOf(text) {
  const found = /^[^\w−-]*([−-]?\d[\d,]*(?:\.\d+)?)/.exec(text);
  return found ? number(found[1].replace("−", "-")) : null;
}
const valueOf = (text) => dayOf(text) ?? gramsOf(text) ?? figureOf(text);

// The order of a column's cells, by their places: what says nothing comes last, whichever way.
function inOrder(texts, isDown) {
  const values = texts.map((text) => (text ? valueOf(text) : null));
  const filled = texts.filter(Boolean).length;
  const isFigures =
    filled > 0 &&
    values.filter((one) => one !== null).length * 2 > filled &&
    !texts.some((text) => /^[a-z‘“]/i.test(text) && dayOf(text) === null);
  const turn = isDown ? -1 : 1;
  return texts
    .map((_, i) => i)
    .sort((a, b) => {
      const [none, other] = isFigures ? [values[a] === null, values[b] === null] : [!texts[a], !texts[b]];
      if (none || other) return none - other || a - b;
      const apart = isFigures
        ? values[a] - values[b]
        : texts[a].localeCompare(texts[b], "en", { numeric: true, sensitivity: "base" });
      return turn * apart || a - b;
    });
}
const nameOf = (words) =>
  words
    .trim()
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]+/gu, "-")
    .replace(/^-|-$/g, "");
export { inOrder, nameOf, valueOf };
