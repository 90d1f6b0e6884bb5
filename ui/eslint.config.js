import js from "@eslint/js";
import lingui from "eslint-plugin-lingui";
import reactHooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

export default tseslint.config(
  { ignores: ["src/api/schema.d.ts"] },
  js.configs.recommended,
  ...tseslint.configs.strictTypeChecked.map((config) => ({ ...config, files: ["src/**/*.{ts,tsx}"] })),
  {
    files: ["src/**/*.{ts,tsx}"],
    languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } },
    plugins: { "react-hooks": reactHooks, lingui },
    rules: {
      ...reactHooks.configs.recommended.rules,
      "@typescript-eslint/restrict-template-expressions": ["error", { allowNumber: true }],
      "@typescript-eslint/no-confusing-void-expression": ["error", { ignoreArrowShorthand: true }],
      "lingui/no-single-tag-to-translate": "error",
      "lingui/no-single-variables-to-translate": "error",
      "lingui/no-trans-inside-trans": "error",
    },
  },
  {
    // A text that is not marked cannot be translated: keys, classes and addresses are told from texts by their types,
    // by what they are given to, and by how they look.
    files: ["src/**/*.{ts,tsx}"],
    ignores: ["src/**/*.test.{ts,tsx}", "src/test/**", "src/features/layers/strokeMesh.ts"], // the latter holds shaders
    rules: {
      "lingui/no-unlocalized-strings": [
        "error",
        {
          useTsTypes: true,
          // Keys and addresses: one word in small letters, or what starts like a path; an SVG's path; units of a few letters.
          ignore: ["^[^\\p{L}]*$", "^\\S*$(?<!^\\p{Lu}\\p{Ll}+.*)", "^M(?!\\p{Ll})", "gradient\\(", "^/", "^(\\S*[-:]\\S* ?|[a-z]+ (?=\\S*-))+$"],
          ignoreNames: [{ regex: { pattern: "^className$|ClassName$" } }],
        },
      ],
    },
  },
);
