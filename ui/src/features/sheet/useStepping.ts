import { t } from "@lingui/core/macro";
import { useCallback, useEffect, useRef } from "react";
import type { RecipeColumn, Shelf } from "../../api/client";
import { effective, type CellValue, type Field } from "./fields";
import { nextStep } from "./steps";
import type { SheetActions } from "./useSheet";

/** Quick presses within so many milliseconds go on from where the last one leads. */
const QUICK_MS = 1500;

/** Steps a value up or down; quick presses go on from where the last one will lead, not from what is stored yet. */
export function useStepping(actions: SheetActions, shelf: Shelf | undefined, onProblem: (error: unknown) => void) {
  const stepping = useRef(new Map<string, { value: CellValue; over: CellValue | undefined; at: number }>());
  const early = useRef<{ column: RecipeColumn; field: Field; direction: number }[]>([]);
  const step = useCallback(
    (column: RecipeColumn, field: Field, direction: number) => {
      // Heights go by the machine's motor steps: a press before it is known waits, instead of guessing a step.
      if (shelf === undefined) {
        early.current.push({ column, field, direction });
        return;
      }
      const place = `${field.key}:${column.id}`;
      const shown = effective(column, field);
      const last = stepping.current.get(place);
      const now = performance.now();
      const unseen = last !== undefined && last.over === shown && now - last.at < QUICK_MS;
      const from = unseen ? last.value : shown;
      const value = nextStep(field, from, direction, shelf.machines.find((one) => one.id === column.machine_id));
      if (value === undefined) return;
      stepping.current.set(place, { value, over: shown, at: now });
      actions
        .edit({ recipe: column.id, key: field.key, value }, t`${field.label.toLowerCase()} in ${column.name}`)
        .catch((error: unknown) => {
          stepping.current.delete(place);
          onProblem(error);
        });
    },
    [actions, shelf, onProblem],
  );
  useEffect(() => {
    if (shelf === undefined) return;
    for (const press of early.current.splice(0)) step(press.column, press.field, press.direction);
  }, [shelf, step]);
  return step;
}
