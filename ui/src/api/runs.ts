import { keepPreviousData, useInfiniteQuery, useQuery, type QueryClient } from "@tanstack/react-query";
import { api, take, type Run } from "./client";

export const runKeys = {
  all: ["runs"] as const,
  list: (filter: RunFilter) => ["runs", "list", filter] as const,
  run: (id: number) => ["runs", "one", id] as const,
  since: (id: number) => ["runs", "since", id] as const,
  causes: (id: number) => ["runs", "causes", id] as const,
  chain: (id: number) => ["runs", "chain", id] as const,
  rates: ["runs", "rates"] as const,
  faults: ["faults"] as const,
  journal: ["journal"] as const,
  backups: ["backups"] as const,
};

/** Which runs are asked for, as the page's address has it. */
export interface RunFilter {
  part_id?: number;
  machine_id?: number;
  nozzle_id?: number;
  plastic?: string;
  fault?: string;
  state?: "" | "running" | "kept" | "scrapped" | "stopped";
  since?: string;
  until?: string;
  search?: string;
}

const path = (run_id: number) => ({ params: { path: { run_id } } });

export function useRuns(filter: RunFilter) {
  return useInfiniteQuery({
    queryKey: runKeys.list(filter),
    queryFn: async ({ pageParam }) => take(await api.GET("/api/runs", { params: { query: { ...filter, ...(pageParam === 0 ? {} : { after: pageParam }) } } })),
    initialPageParam: 0,
    getNextPageParam: (page) => (page.more ? page.runs[page.runs.length - 1]?.id : undefined),
    placeholderData: keepPreviousData,
    refetchOnMount: "always",
  });
}

export function useRun(id: number) {
  return useQuery({ queryKey: runKeys.run(id), queryFn: async () => take(await api.GET("/api/runs/{run_id}", path(id))), refetchOnMount: "always" });
}

export function useSince(id: number, enabled = true) {
  return useQuery({ queryKey: runKeys.since(id), queryFn: async () => take(await api.GET("/api/runs/{run_id}/since", path(id))), refetchOnMount: "always", enabled });
}

export function useCauses(id: number) {
  return useQuery({ queryKey: runKeys.causes(id), queryFn: async () => take(await api.GET("/api/runs/{run_id}/causes", path(id))).faults, refetchOnMount: "always" });
}

/** What trying a cause costs; asked for one after the other, as each shows. */
export function usePrice(id: number, fault: string, cause: string, enabled: boolean) {
  return useQuery({
    queryKey: ["price", id, fault, cause],
    queryFn: async () => take(await api.POST("/api/runs/{run_id}/causes/price", { ...path(id), body: { fault, cause } })),
    enabled,
    staleTime: Infinity,
    retry: false,
  });
}

export function useChain(id: number) {
  return useQuery({ queryKey: runKeys.chain(id), queryFn: async () => take(await api.GET("/api/runs/{run_id}/chain", path(id))), refetchOnMount: "always" });
}

export function useFaults() {
  return useQuery({ queryKey: runKeys.faults, queryFn: async () => take(await api.GET("/api/faults")).faults, staleTime: Infinity });
}

export function useRates() {
  return useQuery({ queryKey: runKeys.rates, queryFn: async () => take(await api.GET("/api/fault-rates")).machines, refetchOnMount: "always" });
}

export function useJournal(machine_id?: number) {
  return useInfiniteQuery({
    queryKey: [...runKeys.journal, machine_id],
    queryFn: async ({ pageParam }) =>
      take(await api.GET("/api/journal", { params: { query: { ...(machine_id === undefined ? {} : { machine_id }), ...(pageParam === 0 ? {} : { after: pageParam }) } } })),
    initialPageParam: 0,
    getNextPageParam: (page) => (page.more ? page.entries[page.entries.length - 1]?.id : undefined),
    refetchOnMount: "always",
  });
}

/** After a run was changed: itself, every list of runs, and the parts' list. */
export async function runChanged(queries: QueryClient, run: Run): Promise<void> {
  queries.setQueryData(runKeys.run(run.id), run);
  // Every interval of its machine follows.
  await Promise.all([runKeys.all, ["parts"], ["shelf"], ["learnt"], ["estimate"], ["experiments"]].map((queryKey) => queries.invalidateQueries({ queryKey })));
}
