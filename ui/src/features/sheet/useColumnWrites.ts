import { t } from "@lingui/core/macro";
import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useMemo } from "react";
import { api, ProblemError, take, type RecipeColumn } from "../../api/client";
import { askAhead, columnsQuery, keys, sampleQuery } from "../../api/queries";
import { useToast } from "../../components/Toasts";
import { inLine as runInLine } from "../../lib/inLine";
import type { Change } from "./edits";

/** Queries that ask about one column, by the head of their keys. */
const ABOUT_COLUMN: ReadonlySet<string> = new Set(["sample", "estimate", "findings", "next", "curve", "nudges", "by-layer", "strokes", "first-layer"]);

/** So long, at most, a column that has been written waits for its first answer: whoever types on does not notice it yet. */
const HELD_MS = 200;

function onlyChoices(change: Change): change is Change & { choices: NonNullable<Change["choices"]> } {
  return change.choices != null && Object.keys(change).length === 1;
}

/** Writes to a part's columns: one after another, each against the newest version. */
export function useColumnWrites(partId: number) {
  const queries = useQueryClient();
  const toast = useToast();
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
    <Result,>(work: () => Promise<Result>): Promise<Result> => runInLine(t`columns ${partId}`, work),
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
          // The first answer is asked for beside the write: neither needs the other.
          const ahead = onlyChoices(change) && before.problem == null && !before.gcode ? askAhead(before, change.choices) : undefined;
          try {
            const written = take(
              await api.PATCH("/api/recipes/{recipe_id}", {
                params: { path: { recipe_id: id } },
                body: { ...change, version: before.version },
              }),
            );
            const first = sampleQuery(written, ahead);
            if (first.enabled) {
              const answer = queries.query(first).catch(() => undefined);
              // Drawing a sheet takes as long as computing an answer that is on its way: draw once, with it.
              if (ahead) await Promise.race([answer, new Promise((done) => setTimeout(done, HELD_MS))]);
            }
            place(written);
            return { before, change, merged: tries < 3 };
          } catch (error) {
            if (!(error instanceof ProblemError && error.status === 409)) throw error;
            await queries.invalidateQueries({ queryKey: keys.columns(partId) });
            const stored = current().find((one) => one.id === id);
            if (tries > 1 && stored !== undefined && again(before, stored)) continue;
            toast(t`${error.problem.title ?? ""} ${error.message} The sheet now shows it.`, { tone: "error" });
            throw error;
          }
        }
      }),
    [current, fetched, inLine, partId, place, queries, toast],
  );

  const takeAway = useCallback(
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

  const bringBack = useCallback(
    (id: number) =>
      inLine(async () => {
        place(take(await api.POST("/api/recipes/{recipe_id}/restore", { params: { path: { recipe_id: id } } })));
      }),
    [inLine, place],
  );


  return useMemo(
    () => ({ current, place, inLine, write, takeAway, bringBack }),
    [current, place, inLine, write, takeAway, bringBack],
  );
}
