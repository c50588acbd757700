// Gathers libraries and fonts and builds the styles into kilter/site/static/kilter (committed).
import { execFileSync } from "node:child_process";
import { copyFileSync, mkdirSync } from "node:fs";

const out = "kilter/site/static/kilter";
const from = "node_modules";
mkdirSync(`${out}/fonts`, { recursive: true });
mkdirSync(`${out}/licences`, { recursive: true });
mkdirSync("tests/browser/vendor", { recursive: true });

const copies = [
  [`${from}/htmx.org/dist/htmx.min.js`, `${out}/htmx.min.js`],
  [`${from}/@alpinejs/csp/dist/cdn.min.js`, `${out}/alpine-csp.min.js`],
  [`${from}/axe-core/axe.min.js`, "tests/browser/vendor/axe.min.js"],
  ["assets/img/icon.svg", `${out}/icon.svg`],
  // The licence of each script and font stands beside them; Alpine's package holds none, so it is kept here.
  ["assets/licences/alpine.txt", `${out}/licences/alpine-csp.txt`],
  [`${from}/@vue/reactivity/LICENSE`, `${out}/licences/vue-reactivity.txt`],
  [`${from}/htmx.org/LICENSE`, `${out}/licences/htmx.txt`],
];
const fonts = {
  "atkinson-hyperlegible-next": ["latin-wght-normal", "latin-ext-wght-normal", "latin-wght-italic"],
  "atkinson-hyperlegible-mono": ["latin-wght-normal", "latin-ext-wght-normal"],
};
for (const [family, cuts] of Object.entries(fonts)) {
  copies.push([`${from}/@fontsource-variable/${family}/LICENSE`, `${out}/licences/${family}.txt`]);
  for (const cut of cuts) {
    const file = `${family}-${cut}.woff2`;
    copies.push([`${from}/@fontsource-variable/${family}/files/${file}`, `${out}/fonts/${file}`]);
  }
}
// Headings come in two weights, each half as large as all of them in one file.
copies.push([`${from}/@fontsource/bricolage-grotesque/LICENSE`, `${out}/licences/bricolage-grotesque.txt`]);
for (const cut of ["latin-400-normal", "latin-700-normal", "latin-ext-700-normal"]) {
  const file = `bricolage-grotesque-${cut}.woff2`;
  copies.push([`${from}/@fontsource/bricolage-grotesque/files/${file}`, `${out}/fonts/${file}`]);
}
for (const [source, target] of copies) copyFileSync(source, target);

execFileSync("npx", ["@tailwindcss/cli", "-i", "assets/kilter.css", "-o", `${out}/kilter.css`, "--minify"], {
  stdio: "inherit",
});
