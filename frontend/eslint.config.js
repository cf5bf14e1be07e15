import vue from "eslint-plugin-vue";
import tseslint from "typescript-eslint";

export default tseslint.config({ ignores: ["src/api/schema.d.ts"] }, ...tseslint.configs.recommended, ...vue.configs["flat/essential"], {
  files: ["**/*.vue"],
  languageOptions: { parserOptions: { parser: tseslint.parser } },
  rules: { "vue/multi-word-component-names": "off" },
});
