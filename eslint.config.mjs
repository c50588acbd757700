// What the scripts are held to: make check runs it.
import js from "@eslint/js";
import globals from "globals";

export default [
  js.configs.recommended,
  {
    rules: {
      complexity: ["error", 15],
      eqeqeq: "error",
      "no-implied-eval": "error",
      "no-shadow": "error",
      "no-var": "error",
      "prefer-const": "error",
    },
  },
  {
    files: ["assets/js/*.js"],
    languageOptions: { sourceType: "script", globals: { ...globals.browser, Alpine: "readonly", htmx: "readonly" } },
  },
  { files: ["assets/js/worker.js"], languageOptions: { globals: globals.serviceworker } },
  { files: ["**/*.mjs"], languageOptions: { sourceType: "module", globals: globals.node } },
];
