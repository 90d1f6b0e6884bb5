/** Every text of the page with accents on it: what stands there without them cannot be translated. For tests, and for whoever adds texts. */
import { i18n } from "@lingui/core";

type Token = string | [name: string, kind?: string, cases?: unknown];
type Said = { message?: unknown };

const ACCENT = "\u0301";

/** Texts are accented as they are asked for: nothing has to be written down for it. */
export function accentEverything(): void {
  const plain = i18n._.bind(i18n);
  const accented: typeof i18n._ = (text, values?: Record<string, unknown>, options?: object) =>
    typeof text === "string" ? plain(text, values, of(options ?? {})) : plain(of(text));
  i18n._ = accented;
}

function of<Text extends object>(text: Text & Said): Text {
  return { ...text, message: Array.isArray(text.message) ? marked(text.message as Token[]) : text.message };
}

/** Accents on words, not on the names of what is filled in, nor on marks such as `<0>`. */
function marked(tokens: readonly Token[]): Token[] {
  return tokens.map((token) => {
    if (typeof token === "string") return token.replace(/<[^>]*>|[aeiou]/gi, (one) => (one.length > 1 ? one : one + ACCENT));
    const [name, kind, cases] = token;
    if (typeof cases !== "object" || cases === null) return token;
    return [name, kind, Object.fromEntries(Object.entries(cases).map(([key, said]) => [key, Array.isArray(said) ? marked(said as Token[]) : (said as unknown)]))];
  });
}
