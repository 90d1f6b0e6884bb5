/**
 * The language of the page's own texts. English stands in the code; every other language is one file of src/locales,
 * named after its code, and is offered as soon as it is there. It is fetched before anything else of the page is
 * evaluated, so that a text may stand anywhere, outside of components too; another choice loads the page anew.
 */
import { i18n, type Messages } from "@lingui/core";

type Catalogue = () => Promise<{ messages: Messages }>;

export const SOURCE = "en";
/** English with accents on it: see pseudo.ts. */
export const PSEUDO = "pseudo";
const KEY = "meanbead.language";
const CATALOGUES = import.meta.glob<{ messages: Messages }>(["../locales/*.po", "!../locales/en.po"]);

/** The languages that there are: the code's own, and one for each catalogue. */
export function languages(catalogues: Record<string, Catalogue> = CATALOGUES): string[] {
  return [SOURCE, ...Object.keys(catalogues).map(codeOf)].sort();
}

/** The language that was chosen on this device, or else the first of the browser's that there is. */
export function chosenLanguage(wanted: readonly string[], stored: string | null, known: readonly string[]): string {
  if (stored !== null && (known.includes(stored) || stored === PSEUDO)) return stored;
  for (const tag of wanted) {
    const match = known.find((code) => tag === code || tag.startsWith(`${code}-`));
    if (match !== undefined) return match;
  }
  return SOURCE;
}

/** To be awaited before the page is loaded; where a catalogue cannot be had, the page speaks English. */
export async function speak(language = chosenLanguage(navigator.languages, storedLanguage(), languages()), catalogues: Record<string, Catalogue> = CATALOGUES): Promise<void> {
  const catalogue = Object.entries(catalogues).find(([path]) => codeOf(path) === language)?.[1];
  const found = await catalogue?.().catch(() => undefined);
  i18n.loadAndActivate({ locale: found ? language : SOURCE, messages: found?.messages ?? {} });
  if (language === PSEUDO) (await import("./pseudo")).accentEverything();
  if (typeof document !== "undefined") document.documentElement.lang = i18n.locale;
}

/** Keeps the choice on this device, and loads the page in it. */
export function choose(language: string): void {
  localStorage.setItem(KEY, language);
  window.location.reload();
}

export function storedLanguage(): string | null {
  try {
    return localStorage.getItem(KEY);
  } catch {
    return null; // a browser that keeps nothing
  }
}

function codeOf(path: string): string {
  return path.slice(path.lastIndexOf("/") + 1, -".po".length);
}
