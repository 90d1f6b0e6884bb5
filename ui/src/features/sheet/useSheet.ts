import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef } from "react";
import { api, ProblemError, take, type RecipeAdd, type RecipeColumn } from "../../api/client";
import { columnsQuery, keys } from "../../api/queries";
import { useToast } from "../../components/Toasts";
import { changeFor, changesFor, inverse, sameAt, unsent, type CellEdit, type Change } from "./edits";
import { inLine as runInLine } from "../../lib/inLine";
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

/** Queries that ask about one column, by the head of their keys. */
const ABOUT_COLUMN: ReadonlySet<string> = new Set(["sample", "estimate", "findings", "nudges", "by-layer", "strokes", "first-layer"]);

/** Writes to a sheet: one after another, each against the newest version, each with its undo. */
export function useSheet(partId: number): SheetActions {
  const queries = useQueryClient();
  const toast = useToast();
  const history = useHistory();
  const current = useCallback(
    () => queries.getQueryData<RecipeColumn[]>(keys.columns(partId)) ?? [],
    [queries, partId],
  );
  /** The columns, fetched where the page that showed them has been left long ago. */
  const fetched = useCallback(
    () => queries.query({ ...columnsQuery(partId), staleTime: "static" }),
    [queries, partId],
  );
  const place = useCallback(
    (column: RecipeColumn) => {
      queries.setQueryData<RecipeColumn[]>(keys.columns(partId), (all = []) =>
        [...all.filter((one) => one.id !== column.id), column].sort((a, b) => a.position - b.position || a.id - b.id),
      );
    },
    [queries, partId],
  );
  const drop = useCallback(
    (id: number) => {
      queries.setQueryData<RecipeColumn[]>(keys.columns(partId), (all = []) => all.filter((one) => one.id !== id));
    },
    [queries, partId],
  );

  /** Run writes in the order in which they were asked for, whichever page asked. */
  const inLine = useCallback(
    <Result,>(work: () => Promise<Result>): Promise<Result> => runInLine(`columns ${partId}`, work),
    [partId],
  );

  /**
   * Write a change to the newest version of a column; gives the column as it was before, and what was sent.
   * A stale write is made again on what is stored then if `again` says that it does not run over another's change.
   */
  const write = useCallback(
    (
      id: number,
      make: (column: RecipeColumn) => Change,
      again: (before: RecipeColumn, stored: RecipeColumn) => boolean = () => false,
    ) =>
      inLine(async () => {
        for (let tries = 3; ; tries--) {
          const before = (await fetched()).find((one) => one.id === id);
          if (before === undefined) return undefined;
          const change = make(before);
          try {
            place(
              take(
                await api.PATCH("/api/recipes/{recipe_id}", {
                  params: { path: { recipe_id: id } },
                  body: { ...change, version: before.version },
                }),
              ),
            );
            return { before, change, merged: tries < 3 };
          } catch (error) {
            if (!(error instanceof ProblemError && error.status === 409)) throw error;
            await queries.invalidateQueries({ queryKey: keys.columns(partId) });
            const stored = current().find((one) => one.id === id);
            if (tries > 1 && stored !== undefined && again(before, stored)) continue;
            toast(`${error.problem.title ?? ""} ${error.message} The sheet now shows it.`, { tone: "error" });
            throw error;
          }
        }
      }),
    [current, fetched, inLine, partId, place, queries, toast],
  );

  const edit = useCallback(
    async (cell: CellEdit, label: string) => {
      unsent.add(cell);
      try {
        const written = await write(cell.recipe, (column) => changeFor(cell, column), sameAt(cell));
        unsent.remove(cell);
        if (written === undefined) return;
        const { before, change, merged } = written;
        if (merged) toast(`${before.name} was changed elsewhere in between. It now holds both changes.`);
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

  // What a reload cut off is sent now; what has become impossible is said.
  const resumed = useRef(false);
  useEffect(() => {
    if (resumed.current) return;
    resumed.current = true;
    const mine = new Set(current().map((column) => column.id));
    for (const cell of unsent.all().filter((one) => mine.has(one.recipe))) {
      write(cell.recipe, (column) => changeFor(cell, column), () => true)
        .catch((error: unknown) => toast(error instanceof Error ? error.message : String(error), { tone: "error" }))
        .finally(() => unsent.remove(cell));
    }
  }, [current, toast, write]);

  const take_away = useCallback(
    (id: number) =>
      inLine(async () => {
        const column = (await fetched()).find((one) => one.id === id);
        if (column === undefined) return;
        // The page stops asking about it before it is gone; an answer under way would bring it back.
        await queries.cancelQueries({ queryKey: keys.columns(partId) });
        drop(id);
        await queries.cancelQueries({ predicate: (query) => ABOUT_COLUMN.has(String(query.queryKey[0])) && query.queryKey[1] === id });
        try {
          take(
            await api.POST("/api/recipes/{recipe_id}/delete", {
              params: { path: { recipe_id: id } },
              body: { version: column.version },
            }),
          );
        } catch (error) {
          place(column);
          throw error;
        }
      }),
    [drop, fetched, inLine, partId, place, queries],
  );

  const bring_back = useCallback(
    (id: number) =>
      inLine(async () => {
        place(take(await api.POST("/api/recipes/{recipe_id}/restore", { params: { path: { recipe_id: id } } })));
      }),
    [inLine, place],
  );

  const takeIn = useCallback(
    (made: RecipeColumn, label: string) => {
      place(made);
      history.push({ label, undo: () => take_away(made.id), redo: () => bring_back(made.id) });
    },
    [bring_back, history, place, take_away],
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
  const added = useCallback((column: RecipeColumn) => takeIn(column, "the replayed file"), [takeIn]);

  const duplicate = useCallback(
    async (id: number) => {
      await make({ copy_of: id }, "the duplicate");
    },
    [make],
  );
  const add = useCallback((how: RecipeAdd = {}) => make(how, "the new column"), [make]);

  const remove = useCallback(
    async (column: RecipeColumn) => {
      await take_away(column.id);
      const step: Step = {
        label: `removing ${column.name}`,
        undo: () => bring_back(column.id),
        redo: () => take_away(column.id),
      };
      history.push(step);
      toast(`${column.name} was removed.`, { action: { label: "Undo", run: () => void history.undoStep(step) } });
    },
    [bring_back, history, take_away, toast],
  );

  return useMemo(
    () => ({ edit, editMany, duplicate, add, added, remove }),
    [edit, editMany, duplicate, add, added, remove],
  );
}
