import { t } from "@lingui/core/macro";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useState } from "react";
import { api, ProblemError, take, type FlowPoint, type FlowPointOut, type FlowTest } from "../../api/client";
import { keys, shelfChanged } from "../../api/queries";
import { useHistory } from "../../components/history";
import { useToast } from "../../components/Toasts";
import { throughGate } from "../../lib/gate";
import { inLine } from "../../lib/inLine";
import { keep, letGo, readPending, sendPending, type Pending } from "./pending";

const at = (row_id: number) => ({ params: { path: { row_id } } });

export function useFlowTests() {
  return useQuery({
    queryKey: keys.flowTests,
    queryFn: async () => take(await api.GET("/api/flow-tests")).tests,
    refetchOnMount: "always",
  });
}

export function useFlowTest(id: number) {
  return useQuery({
    queryKey: keys.flowTest(id),
    queryFn: async () => take(await api.GET("/api/flow-tests/{row_id}", at(id))),
    // Somebody else may enter strands at the machine meanwhile.
    refetchInterval: 5000,
    refetchOnMount: "always",
  });
}

/** What can be done with a test as a whole; each can be undone. */
export function useFlowTestDeeds(test: FlowTest) {
  const queries = useQueryClient();
  const history = useHistory();
  const toast = useToast();
  const newest = () => queries.getQueryData<FlowTest>(keys.flowTest(test.id)) ?? test;
  const took = async (now: FlowTest) => {
    queries.setQueryData(keys.flowTest(test.id), now);
    await queries.invalidateQueries({ queryKey: keys.flowTests });
    await queries.invalidateQueries({ queryKey: ["flow-effect", test.id] });
    // Every estimate of this machine may be another.
    await shelfChanged(queries);
  };
  const post = (deed: "use" | "stop-using") => async () =>
    took(take(await api.POST(`/api/flow-tests/{row_id}/${deed}` as "/api/flow-tests/{row_id}/use", { ...at(test.id), body: { version: newest().version } })));
  const retired = (because: string) => async () =>
    took(take(await api.POST("/api/flow-tests/{row_id}/retire", { ...at(test.id), body: { version: newest().version, because } })));
  const deed = useMutation({
    mutationFn: async ({ run, undo, label }: { run: () => Promise<void>; undo: () => Promise<void>; label: string }) => {
      await run();
      history.push({ label, undo, redo: run });
    },
    onError: async (error) => {
      toast(error.message, { tone: "error" });
      await queries.invalidateQueries({ queryKey: keys.flowTest(test.id) });
    },
  });
  return {
    busy: deed.isPending,
    use: () => deed.mutate({ run: post("use"), undo: post("stop-using"), label: t`using ${test.name}` }),
    rename: (name: string) => {
      const put = (to: string) => async () => took(take(await api.PATCH("/api/flow-tests/{row_id}", { ...at(test.id), body: { version: newest().version, name: to } })));
      deed.mutate({ run: put(name), undo: put(newest().name), label: t`the name of the test` });
    },
    remove: async () => {
      const gone = async () => took(take(await api.POST("/api/flow-tests/{row_id}/delete", { ...at(test.id), body: { version: newest().version } })));
      const back = async () => took(take(await api.POST("/api/flow-tests/{row_id}/restore", at(test.id))));
      await gone();
      const step = { label: t`deleting ${test.name}`, undo: back, redo: gone };
      history.push(step);
      toast(t`${test.name} was deleted.`, { action: { label: t`Undo`, run: () => void history.undoStep(step) } });
    },
    retire: (because: string) => deed.mutate({ run: retired(because), undo: post("use"), label: t`retiring ${test.name}` }),
    setup: (change: Partial<FlowTest["setup"]>) => {
      const before = newest().setup;
      const put = (setup: FlowTest["setup"]) => async () =>
        took(take(await api.PATCH("/api/flow-tests/{row_id}", { ...at(test.id), body: { version: newest().version, setup } })));
      deed.mutate({ run: put({ ...before, ...change }), undo: put(before), label: t`the setup of ${test.name}` });
    },
  };
}

/** The strands of a test: entered, corrected, taken out. What is typed is kept in the page until it is stored. */
export function useStrands(test: FlowTest) {
  const queries = useQueryClient();
  const history = useHistory();
  const toast = useToast();
  const [waiting, setWaiting] = useState<Pending[]>(() => readPending(localStorage));
  const refresh = useCallback(() => queries.invalidateQueries({ queryKey: keys.flowTest(test.id) }), [queries, test.id]);

  const flush = useCallback(
    () =>
      inLine(t`flow entries`, async () => {
        const stored = await sendPending(localStorage, async (entry) => {
          try {
            take(await api.POST("/api/flow-tests/{row_id}/points", { ...at(entry.testId), body: { key: entry.key, point: entry.point } }));
            return "stored";
          } catch (error) {
            return error instanceof ProblemError && error.isFinal ? { refused: error.message } : "away";
          }
        });
        if (stored) await refresh();
        setWaiting(readPending(localStorage));
      }),
    [refresh],
  );
  useEffect(() => {
    void flush();
    const timer = setInterval(() => readPending(localStorage).length > 0 && void flush(), 3000);
    return () => clearInterval(timer);
  }, [flush]);

  const remove = (row: FlowPointOut) => async () => {
    const version = queries.getQueryData<FlowTest>(keys.flowTest(test.id))?.points.find((one) => one.id === row.id)?.version ?? row.version;
    take(await api.POST("/api/flow-points/{row_id}/delete", { ...at(row.id), body: { version } }));
    await refresh();
  };
  const restore = (row: FlowPointOut) => async () => {
    take(await api.POST("/api/flow-points/{row_id}/restore", at(row.id)));
    await refresh();
  };
  return {
    waiting: waiting.filter((one) => one.testId === test.id),
    enter: (point: FlowPoint) => {
      keep(localStorage, { key: crypto.randomUUID(), testId: test.id, point, refused: "" });
      setWaiting(readPending(localStorage));
      void flush();
    },
    giveUp: (key: string) => {
      letGo(localStorage, key);
      setWaiting(readPending(localStorage));
    },
    /** Returns the problem of a refused edit; what is stored by now is shown either way. */
    edit: async (row: FlowPointOut, change: Partial<FlowPoint>): Promise<string> => {
      const put = (point: FlowPoint) => async () => {
        const version = queries.getQueryData<FlowTest>(keys.flowTest(test.id))?.points.find((one) => one.id === row.id)?.version ?? row.version;
        take(await api.PATCH("/api/flow-points/{row_id}", { ...at(row.id), body: { version, point } }));
        await refresh();
      };
      try {
        const { version } = row;
        take(await api.PATCH("/api/flow-points/{row_id}", { ...at(row.id), body: { version, point: { ...row.point, ...change } } }));
        await refresh();
        history.push({ label: t`a strand`, undo: put(row.point), redo: put({ ...row.point, ...change }) });
        return "";
      } catch (error) {
        await refresh();
        if (error instanceof ProblemError && error.status === 409) {
          const stored = error.problem.stored as FlowPointOut | undefined;
          const mass = stored?.point.mass_g == null ? t`no weight` : `${stored.point.mass_g} g`;
          return t`Somebody else changed this strand: it now says ${mass}${stored?.point.strand ? `, ${stored.point.strand}` : ""}. Yours was not stored.`;
        }
        return error instanceof Error ? error.message : String(error);
      }
    },
    remove: async (row: FlowPointOut) => {
      await remove(row)();
      const step = { label: t`taking a strand out`, undo: restore(row), redo: remove(row) };
      history.push(step);
      toast(t`The strand was taken out.`, { action: { label: t`Undo`, run: () => void history.undoStep(step) } });
    },
    photo: async (row: FlowPointOut, file: File) => {
      const body = new FormData();
      body.append("file", file);
      const answer = await throughGate(new Request(`/api/flow-points/${row.id}/photo`, { method: "POST", body }));
      if (!answer.ok) toast(((await answer.json()) as { detail?: string }).detail ?? t`The photo was not stored.`, { tone: "error" });
      await refresh();
    },
  };
}

export type Strands = ReturnType<typeof useStrands>;
