import js from "@eslint/js";
import globals from "globals";

export default [
  { ignores: ["src/cattailer/web/static/vendor/"] },
  js.configs.recommended,
  {
    files: ["src/cattailer/web/static/js/**/*.js"],
    languageOptions: { ecmaVersion: 2023, sourceType: "module", globals: { ...globals.browser, htmx: "readonly" } },
    rules: {
      curly: ["error", "multi-line"], eqeqeq: "error", "max-len": ["error", { code: 200 }], "no-shadow": "error",
      "no-unused-vars": ["error", { args: "none" }], "no-var": "error", "prefer-const": "error",
    },
  },
  {
    files: ["src/cattailer/web/static/js/deck/listen-worklet.js"],
    languageOptions: { globals: { ...globals.audioWorklet } },
  },
];
