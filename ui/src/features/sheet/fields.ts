import { t } from "@lingui/core/macro";
import { CHOICES } from "../../api/choices";
import type { Recipe, RecipeColumn, Shelf } from "../../api/client";
import { parseNumber, plain } from "../../lib/format";
import { anglesText, rangesText, typedAngles, typedRanges } from "./ranges";

/** What a cell can hold. */
export type CellValue = number | string | boolean;

/** A choice: one row of the sheet. */
export interface Field {
  key: string;
  label: string;
  unit: string;
  group: string;
  /** What it does and what it costs, in a sentence or two. */
  explain: string;
  /** What it is where nobody has chosen, and why. */
  default: string;
  /** When it is worth changing; empty where there is nothing to say. */
  when: string;
  kind: "number" | "whole" | "percent" | "choice" | "yesno" | "ranges" | "angles" | "machine" | "nozzle" | "material" | "spool";
  options: readonly Option[];
  /** Bounds that are accepted, in the recipe's own unit. */
  low: number | null;
  high: number | null;
  /** Rows that people change every day; the others are folded away until they are asked for, or set. */
  everyday: boolean;
}

export interface Option {
  value: string;
  label: string;
}

type Path = readonly [keyof Recipe] | readonly [keyof Recipe, string];

/** Rows in the order in which people decide, from the core's own catalogue. Keys are dotted names in the recipe. */
export const FIELDS = CHOICES as unknown as readonly Field[];

export interface Shown {
  opened: ReadonlySet<string>;
  /** Words that a row's name, group or explanation has to hold; empty shows the usual rows. */
  search: string;
  /** Only rows in which some column differs from the first. */
  differing: boolean;
}

/** The fields to show: found ones; or those that differ; or everyday ones, those of opened groups, and whatever is set. */
export function shownFields(columns: readonly RecipeColumn[], { opened, search, differing }: Shown): Field[] {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  const set = (field: Field) => columns.some((column) => chosen(column, field) !== undefined);
  const differs = (field: Field) =>
    new Set(columns.filter((column) => !column.gcode || chosen(column, field) !== undefined).map((column) => String(effective(column, field)))).size > 1;
  return FIELDS.filter((field) => {
    if (words.length > 0) {
      const text = `${field.label} ${field.group} ${field.unit} ${field.explain}`.toLowerCase();
      return words.every((word) => text.includes(word));
    }
    if (differing) return differs(field);
    return field.everyday || opened.has(field.group) || set(field);
  });
}

/** Rows whose name is found come before those whose explanation is. */
export function foundByName(field: Field, search: string): boolean {
  return field.label.toLowerCase().includes(search.trim().toLowerCase());
}

function pathOf(field: Field): Path {
  return field.key.split(".") as unknown as Path;
}

/** The value at a field in a recipe; undefined where it is left open. Ranges as their text. */
export function valueIn(recipe: Recipe | undefined, field: Field): CellValue | undefined {
  const [first, second] = pathOf(field);
  const top = recipe?.[first];
  const value: unknown = second === undefined ? top : (top as Record<string, unknown> | null | undefined)?.[second];
  if (field.kind === "ranges") {
    const ranges = recipe?.height_ranges ?? [];
    return ranges.length > 0 ? rangesText(ranges) : undefined;
  }
  if (field.kind === "angles") {
    const angles = (value ?? []) as readonly number[];
    return angles.length > 0 ? anglesText(angles) : undefined;
  }
  return typeof value === "number" || typeof value === "string" || typeof value === "boolean" ? value : undefined;
}

/** A recipe with one field set, or left open with null. */
export function withValue(recipe: Recipe, field: Field, value: CellValue | null): Recipe {
  const [first, second] = pathOf(field);
  if (field.kind === "ranges") return { ...recipe, height_ranges: typedRanges(String(value ?? "")) };
  if (second === undefined) return { ...recipe, [first]: value };
  if (field.kind === "angles") return { ...recipe, [first]: { ...(recipe[first] as object), [second]: typedAngles(String(value ?? "")) } };
  return { ...recipe, [first]: { ...(recipe[first] as object), [second]: value } };
}

/** What is set in a column for a field, in the recipe's own unit. */
export function chosen(column: RecipeColumn, field: Field): CellValue | undefined {
  if (field.kind === "machine") return column.machine_id;
  if (field.kind === "nozzle") return column.nozzle_id;
  if (field.kind === "material") return column.material_id;
  if (field.kind === "spool") return column.spool_id ?? undefined;
  return valueIn(column.choices, field);
}

/** What a column will really be printed with: the choice, or what follows from the others. */
export function effective(column: RecipeColumn, field: Field): CellValue | undefined {
  return chosen(column, field) ?? valueIn(column.preview?.effective, field);
}

/** Rows that say what is printed with, which a replayed file needs, too. */
export function isShelf(field: Field): boolean {
  return field.kind === "machine" || field.kind === "nozzle" || field.kind === "material" || field.kind === "spool";
}

export function isPick(field: Field): boolean {
  return ["choice", "yesno", "machine", "nozzle", "material", "spool"].includes(field.kind);
}

/** Rows whose values lie on a scale: they have a curve. */
export function isNumber(field: Field): boolean {
  return field.kind === "number" || field.kind === "whole" || field.kind === "percent";
}

/** What was picked, in the recipe's own kind. */
export function pickedValue(text: string, field: Field): number | string | boolean {
  if (field.kind === "spool") return text === "" ? 0 : text;
  return field.kind === "yesno" ? text === "true" : text;
}

/** Options of a row that is picked from a list. */
export function optionsOf(field: Field, shelf: Shelf | undefined): { value: string; label: string }[] {
  const named = (rows: { id: number; name: string; removed: boolean }[] | undefined) =>
    (rows ?? []).map((row) => ({ value: String(row.id), label: row.removed ? t`${row.name}, removed` : row.name }));
  if (field.kind === "machine") return named(shelf?.machines);
  if (field.kind === "nozzle") return named(shelf?.nozzles);
  if (field.kind === "material") return named(shelf?.materials);
  if (field.kind === "spool") return [{ value: "", label: t`whichever is loaded, or the fullest` }, ...named(shelf?.spools)];
  return [...field.options];
}

/** A value as it stands in a cell, without its unit. */
export function shownValue(value: CellValue | undefined, field: Field, shelf: Shelf | undefined): string {
  if (value === undefined) return "";
  if (isPick(field)) return optionsOf(field, shelf).find((option) => option.value === String(value))?.label ?? "";
  if (typeof value !== "number") return String(value);
  return field.kind === "percent" ? plain(value * 100) : plain(value);
}

/** What was typed, in the recipe's own unit. Throws a sentence when it is no number. */
export function typedValue(text: string, field: Field): number | string | null {
  if (text.trim() === "") return null;
  if (field.kind === "ranges") return rangesText(typedRanges(text));
  if (field.kind === "angles") return anglesText(typedAngles(text));
  const value = parseNumber(text);
  if (Number.isNaN(value)) throw new Error(t`“${text}” is not a number. Type one such as 0.2, or clear the cell for the default.`);
  if (field.kind === "whole" && !Number.isInteger(value)) throw new Error(t`Type a whole number.`);
  return field.kind === "percent" ? value / 100 : value;
}

/** Whether a number lies within what is accepted. A lower bound of nothing is one that lengths and paces stay above. */
export function accepted(value: number, field: Field): boolean {
  const low = field.low ?? -Infinity;
  return value >= low && !(value <= 0 && low === 0 && field.kind === "number") && value <= (field.high ?? Infinity);
}

/** Bounds as people read them, such as “0.5 to 1.5” or “at most 2 mm”. */
export function boundsText(field: Field): string {
  const scale = field.kind === "percent" ? 100 : 1;
  const unit = field.unit && ` ${field.unit}`;
  if (field.low === null || field.high === null) return "";
  const above = field.low === 0 && field.kind !== "percent" && field.kind !== "whole";
  return above ? t`up to ${plain(field.high)}${unit}` : t`${plain(field.low * scale)} to ${plain(field.high * scale)}${unit}`;
}

/** What was pasted or typed for any kind of row, in the recipe's own kind. Throws a sentence where it fits none. */
export function readValue(text: string, field: Field, shelf: Shelf | undefined): CellValue | null {
  const trimmed = text.trim();
  if (!isPick(field)) return typedValue(trimmed, field);
  if (trimmed === "" && (!isShelf(field) || field.kind === "spool")) return null;
  const options = optionsOf(field, shelf);
  const option = options.find((one) => one.label.toLowerCase() === trimmed.toLowerCase() || one.value === trimmed);
  if (option === undefined)
    throw new Error(t`“${trimmed}” is none of the choices: ${options.map((one) => one.label).join(", ")}.`);
  return pickedValue(option.value, field);
}
