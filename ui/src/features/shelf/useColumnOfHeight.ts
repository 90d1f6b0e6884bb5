import { t } from "@lingui/core/macro";
import { useQueryClient } from "@tanstack/react-query";
import { api, take, type Machine } from "../../api/client";
import { keys, usePartNames } from "../../api/queries";
import { useHistory } from "../../components/history";
import { useToast } from "../../components/Toasts";
import { lastPartId } from "../../lib/lastPart";
import { plain } from "../../lib/format";

export interface ColumnOfHeight {
  partName: string;
  /** Add a column with a nozzle and a layer height; its part's number, or nothing where that was refused. */
  make: (nozzleId: number, heightMm: number) => Promise<number | undefined>;
}

/** Makes columns of a layer height on the part that was looked at last, or the newest; null where there is none. */
export function useColumnOfHeight(machine: Machine): ColumnOfHeight | null {
  const parts = usePartNames();
  const queries = useQueryClient();
  const history = useHistory();
  const toast = useToast();
  const part = parts.data?.find((one) => one.id === lastPartId()) ?? parts.data?.[0];
  if (part === undefined) return null;
  return {
    partName: part.name,
    make: async (nozzleId, heightMm) => {
      const path = { part_id: part.id };
      const changed = () => queries.invalidateQueries({ queryKey: keys.columns(part.id) });
      try {
        const first = take(await api.GET("/api/parts/{part_id}/recipes", { params: { path } })).recipes.find((one) => !one.gcode);
        const body = first
          ? { copy_of: first.id, name: t`${plain(heightMm)} mm layers`, settings: [{ key: "nozzle", value: nozzleId }, { key: "layer_height_mm", value: heightMm }] }
          : {};
        const made = take(await api.POST("/api/parts/{part_id}/recipes", { params: { path }, body }));
        if (made.machine_id !== machine.id)
          take(await api.PATCH("/api/recipes/{recipe_id}", { params: { path: { recipe_id: made.id } }, body: { version: made.version, machine_id: machine.id } }));
        const away = async () => {
          const now = take(await api.GET("/api/parts/{part_id}/recipes", { params: { path } })).recipes.find((one) => one.id === made.id);
          if (now) take(await api.POST("/api/recipes/{recipe_id}/delete", { params: { path: { recipe_id: made.id } }, body: { version: now.version } }));
          await changed();
        };
        const back = async () => {
          take(await api.POST("/api/recipes/{recipe_id}/restore", { params: { path: { recipe_id: made.id } } }));
          await changed();
        };
        history.push({ label: t`the column of ${plain(heightMm)} mm`, undo: away, redo: back });
        await changed();
        return part.id;
      } catch (error) {
        toast(error instanceof Error ? error.message : t`The column could not be made.`, { tone: "error" });
        return undefined;
      }
    },
  };
}
