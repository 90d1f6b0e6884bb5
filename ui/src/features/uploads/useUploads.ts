import { t } from "@lingui/core/macro";
import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useState } from "react";
import { api, ProblemError, take, type Part, type Problem } from "../../api/client";
import { askFirstFigures, keys, partQuery, stopAsking } from "../../api/queries";
import { uploadPart, type Unit } from "../../api/upload";
import { useHistory } from "../../components/history";

export interface Upload {
  id: number;
  file: File;
  unit: Unit;
  /** Which model of an archive; empty for a file that is one. */
  member: string;
  /** Share of the bytes sent; at 1 the server is checking the mesh. */
  sent: number;
  problem?: Problem;
  part?: Part;
}

export interface Uploads {
  list: Upload[];
  add: (files: File[]) => void;
  /** Send a file again, in another unit. */
  retry: (id: number, unit: Unit) => void;
  /** Add some models of an archive; its own line goes. */
  takeModels: (id: number, members: readonly string[]) => void;
  /** A file whose surface was closed has become a part. */
  closed: (id: number, partId: number) => Promise<void>;
  dismiss: (id: number) => void;
}

let last = 0;

/** Files on their way in. A failed one stays in the list with its reason until it is dismissed or sent again. */
export function useUploads(): Uploads {
  const [list, setList] = useState<Upload[]>([]);
  const queries = useQueryClient();
  const history = useHistory();

  const change = useCallback((id: number, values: Partial<Upload>) => {
    setList((all) => all.map((upload) => (upload.id === id ? { ...upload, ...values } : upload)));
  }, []);

  const arrived = useCallback(
    async (id: number, part: Part) => {
      change(id, { part, sent: 1 });
      await queries.invalidateQueries({ queryKey: keys.parts });
      // The list shows the first column's minutes; a recipe that cannot be printed says so on the bench.
      void askFirstFigures(part.id)
        .then(() => queries.invalidateQueries({ queryKey: keys.parts }))
        .catch(() => undefined);
    },
    [change, queries],
  );

  const send = useCallback(
    async ({ id, file, unit, member }: Upload) => {
      try {
        await arrived(id, await uploadPart(file, unit, member, (sent) => change(id, { sent })));
      } catch (error) {
        const problem =
          error instanceof ProblemError ? error.problem : { status: 0, detail: t`The file could not be sent.` };
        change(id, { problem });
      }
    },
    [arrived, change],
  );

  const begin = useCallback(
    (uploads: readonly Omit<Upload, "id" | "sent">[]) => {
      const made = uploads.map((upload) => ({ ...upload, id: ++last, sent: 0 }));
      setList((all) => [...all, ...made]);
      for (const upload of made) void send(upload);
    },
    [send],
  );
  const add = useCallback(
    (files: File[]) => begin(files.map((file) => ({ file, unit: "auto", member: "" }))),
    [begin],
  );

  const retry = useCallback(
    (id: number, unit: Unit) => {
      const upload = list.find((one) => one.id === id);
      if (upload === undefined) return;
      change(id, { problem: undefined, sent: 0, unit });
      void send({ ...upload, unit });
    },
    [change, list, send],
  );

  const dismiss = useCallback((id: number) => setList((all) => all.filter((upload) => upload.id !== id)), []);

  const takeModels = useCallback(
    (id: number, members: readonly string[]) => {
      const upload = list.find((one) => one.id === id);
      if (upload === undefined) return;
      dismiss(id);
      begin(members.map((member) => ({ file: upload.file, unit: upload.unit, member })));
    },
    [begin, dismiss, list],
  );

  const closed = useCallback(
    async (id: number, partId: number) => {
      let part = await queries.query({ ...partQuery(partId), staleTime: 0 });
      await arrived(id, part);
      const path = { part_id: partId };
      history.push({
        label: t`closing ${part.name} by guessing`,
        // Back to the file as it came: the offer stands in its line again.
        undo: async () => {
          stopAsking(partId);
          part = take(await api.POST("/api/parts/{part_id}/delete", { params: { path }, body: { version: part.version } }));
          change(id, { part: undefined });
          await queries.invalidateQueries({ queryKey: keys.parts });
        },
        redo: async () => {
          part = take(await api.POST("/api/parts/{part_id}/restore", { params: { path } }));
          await arrived(id, part);
        },
      });
    },
    [arrived, change, history, queries],
  );
  return { list, add, retry, takeModels, closed, dismiss };
}
