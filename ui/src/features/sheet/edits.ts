import type { RecipeColumn, RecipeEdit } from "../../api/client";
import { chosen, FIELDS, withValue, type CellValue } from "./fields";

/** One change of one cell, small enough to be kept across a reload. `key` is a field's key, or "name". */
export interface CellEdit {
  recipe: number;
  key: string;
  value: CellValue | null;
}

export type Change = Omit<RecipeEdit, "version">;

/** What to send for an edit, worked out from the column as it stands when its turn comes. */
export function changeFor(edit: CellEdit, column: RecipeColumn): Change {
  if (edit.key === "name") return { name: String(edit.value) };
  const field = FIELDS.find((one) => one.key === edit.key);
  if (field === undefined) return {};
  if (field.kind === "machine") return { machine_id: Number(edit.value) };
  if (field.kind === "nozzle") return { nozzle_id: Number(edit.value) };
  if (field.kind === "material") return { material_id: Number(edit.value) };
  if (field.kind === "spool") return { spool_id: Number(edit.value) || null };
  return { choices: withValue(column.choices, field, edit.value) };
}

/** What to send for several edits of one column at once. */
export function changesFor(edits: readonly CellEdit[], column: RecipeColumn): Change {
  let whole: Change = {};
  let standing = column;
  for (const edit of edits) {
    const change = changeFor(edit, standing);
    whole = { ...whole, ...change };
    standing = { ...standing, ...change } as RecipeColumn;
  }
  return whole;
}

/** Whether a column still holds what it held at the edited cell; others may have changed the rest. */
export function sameAt(edit: CellEdit): (before: RecipeColumn, stored: RecipeColumn) => boolean {
  const field = FIELDS.find((one) => one.key === edit.key);
  const at = (column: RecipeColumn) => (field === undefined ? column.name : chosen(column, field));
  return (before, stored) => at(before) === at(stored);
}

/** The change that takes a change back. */
export function inverse(change: Change, before: RecipeColumn): Change {
  const back: Change = {};
  if (change.name != null) back.name = before.name;
  if (change.machine_id != null) back.machine_id = before.machine_id;
  if (change.nozzle_id != null) back.nozzle_id = before.nozzle_id;
  if (change.material_id != null) back.material_id = before.material_id;
  if (change.spool_id !== undefined) {
    // A spool brings its material.
    back.spool_id = before.spool_id;
    if (before.spool_id == null) back.material_id = before.material_id;
  }
  if (change.choices != null) back.choices = before.choices;
  return back;
}

const KEY = "meanbead.unsent";

/** Edits that wait for their turn, kept with the tab: a reload in the middle loses none. */
export const unsent = {
  all(): CellEdit[] {
    try {
      const stored: unknown = JSON.parse(sessionStorage.getItem(KEY) ?? "[]");
      return Array.isArray(stored) ? (stored as CellEdit[]) : [];
    } catch {
      return [];
    }
  },
  add(edit: CellEdit): void {
    sessionStorage.setItem(KEY, JSON.stringify([...unsent.all(), edit]));
  },
  remove(edit: CellEdit): void {
    const all = unsent.all();
    const at = all.findIndex(
      (one) => one.recipe === edit.recipe && one.key === edit.key && one.value === edit.value,
    );
    if (at >= 0) all.splice(at, 1);
    sessionStorage.setItem(KEY, JSON.stringify(all));
  },
};
