import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useMemo, useRef } from "react";
import { api, ProblemError, take, type RecipeColumn, type RecipeEdit } from "../../api/client";
import { keys } from "../../api/queries";
import { useToast } from "../../parts/Toasts";
import { useHistory, type History } from "./history";

type Change = Omit<RecipeEdit, "version">;

export interface SheetActions {
  /** Change a column; rejects with the problem when the server refuses it. */
  edit: (id: number, change: Change, label: string) => Promise<void>;
  duplicate: (id: number) => Promise<void>;
  add: () => Promise<void>;
  remove: (column: RecipeColumn) => Promise<void>;
  history: History;
}

/** Writes to a sheet: one after another, each against the newest version, each with its undo. */
export function useSheet(partId: number): SheetActions {
  const queries = useQueryClient();
  const toast = useToast();
  const history = useHistory();
  const line = useRef<Promise<unknown>>(Promise.resolve());

  const current = useCallback(
    () => queries.getQueryData<RecipeColumn[]>(keys.columns(partId)) ?? [],
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

  /** Run writes in the order in which they were asked for. */
  const inLine = useCallback(<Result,>(work: () => Promise<Result>): Promise<Result> => {
    const next = line.current.then(work, work);
    line.current = next.catch(() => undefined);
    return next;
  }, []);

  const write = useCallback(
    (id: number, change: Change) =>
      inLine(async () => {
        const column = current().find((one) => one.id === id);
        if (column === undefined) return;
        try {
          place(
            take(
              await api.PATCH("/api/recipes/{recipe_id}", {
                params: { path: { recipe_id: id } },
                body: { ...change, version: column.version },
              }),
            ),
          );
        } catch (error) {
          if (error instanceof ProblemError && error.status === 409) {
            await queries.invalidateQueries({ queryKey: keys.columns(partId) });
            toast(`${error.problem.title ?? ""} ${error.message} The sheet now shows it.`, { tone: "error" });
          }
          throw error;
        }
      }),
    [current, inLine, partId, place, queries, toast],
  );

  const edit = useCallback(
    async (id: number, change: Change, label: string) => {
      const before = current().find((one) => one.id === id);
      if (before === undefined) return;
      const back: Change = {};
      if (change.name != null) back.name = before.name;
      if (change.machine_id != null) back.machine_id = before.machine_id;
      if (change.nozzle_id != null) back.nozzle_id = before.nozzle_id;
      if (change.material_id != null) back.material_id = before.material_id;
      if (change.choices != null) back.choices = before.choices;
      await write(id, change);
      history.push({ label, undo: () => write(id, back), redo: () => write(id, change) });
    },
    [current, history, write],
  );

  const take_away = useCallback(
    (id: number) =>
      inLine(async () => {
        const column = current().find((one) => one.id === id);
        if (column === undefined) return;
        take(
          await api.POST("/api/recipes/{recipe_id}/delete", {
            params: { path: { recipe_id: id } },
            body: { version: column.version },
          }),
        );
        drop(id);
      }),
    [current, drop, inLine],
  );

  const bring_back = useCallback(
    (id: number) =>
      inLine(async () => {
        place(take(await api.POST("/api/recipes/{recipe_id}/restore", { params: { path: { recipe_id: id } } })));
      }),
    [inLine, place],
  );

  const make = useCallback(
    async (body: { copy_of?: number }, label: string) => {
      const made = await inLine(async () =>
        take(await api.POST("/api/parts/{part_id}/recipes", { params: { path: { part_id: partId } }, body })),
      );
      place(made);
      history.push({ label, undo: () => take_away(made.id), redo: () => bring_back(made.id) });
    },
    [bring_back, history, inLine, partId, place, take_away],
  );

  const duplicate = useCallback((id: number) => make({ copy_of: id }, "the duplicate"), [make]);
  const add = useCallback(() => make({}, "the new column"), [make]);

  const remove = useCallback(
    async (column: RecipeColumn) => {
      await take_away(column.id);
      history.push({
        label: `removing ${column.name}`,
        undo: () => bring_back(column.id),
        redo: () => take_away(column.id),
      });
      toast(`${column.name} was removed.`, { action: { label: "Undo", run: () => void history.undo() } });
    },
    [bring_back, history, take_away, toast],
  );

  return useMemo(() => ({ edit, duplicate, add, remove, history }), [edit, duplicate, add, remove, history]);
}
