import { t } from "@lingui/core/macro";
import type { QueryClient } from "@tanstack/react-query";
import type { History } from "../../components/history";
import { inLine } from "../../lib/inLine";
import { api, ProblemError, take, type Part, type PartEdit } from "../../api/client";
import { keys, partQuery } from "../../api/queries";

export type PartChange = Omit<PartEdit, "version">;

/** Write a change of a part against its newest version, after those asked for before; its columns and pictures follow. */
function write(queries: QueryClient, id: number, change: PartChange): Promise<{ before: Part; after: Part }> {
  return inLine(t`part ${id}`, async () => {
    for (let tries = 2; ; tries--) {
      const before = await queries.query({ ...partQuery(id), staleTime: "static" });
      try {
        const after = take(
          await api.PATCH("/api/parts/{part_id}", {
            params: { path: { part_id: id } },
            body: { ...change, version: before.version },
          }),
        );
        queries.setQueryData(keys.part(id), after);
        if (after.facts.digest !== before.facts.digest || after.purpose_id !== before.purpose_id) {
          // It stands otherwise, or is for something else: every figure of its columns may be another.
          queries.removeQueries({ queryKey: ["estimate"], type: "inactive" });
          await queries.invalidateQueries({ queryKey: keys.columns(id) });
        }
        return { before, after };
      } catch (error) {
        if (!(error instanceof ProblemError && error.status === 409)) throw error;
        await queries.invalidateQueries({ queryKey: keys.part(id), refetchType: "all" });
        const stored = await queries.query({ ...partQuery(id), staleTime: "static" });
        // What somebody else changed meanwhile is not run over; another field of the part does no harm.
        const fields = Object.keys(change).map((field) => (field === "cut" ? "pose" : field)) as (keyof PartChange & keyof Part)[];
        const same = fields.every((field) => JSON.stringify(stored[field]) === JSON.stringify(before[field]));
        if (tries <= 1 || !same) throw error;
      }
    }
  });
}

/** Change a part as one step that can be undone, wherever the person is by then. */
export async function savePart(
  queries: QueryClient,
  history: History,
  id: number,
  change: PartChange,
  label: string,
): Promise<Part> {
  const { before, after } = await write(queries, id, change);
  const back: PartChange = {};
  if (change.name !== undefined) back.name = before.name;
  if (change.note !== undefined) back.note = before.note;
  if (change.pose !== undefined) back.pose = before.pose;
  if (change.purpose_id !== undefined) back.purpose_id = before.purpose_id;
  if (change.chosen_id !== undefined) back.chosen_id = before.chosen_id;
  if (change.cut !== undefined) back.pose = before.pose;
  if (change.quantity !== undefined) back.quantity = before.quantity;
  if (change.due_on !== undefined) back.due_on = before.due_on;
  history.push({
    label,
    undo: async () => {
      await write(queries, id, back);
    },
    redo: async () => {
      // Done again, a cut is the pose that it led to.
      await write(queries, id, change.cut === undefined ? change : { pose: after.pose });
    },
  });
  return after;
}
