/** Figures as people read them: times as h:mm, grams to 0.1. */

/** Seconds as h:mm, rounded to the minute; under ten minutes in words, so that short ones still differ. */
export function clock(seconds: number): string {
  if (seconds < 600) {
    const whole = Math.round(seconds);
    return whole < 60 ? `${whole} s` : `${Math.floor(whole / 60)} min ${whole % 60} s`;
  }
  const minutes = Math.round(seconds / 60);
  return `${Math.floor(minutes / 60)}:${two(minutes % 60)}`;
}

/** A difference in seconds with its sign, in the unit that suits it. */
export function clockDifference(seconds: number): string {
  const sign = seconds < 0 ? "−" : "+";
  const size = Math.abs(seconds);
  if (size < 0.5) return "same";
  return `${sign}${clock(size)}`;
}

export function fixed(value: number, digits: number): string {
  return value.toFixed(digits);
}

export function signed(value: number, digits: number): string {
  const shown = Math.abs(value).toFixed(digits);
  if (Number(shown) === 0) return "same";
  return `${value < 0 ? "−" : "+"}${shown}`;
}

/** A number without needless zeros: 0.2, 45, 0.44. */
export function plain(value: number): string {
  return String(Number(value.toFixed(4)));
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

function two(value: number): string {
  return String(value).padStart(2, "0");
}
