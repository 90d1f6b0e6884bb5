import { t } from "@lingui/core/macro";
import type { RecipeColumn, Shelf } from "../../api/client";
import { effective, FIELDS, shownValue, type Field } from "./fields";

const MOST = 3;

/** Rows that follow from others when nobody has chosen them, and so say nothing new. */
function chosenApart(column: RecipeColumn, first: RecipeColumn, field: Field): boolean {
  const key = field.key;
  if (key === "machine" || key === "nozzle" || key === "material") return effective(column, field) !== effective(first, field);
  if (key === "spool") return false;
  const path = key.split(".");
  const set = (one: RecipeColumn) => path.reduce<unknown>((at, name) => (at as Record<string, unknown> | null | undefined)?.[name], one.choices) != null;
  return (set(column) || set(first)) && effective(column, field) !== effective(first, field);
}

/** What differs from the first column, in words: what somebody has chosen, not what follows from it. */
export function storyOf(column: RecipeColumn, first: RecipeColumn, shelf: Shelf | undefined): string {
  if (column.id === first.id) return "";
  if (column.gcode) return t`replays ${column.gcode.file_name}`;
  if (first.gcode) return "";
  const apart = FIELDS.filter((field) => chosenApart(column, first, field));
  if (apart.length === 0) return t`as the first`;
  const told = apart.slice(0, MOST).map((field) => {
    const value = shownValue(effective(column, field), field, shelf) || t`open`;
    const named = field.kind === "machine" || field.kind === "nozzle" || field.kind === "material" || field.kind === "choice";
    return named ? value : `${field.label.toLowerCase()} ${value}${field.unit === "%" ? " %" : ""}`;
  });
  const rest = apart.length - told.length;
  return `${told.join(", ")}${rest > 0 ? t` and ${rest} more` : ""}`;
}
