/** The rows of the sheet, as the core's catalogue describes them, in the language of the page. */
import { i18n } from "@lingui/core";
import { generateMessageId } from "@lingui/message-utils/generateMessageId";
import catalogue from "./choices.json";

const inLanguage = i18n._.bind(i18n);

export const CHOICES = catalogue.map((row) => ({
  ...row,
  label: said(row.label),
  unit: said(row.unit),
  group: said(row.group),
  explain: said(row.explain),
  default: said(row.default),
  when: said(row.when),
  options: row.options.map((option: { value: string; label: string }) => ({ ...option, label: said(option.label) })),
}));

/**
 * These texts are data, which no macro sees: lingui.config.js collects them for translators under the same keys. In a
 * list, a message counts as taken apart already: nothing is to be filled in.
 */
function said(words: string): string {
  return words === "" ? words : inLanguage({ id: generateMessageId(words), message: [words] as unknown as string });
}
