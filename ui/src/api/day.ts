import { keepPreviousData, useMutation, useQuery, useQueryClient, type QueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { api, take, type BoardRun, type Day, type Queued, type QueueAdd, type QueueEdit } from "./client";
import { dayKeys } from "./dayKeys";

/** The board is read anew this often: moments pass. */
const BOARD_MS = 30_000;

export function useDay() {
  return useQuery({ queryKey: dayKeys.board, queryFn: async () => take(await api.GET("/api/day")), refetchOnMount: "always", refetchInterval: BOARD_MS, placeholderData: keepPreviousData });
}

export function useQueue() {
  return useQuery({ queryKey: dayKeys.queue, queryFn: async () => take(await api.GET("/api/queue")).items, refetchOnMount: "always" });
}

export function usePlates() {
  return useQuery({ queryKey: dayKeys.plates, queryFn: async () => take(await api.GET("/api/plates")).plates, refetchOnMount: "always" });
}

export function usePlate(id: number) {
  return useQuery({ queryKey: dayKeys.plate(id), queryFn: async () => take(await api.GET("/api/plates/{plate_id}", { params: { path: { plate_id: id } } })), refetchOnMount: "always" });
}

export function useSpoolsAhead() {
  return useQuery({ queryKey: dayKeys.spools, queryFn: async () => take(await api.GET("/api/day/spools")), refetchOnMount: "always" });
}

export function useHours() {
  return useQuery({ queryKey: dayKeys.hours, queryFn: async () => take(await api.GET("/api/hours")).exceptions, refetchOnMount: "always" });
}

export function useReasons(run: BoardRun | undefined, made: string | null | undefined) {
  return useQuery({
    queryKey: dayKeys.reasons(run?.queue_id ?? 0, run?.plate ?? 0, made ?? ""),
    queryFn: async () => take(await api.GET("/api/day/reasons", { params: { query: { queue_id: run?.queue_id ?? 0, plate: run?.plate ?? 1 } } })),
    enabled: run !== undefined,
    retry: false,
    gcTime: 60_000,
  });
}

/** After anything of the day was changed. */
export function dayChanged(queries: QueryClient): Promise<void> {
  return queries.invalidateQueries({ queryKey: dayKeys.all });
}

/** Plan anew in the background; the board follows as plans are stored. */
export function usePlanning() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (seconds: number) => take(await api.POST("/api/day/plan", { body: { seconds } })),
    onSuccess: () => void dayChanged(queries),
  });
}

/** How far the planning under way is; when it ends, the board is read once more. */
export function usePlanningJob(id: number | null | undefined) {
  const queries = useQueryClient();
  const job = useQuery({
    queryKey: ["job", id],
    queryFn: async () => take(await api.GET("/api/jobs/{job_id}", { params: { path: { job_id: id ?? 0 } } })),
    enabled: id != null,
    refetchInterval: (query) => (query.state.data?.state === "waiting" || query.state.data?.state === "running" ? 700 : false),
  });
  const better = job.data?.day?.better;
  const state = job.data?.state;
  useEffect(() => {
    if (id != null) void queries.invalidateQueries({ queryKey: dayKeys.board });
  }, [id, better, state, queries]);
  return job.data;
}

/**
 * What has changed since the plan was made is planned anew by itself, once for each state of the board; what cannot be planned is
 * not tried again and again.
 */
export function useReplanning(day: Day | undefined, may: boolean) {
  const plan = usePlanning();
  const tried = useRef("");
  const { mutate, isPending } = plan;
  const state = day === undefined ? "" : `${day.made_at} ${day.queued} ${day.machines.map((one) => `${one.running?.run_id} ${one.running?.delay_s} ${one.holds}`).join()} ${day.house_version}`;
  useEffect(() => {
    if (!may || day === undefined || !day.stale || day.job_id != null || isPending || tried.current === state) return;
    tried.current = state;
    mutate(10);
  }, [may, day, state, isPending, mutate]);
  return plan;
}

export async function addToQueue(body: QueueAdd): Promise<Queued> {
  return take(await api.POST("/api/queue", { body }));
}

export async function editQueued(item: { id: number }, body: QueueEdit): Promise<Queued> {
  return take(await api.PATCH("/api/queue/{queue_id}", { params: { path: { queue_id: item.id } }, body }));
}

export async function removeQueued(item: { id: number; version: number }): Promise<Queued> {
  return take(await api.POST("/api/queue/{queue_id}/delete", { params: { path: { queue_id: item.id } }, body: { version: item.version } }));
}

export async function restoreQueued(id: number): Promise<Queued> {
  return take(await api.POST("/api/queue/{queue_id}/restore", { params: { path: { queue_id: id } } }));
}
