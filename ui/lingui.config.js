import { readdirSync } from "node:fs";
import process from "node:process";
import { URL } from "node:url";
import { defineConfig } from "@lingui/cli";
import { formatter } from "@lingui/format-po";
import babel from "@lingui/cli/api/extractors/babel";
import { generateMessageId } from "@lingui/message-utils/generateMessageId";

/** The rows of the sheet come from the core's own catalogue, as data: src/api/choices.ts reads them by the same keys. */
const choices = {
  match: (fileName) => fileName.endsWith("choices.json"),
  extract: (fileName, code, found) => {
    const texts = JSON.parse(code).flatMap((row) => [row.label, row.unit, row.group, row.explain, row.default, row.when, ...row.options.map((option) => option.label)]);
    for (const text of new Set(texts.filter((one) => one !== ""))) found({ id: generateMessageId(text), message: text, origin: [fileName, 1] });
  },
};

/** Each file of texts is a language: `npm run texts` brings all of them up to date. */
const languages = readdirSync(new URL("src/locales/", import.meta.url))
  .filter((name) => name.endsWith(".po"))
  .map((name) => name.slice(0, -".po".length));

export default defineConfig({
  sourceLocale: "en",
  locales: [...new Set(["en", ...languages])],
  catalogs: [{ path: `${process.env.TEXTS ?? "<rootDir>/src/locales"}/{locale}`, include: ["<rootDir>/src"], exclude: ["**/*.test.ts", "**/schema.d.ts"] }],
  format: formatter({ lineNumbers: false }),
  extractors: [babel, choices],
});
