import { t } from "@lingui/core/macro";
import type { Recipe } from "../../api/client";
import { parseNumber, plain } from "../../lib/format";

type Range = NonNullable<Recipe["height_ranges"]>[number];

const WORDS = {
  infill: "infill_density",
  walls: "walls",
  top: "top_layers",
  bottom: "bottom_layers",
} as const;

/** Height ranges as one line of text: "0-5: infill 50, walls 4; 20-30: infill 0". */
export function rangesText(ranges: readonly Range[]): string {
  return ranges
    .map((range) => {
      const what = Object.entries(WORDS).flatMap(([word, key]) => {
        const value = range[key];
        return value == null ? [] : [`${word} ${plain(key === "infill_density" ? value * 100 : value)}`];
      });
      return `${plain(range.from_mm)}-${plain(range.to_mm)}: ${what.join(", ")}`;
    })
    .join("; ");
}

/** The ranges that a line of text says. Throws a sentence where it says none. */
export function typedRanges(text: string): Range[] {
  return text
    .split(";")
    .filter((part) => part.trim() !== "")
    .map(typedRange);
}

function typedRange(text: string): Range {
  const [heights = "", choices = ""] = text.split(":");
  const ends = heights.split(/[-–]/).map(parseNumber);
  const [from, to] = ends;
  if (ends.length !== 2 || from === undefined || to === undefined || Number.isNaN(from) || Number.isNaN(to))
    throw new Error(t`“${text.trim()}” names no heights. Write one such as 0-5: infill 50, walls 4.`);
  const range: Range = { from_mm: from, to_mm: to };
  for (const choice of choices.split(",").filter((one) => one.trim() !== "")) {
    const [word = "", number = ""] = choice.trim().split(/\s+/);
    const key = WORDS[word.toLowerCase() as keyof typeof WORDS] as (typeof WORDS)[keyof typeof WORDS] | undefined;
    const value = parseNumber(number);
    if (key === undefined || Number.isNaN(value))
      throw new Error(t`“${choice.trim()}” is not known. Write infill, walls, top or bottom and a number.`);
    range[key] = key === "infill_density" ? value / 100 : value;
  }
  return range;
}

/** Angles as one line of text: "45; -45; 0". */
export function anglesText(angles: readonly number[]): string {
  return angles.map(plain).join("; ");
}

/** The angles that a line of text says, split by semicolons or spaces. Throws a sentence where one is none. */
export function typedAngles(text: string): number[] {
  return text
    .split(/[;\s°]+/)
    .filter((part) => part !== "")
    .map((part) => {
      const angle = parseNumber(part);
      if (Number.isNaN(angle) || Math.abs(angle) > 360) throw new Error(t`“${part}” is no angle. Write some such as 45; -45; 0.`);
      return angle;
    });
}
