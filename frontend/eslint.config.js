import svelte from "eslint-plugin-svelte";
import globals from "globals";
import ts from "typescript-eslint";
import svelteConfig from "./svelte.config.js";

export default ts.config(
  { ignores: ["node_modules/", "src/lib/api-types.ts"] },
  ...ts.configs.recommended,
  ...svelte.configs.recommended,
  {
    // maps here are replaced whole in raw state or live outside of it, never changed under the reader's eyes
    rules: { "svelte/prefer-svelte-reactivity": "off" },
  },
  { languageOptions: { globals: { ...globals.browser } } },
  {
    files: ["**/*.svelte", "**/*.svelte.ts"],
    languageOptions: {
      parserOptions: { parser: ts.parser, extraFileExtensions: [".svelte"], svelteConfig },
    },
  },
);
