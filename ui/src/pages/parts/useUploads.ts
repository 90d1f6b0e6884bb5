import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useState } from "react";
import { api, ProblemError, take, type Part, type Problem } from "../../api/client";
import { keys } from "../../api/queries";
import { uploadPart, type Unit } from "../../api/upload";

export interface Upload {
  id: number;
  file: File;
  /** Share of the bytes sent; at 1 the server is checking the mesh. */
  sent: number;
  problem?: Problem;
  part?: Part;
}

export interface Uploads {
  list: Upload[];
  add: (files: File[]) => void;
  retry: (id: number, unit: Unit) => void;
  dismiss: (id: number) => void;
}

async function estimateFirstColumn(partId: number): Promise<void> {
  const path = { part_id: partId };
  const first = take(await api.GET("/api/parts/{part_id}/recipes", { params: { path } })).recipes[0];
  if (first === undefined) return;
  take(await api.POST("/api/recipes/{recipe_id}/estimate", { params: { path: { recipe_id: first.id } } }));
}

let last = 0;

/** Files on their way in. A failed one stays in the list with its reason until it is dismissed or sent again. */
export function useUploads(): Uploads {
  const [list, setList] = useState<Upload[]>([]);
  const queries = useQueryClient();

  const change = useCallback((id: number, values: Partial<Upload>) => {
    setList((all) => all.map((upload) => (upload.id === id ? { ...upload, ...values } : upload)));
  }, []);

  const send = useCallback(
    async (id: number, file: File, unit: Unit) => {
      try {
        const part = await uploadPart(file, unit, (sent) => change(id, { sent }));
        change(id, { part, sent: 1 });
        await queries.invalidateQueries({ queryKey: keys.parts });
        // The list shows the first column's minutes; a recipe that cannot be printed says so on the bench.
        void estimateFirstColumn(part.id)
          .then(() => queries.invalidateQueries({ queryKey: keys.parts }))
          .catch(() => undefined);
      } catch (error) {
        const problem =
          error instanceof ProblemError ? error.problem : { status: 0, detail: "The file could not be sent." };
        change(id, { problem });
      }
    },
    [change, queries],
  );

  const add = useCallback(
    (files: File[]) => {
      for (const file of files) {
        const id = ++last;
        setList((all) => [...all, { id, file, sent: 0 }]);
        void send(id, file, "auto");
      }
    },
    [send],
  );

  const retry = useCallback(
    (id: number, unit: Unit) => {
      const upload = list.find((one) => one.id === id);
      if (upload === undefined) return;
      change(id, { problem: undefined, sent: 0 });
      void send(id, upload.file, unit);
    },
    [change, list, send],
  );

  const dismiss = useCallback((id: number) => setList((all) => all.filter((upload) => upload.id !== id)), []);
  return { list, add, retry, dismiss };
}
