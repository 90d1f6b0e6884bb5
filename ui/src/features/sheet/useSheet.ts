import { t } from "@lingui/core/macro";
import { useCallback, useEffect, useMemo, useRef } from "react";
import { api, ProblemError, take, type RecipeAdd, type RecipeColumn } from "../../api/client";
import { onceBack } from "../../lib/connection";
import { useToast } from "../../components/Toasts";
import { changeFor, changesFor, inverse, sameAt, unsent, type CellEdit, type Change } from "./edits";
import { useColumnWrites } from "./useColumnWrites";
import { useHistory, type Step } from "../../components/history";

export interface SheetActions {
  /** Change a cell; rejects with the problem when the server refuses it. */
  edit: (cell: CellEdit, label: string) => Promise<void>;
  /** Change many cells as one step, such as those that were pasted. */
  editMany: (cells: readonly CellEdit[], label: string) => Promise<void>;
  duplicate: (id: number) => Promise<void>;
  /** A new column: fresh, for another nozzle, from a house recipe, or from a short line. */
  add: (how?: RecipeAdd) => Promise<RecipeColumn>;
  /** Take in a column that was made elsewhere, with its undo. */
  added: (column: RecipeColumn) => void;
  remove: (column: RecipeColumn) => Promise<void>;
}

/** Writes to a sheet: one after another, each against the newest version, each with its undo. */
export function useSheet(partId: number): SheetActions {
  const toast = useToast();
  const history = useHistory();
  const { current, place, inLine, write, takeAway, bringBack } = useColumnWrites(partId);

  const edit = useCallback(
    async (cell: CellEdit, label: string) => {
      unsent.add(cell);
      try {
        const written = await write(cell.recipe, (column) => changeFor(cell, column), sameAt(cell));
        unsent.remove(cell);
        if (written === undefined) return;
        const { before, change, merged } = written;
        if (merged) toast(t`${before.name} was changed elsewhere in between. It now holds both changes.`);
        const apply = (wanted: Change) => async () => {
          await write(cell.recipe, () => wanted);
        };
        history.push({ label, undo: apply(inverse(change, before)), redo: apply(change) });
      } catch (error) {
        // An answer settles it. Without one (the page is going, the server is away) the edit waits for the next visit.
        if (error instanceof ProblemError && error.isFinal) unsent.remove(cell);
        throw error;
      }
    },
    [history, toast, write],
  );

  const editMany = useCallback(
    async (cells: readonly CellEdit[], label: string) => {
      const ids = [...new Set(cells.map((cell) => cell.recipe))];
      const done: { id: number; change: Change; back: Change }[] = [];
      const failed: unknown[] = [];
      // All stand in line at once, so that whoever waits for what is under way waits for all of them.
      const writes = ids.map((id) => write(id, (column) => changesFor(cells.filter((cell) => cell.recipe === id), column)));
      for (const [at, result] of (await Promise.allSettled(writes)).entries()) {
        if (result.status === "rejected") failed.push(result.reason);
        else if (result.value !== undefined) {
          const { before, change } = result.value;
          done.push({ id: ids[at] ?? before.id, change, back: inverse(change, before) });
        }
      }
      const all = (way: "change" | "back") => async () => {
        for (const one of done) await write(one.id, () => one[way]);
      };
      if (done.length > 0) history.push({ label, undo: all("back"), redo: all("change") });
      if (failed.length > 0) throw failed[0];
    },
    [history, write],
  );

  // What a reload or a lost connection cut off is sent when the sheet is opened, and when the workshop answers again; what has
  // become impossible is said.
  const sending = useRef(false);
  useEffect(() => {
    const resume = async () => {
      if (sending.current) return;
      sending.current = true;
      const mine = new Set(current().map((column) => column.id));
      await Promise.all(
        unsent
          .all()
          .filter((one) => mine.has(one.recipe))
          .map((cell) =>
            write(cell.recipe, (column) => changeFor(cell, column), () => true)
              .then(() => unsent.remove(cell))
              .catch((error: unknown) => {
                if (!(error instanceof ProblemError && error.isFinal)) return;
                unsent.remove(cell);
                toast(error.message, { tone: "error" });
              }),
          ),
      );
      sending.current = false;
    };
    void resume();
    return onceBack(() => void resume());
  }, [current, toast, write]);

  const takeIn = useCallback(
    (made: RecipeColumn, label: string) => {
      place(made);
      history.push({ label, undo: () => takeAway(made.id), redo: () => bringBack(made.id) });
    },
    [bringBack, history, place, takeAway],
  );
  const make = useCallback(
    async (body: RecipeAdd, label: string) => {
      const made = await inLine(async () =>
        take(await api.POST("/api/parts/{part_id}/recipes", { params: { path: { part_id: partId } }, body })),
      );
      takeIn(made, label);
      return made;
    },
    [inLine, partId, takeIn],
  );
  const added = useCallback((column: RecipeColumn) => takeIn(column, t`the replayed file`), [takeIn]);

  const duplicate = useCallback(
    async (id: number) => {
      await make({ copy_of: id }, t`the duplicate`);
    },
    [make],
  );
  const add = useCallback((how: RecipeAdd = {}) => make(how, t`the new column`), [make]);

  const remove = useCallback(
    async (column: RecipeColumn) => {
      await takeAway(column.id);
      const step: Step = {
        label: t`removing ${column.name}`,
        undo: () => bringBack(column.id),
        redo: () => takeAway(column.id),
      };
      history.push(step);
      toast(t`${column.name} was removed.`, { action: { label: t`Undo`, run: () => void history.undoStep(step) } });
    },
    [bringBack, history, takeAway, toast],
  );

  return useMemo(
    () => ({ edit, editMany, duplicate, add, added, remove }),
    [edit, editMany, duplicate, add, added, remove],
  );
}
