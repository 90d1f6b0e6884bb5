import type { RecipeColumn, SetTo } from "../../api/client";
import type { CellEdit } from "../sheet/edits";
import type { SheetActions } from "../sheet/useSheet";

/** Settings of a lever or a remedy as edits of a column's cells. */
export function asEdits(column: RecipeColumn, settings: readonly SetTo[]): CellEdit[] {
  return settings.map(({ key, value }) => ({ recipe: column.id, key, value: value ?? null }));
}

/** Make a change in a column, as one step that can be undone. */
export function applyHere(actions: SheetActions, column: RecipeColumn, settings: readonly SetTo[], label: string) {
  return actions.editMany(asEdits(column, settings), label);
}

/** Make a change in a copy, right of the column. */
export function applyBeside(actions: SheetActions, column: RecipeColumn, settings: readonly SetTo[], label: string) {
  return actions.add({ copy_of: column.id, settings: [...settings], name: `${column.name}: ${label}`.slice(0, 120) });
}
