import { t } from "@lingui/core/macro";
import type { Level, Varied } from "../../api/client";
import { CHOICES } from "../../api/choices";
import { plain } from "../../lib/format";

interface Option {
  value: string;
  label: string;
}

/** The options of a row that is picked; a yes or no has two. */
export function optionsOf(factor: Varied): Option[] {
  if (factor.kind === "yesno") return [{ value: "true", label: t`yes` }, { value: "false", label: t`no` }];
  return CHOICES.find((one) => one.key === factor.key)?.options ?? [];
}

/** Whether levels are typed, and not picked. */
export function isTyped(factor: Varied): boolean {
  return ["number", "whole", "percent"].includes(factor.kind);
}

/** Levels as they are typed: “0.2, 0.28 0.36”; of a percentage its hundredths. */
export function levelsText(levels: readonly Level[], factor: Varied): string {
  return levels.map((level) => (typeof level === "number" ? plain(factor.kind === "percent" ? 100 * level : level) : String(level))).join(factor.kind === "whole" ? ", " : " · ");
}

/** Typed levels. Throws where one is no number, or stands twice. */
export function typedLevels(text: string, factor: Varied): number[] {
  const words = text.split(/\s*[·;]\s*|,\s+|\s+/).filter((word) => word !== "");
  const found = words.map((word) => {
    const value = Number(word.replace(",", ".").replace(/%$/, ""));
    if (!Number.isFinite(value)) throw new Error(t`“${word}” is no number.`);
    if (factor.kind === "whole" && !Number.isInteger(value)) throw new Error(t`“${word}” is no whole number.`);
    return factor.kind === "percent" ? value / 100 : value;
  });
  if (found.length === 0) throw new Error(t`Type its levels, such as 2 · 3 · 4.`);
  if (new Set(found).size !== found.length) throw new Error(t`A level stands twice.`);
  return found;
}
