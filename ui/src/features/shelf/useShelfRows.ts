import { plural, t } from "@lingui/core/macro";
import { useQueryClient } from "@tanstack/react-query";
import { useMemo } from "react";
import { api, ProblemError, take, type Shelf } from "../../api/client";
import { keys, shelfChanged } from "../../api/queries";
import { useHistory, type Step } from "../../components/history";
import { useToast } from "../../components/Toasts";
import { inLine } from "../../lib/inLine";
import type { KindKey, Rows, ShelfRow } from "./shelfKinds";

export type Body = Record<string, unknown>;

export interface ShelfRows {
  /** Change a row, from what it is when the change's turn comes; rejects with the server's words. */
  edit: (row: ShelfRow, change: (now: ShelfRow) => Body, back: (before: ShelfRow, now: ShelfRow) => Body, label: string) => Promise<void>;
  add: (body: Body, label: string) => Promise<number>;
  remove: (row: ShelfRow) => Promise<void>;
  /** Put a row in front of another, or at the end with null. */
  move: (row: ShelfRow, beforeId: number | null) => Promise<void>;
}

/** The paths of one kind alone stand for all: the five kinds take and give alike, which their schemas say. */
const one = (kind: KindKey) => `/api/${kind}/{row_id}` as "/api/nozzles/{row_id}";
const at = (kind: KindKey, what: "delete" | "restore") => `/api/${kind}/{row_id}/${what}` as "/api/nozzles/{row_id}/delete";

/** Writes to the rows of one kind: one after another on each row, each a step that can be undone. */
export function useShelfRows(kind: KindKey): ShelfRows {
  const queries = useQueryClient();
  const history = useHistory();
  const toast = useToast();
  return useMemo(() => {
    const newest = (id: number) =>
      (queries.getQueryData<Shelf>(keys.shelf)?.[kind] as ShelfRow[] | undefined)?.find((row) => row.id === id);
    const put = (row: ShelfRow) =>
      queries.setQueryData<Shelf>(keys.shelf, (now) =>
        now && { ...now, [kind]: (now[kind] as ShelfRow[]).map((old) => (old.id === row.id ? row : old)) },
      );
    const patch = (id: number, body: (now: ShelfRow) => Body) =>
      inLine(`${kind} ${id}`, async () => {
        const now = newest(id);
        if (now === undefined) throw new Error(t`It is not on the shelf any more.`);
        try {
          const sent = { version: now.version, ...body(now) };
          const after = take(await api.PATCH(one(kind), { params: { path: { row_id: id } }, body: sent as never }));
          put(after);
        } catch (error) {
          // What somebody else has stored meanwhile is shown; the change can then be made again on it.
          if (error instanceof ProblemError && error.status === 409) await queries.invalidateQueries({ queryKey: keys.shelf });
          throw error;
        }
        return now;
      });
    const patched = async (id: number, body: (now: ShelfRow) => Body) => {
      await patch(id, body);
      await shelfChanged(queries);
    };
    const away = (id: number) => async () => {
      await inLine(`${kind} ${id}`, async () => {
        const version = newest(id)?.version ?? 0;
        take(await api.POST(at(kind, "delete"), { params: { path: { row_id: id } }, body: { version } }));
        await shelfChanged(queries);
      });
    };
    const back = (id: number) => async () => {
      take(await api.POST(at(kind, "restore") as "/api/nozzles/{row_id}/restore", { params: { path: { row_id: id } } }));
      await shelfChanged(queries);
    };
    const rows: ShelfRows = {
      edit: async (row, change, backTo, label) => {
        const before = await patch(row.id, change);
        history.push({
          label,
          undo: () => patched(row.id, (now) => backTo(before, now)),
          redo: () => patched(row.id, change),
        });
        await shelfChanged(queries);
      },
      add: async (body, label) => {
        const made = take(await api.POST(`/api/${kind}` as "/api/nozzles", { body: body as never }));
        history.push({ label, undo: away(made.id), redo: back(made.id) });
        await shelfChanged(queries);
        return made.id;
      },
      remove: async (row) => {
        await away(row.id)();
        const step: Step = { label: t`taking ${row.name} off the shelf`, undo: back(row.id), redo: away(row.id) };
        history.push(step);
        const { columns = 0 } = row.used_in;
        const still = columns > 0 ? t` ${plural(columns, { one: "# column that uses it goes on as before.", other: "# columns that use it go on as before." })}` : "";
        toast(t`${row.name} was taken off the shelf.${still}`, {
          action: { label: t`Undo`, run: () => void history.undoStep(step) },
        });
      },
      move: async (row, beforeId) => {
        const all = (queries.getQueryData<Shelf>(keys.shelf)?.[kind] ?? []) as ShelfRow[];
        const follows = all.filter((other) => !other.removed);
        const next = follows[follows.findIndex((other) => other.id === row.id) + 1]?.id ?? null;
        // After the edits of the row that are still under way, or one of them would be refused as stale.
        const to = (before: number | null) => () =>
          inLine(`${kind} ${row.id}`, async () => {
            take(
              await api.POST(`/api/${kind}/{row_id}/move` as "/api/nozzles/{row_id}/move", {
                params: { path: { row_id: row.id } },
                body: { before_id: before },
              }),
            );
            await queries.invalidateQueries({ queryKey: keys.shelf });
          });
        await to(beforeId)();
        history.push({ label: t`the place of ${row.name}`, undo: to(next), redo: to(beforeId) });
      },
    };
    return rows;
  }, [kind, queries, history, toast]);
}

export type RowOf<Kind extends KindKey> = Rows[Kind];
