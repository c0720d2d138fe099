// What scripts are looked through for: what the language itself makes a mistake of.
import js from "@eslint/js";
import globals from "globals";

export default [
  js.configs.recommended,
  { languageOptions: { ecmaVersion: 2022, sourceType: "module", globals: { ...globals.browser, ...globals.serviceworker } } },
  { files: ["web/assets/test/**"], languageOptions: { globals: globals.node } },
];
