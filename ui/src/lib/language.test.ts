import { i18n } from "@lingui/core";
import { t } from "@lingui/core/macro";
import { afterAll, expect, test } from "vitest";
import { chosenLanguage, languages, PSEUDO, speak } from "./language";

const parts = (count: number) => t`${count} parts in the house`;
const name = "Herb <0>trough</0>";
const kept = () => t`Kept: ${name}`;

/** A catalogue as it is built from a file of src/locales: the texts above, one of them in another language. */
const catalogues: NonNullable<Parameters<typeof speak>[1]> = { "../locales/nl.po": () => Promise.resolve({ messages: { [idOf(() => parts(3))]: [["count"], " delen in huis"] } }) };

/** The key under which a text is asked for. */
function idOf(ask: () => string): string {
  let id = "";
  const forget = i18n.on("missing", (event) => (id = event.id));
  ask();
  forget();
  return id;
}

afterAll(() => speak("en", {}));

test("the first of the browser's languages that there is, unless one was chosen", () => {
  const known = ["de", "en", "nl"];
  expect(chosenLanguage(["fr-CH", "de-AT", "nl"], null, known)).toBe("de");
  expect(chosenLanguage(["den"], null, known)).toBe("en");
  expect(chosenLanguage(["de"], "nl", known)).toBe("nl");
  expect(chosenLanguage(["de"], "fr", known)).toBe("de");
  expect(chosenLanguage([], PSEUDO, known)).toBe(PSEUDO);
});

test("a file of texts is a language: nothing else has to be told of it", async () => {
  expect(languages(catalogues)).toEqual(["en", "nl"]);
  await speak("nl", catalogues);
  expect(i18n.locale).toBe("nl");
  expect(parts(3)).toBe("3 delen in huis");
  expect(kept()).toBe("Kept: Herb <0>trough</0>"); // not translated yet
});

test("a catalogue that cannot be had leaves the page in English", async () => {
  await speak("nl", { "../locales/nl.po": () => Promise.reject(new Error("away")) });
  expect(i18n.locale).toBe("en");
  expect(parts(3)).toBe("3 parts in the house");
});

test("accents on every word of the page, and on nothing that people wrote", async () => {
  await speak(PSEUDO, {});
  expect(kept().normalize("NFC")).toBe("Képt: Herb <0>trough</0>");
  expect(parts(3).normalize("NFC")).toBe("3 párts ín thé hóúsé");
});
