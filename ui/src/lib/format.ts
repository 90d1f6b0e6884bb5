import { i18n } from "@lingui/core";
import { t } from "@lingui/core/macro";

/** Figures as people read them: durations in one way everywhere, grams to 0.1, decimals and money as their locale has them. */

const locale = typeof navigator === "undefined" ? "en" : navigator.language;
/** The sign between whole and decimals. */
const MARK = new Intl.NumberFormat(locale).formatToParts(1.5).find((part) => part.type === "decimal")?.value ?? ".";

/** The workshop's currency, an ISO 4217 code; the page sets it as soon as it is known. */
let currency = "EUR";

export function setCurrency(code: string): void {
  currency = code;
}

/** How figures say that nothing differs. */
export function same(): string {
  return t`same`;
}

/** A duration, as meanbead/core/text/durations.py writes it: `48 s`, `4 min 48 s`, `18 min`, `1 h 05`. */
export function formatDuration(seconds: number): string {
  const whole = Math.round(seconds);
  if (whole < 60) return `${whole} s`;
  if (whole < 600) return whole % 60 === 0 ? `${whole / 60} min` : `${Math.floor(whole / 60)} min ${whole % 60} s`;
  const minutes = Math.round(seconds / 60);
  return minutes < 60 ? `${minutes} min` : `${Math.floor(minutes / 60)} h ${two(minutes % 60)}`;
}

/** A difference in seconds with its sign, in the unit that suits it. */
export function formatDurationDifference(seconds: number): string {
  const sign = seconds < 0 ? "−" : "+";
  const size = Math.abs(seconds);
  if (size < 0.5) return same();
  return `${sign}${formatDuration(size)}`;
}

/** A saving to be read at a glance: seconds below two minutes, whole minutes from there on. */
export function formatSaving(seconds: number): string {
  const size = Math.abs(seconds);
  if (size >= 60 && size < 120) return `${seconds < 0 ? "−" : "+"}${Math.round(size)} s`;
  return formatDurationDifference(size < 120 ? seconds : Math.sign(seconds) * 60 * Math.round(size / 60));
}

/** Grams of filament, to a tenth. */
export function formatGrams(grams: number): string {
  return `${fixed(grams, 1)} g`;
}

/** A difference in grams with its sign. */
export function formatGramsDifference(grams: number): string {
  const shown = signed(grams, 1);
  return shown === same() ? shown : `${shown} g`;
}

/** A whole number with its thousands apart. */
export function grouped(value: number): string {
  return new Intl.NumberFormat(locale).format(value);
}

/** For dates with words in them, which are in the language of the page; days come before months. */
export function ofWords(): string {
  return i18n.locale === "en" ? "en-GB" : i18n.locale;
}

/** Money in the workshop's own currency, as the locale writes it. */
export function formatMoney(amount: number): string {
  return new Intl.NumberFormat(locale, { style: "currency", currency }).format(amount);
}

/** A difference in money with its sign. */
export function formatMoneyDifference(amount: number): string {
  const shown = formatMoney(Math.abs(amount));
  return shown === formatMoney(0) ? same() : `${amount < 0 ? "−" : "+"}${shown}`;
}

/** How the currency is written beside a figure, such as “€”. */
export function currencyUnit(): string {
  const parts = new Intl.NumberFormat(locale, { style: "currency", currency }).formatToParts(1);
  return parts.find((part) => part.type === "currency")?.value ?? currency;
}

/** A number to so many digits; what rounds to zero has no sign. */
export function fixed(value: number, digits: number): string {
  const shown = value.toFixed(digits);
  return localised(Number(shown) === 0 ? (0).toFixed(digits) : shown);
}

export function signed(value: number, digits: number): string {
  const shown = Math.abs(value).toFixed(digits);
  if (Number(shown) === 0) return same();
  return `${value < 0 ? "−" : "+"}${localised(shown)}`;
}

/** A number without needless zeros: 0.2, 45, 0.44. */
export function plain(value: number): string {
  return localised(String(Number(value.toFixed(4))));
}

export function percent(share: number): string {
  return `${Math.round(share * 100)} %`;
}

/** A share of a difference, such as "−18 %"; nothing when there is nothing to compare with. */
export function percentDifference(value: number, base: number): string {
  if (base === 0) return "";
  const share = Math.round(((value - base) / base) * 100);
  return share === 0 ? "" : `${share < 0 ? "−" : "+"}${Math.abs(share)} %`;
}

/** A number as typed: comma or point, spaces and a trailing unit forgiven. NaN when it is none. */
export function parseNumber(text: string): number {
  const cleaned = text.trim().replace(",", ".").replace(/\s*[a-zµ°%/³²]+$/i, "");
  return cleaned === "" ? Number.NaN : Number(cleaned);
}

/** A moment as one speaks of it: “just now”, “14:02”, its day and hour, or its day and year. */
export function moment(at: string | Date, now: Date = new Date()): string {
  const when = new Date(at);
  return Math.abs(now.getTime() - when.getTime()) < 60_000 ? t`just now` : hourOf(when, now);
}

/** The hour of a moment, with its day where that is another than today. */
export function hourOf(at: string | Date, now: Date = new Date()): string {
  const when = new Date(at);
  const sameDay = when.toDateString() === now.toDateString();
  const hour: Intl.DateTimeFormatOptions = { hour: "2-digit", minute: "2-digit" };
  const day: Intl.DateTimeFormatOptions = { day: "numeric", month: "short" };
  const shown = sameDay ? hour : when.getFullYear() === now.getFullYear() ? { ...day, ...hour } : { ...day, year: "numeric" as const };
  return new Intl.DateTimeFormat(locale, shown).format(when);
}

function localised(digits: string): string {
  return digits.replace(".", MARK);
}

function two(value: number): string {
  return String(value).padStart(2, "0");
}
