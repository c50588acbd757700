// What the scripts are held to: make check runs it.
import js from "@eslint/js";
import globals from "globals";

export default [
  { ignores: ["**/*.min.js"] },
  js.configs.recommended,
  {
    rules: {
      complexity: ["error", 15],
      eqeqeq: "error",
      "no-implied-eval": "error",
      "no-shadow": "error",
      "max-len": ["error", { code: 120, ignoreStrings: true, ignoreTemplateLiterals: true }],
      "no-var": "error",
      "prefer-const": "error",
    },
  },
  {
    files: ["kilter/site/static/kilter/*.js"],
    languageOptions: { sourceType: "module", globals: { ...globals.browser, Alpine: "readonly", htmx: "readonly" } },
  },
  {
    files: ["kilter/site/static/kilter/worker.js"],
    languageOptions: { sourceType: "script", globals: globals.serviceworker },
  },
  { files: ["**/*.mjs"], languageOptions: { sourceType: "module", globals: globals.node } },
];
