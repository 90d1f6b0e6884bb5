import { keepPreviousData, useQuery, type QueryClient } from "@tanstack/react-query";
import { api, take, type Causes, type RecipeColumn, type TimeDifference } from "./client";

export const learntKeys = {
  all: ["learnt"] as const,
  machines: ["learnt", "machines"] as const,
  machine: (id: number) => ["learnt", "machine", id] as const,
  experiments: ["experiments"] as const,
  experiment: (id: number) => ["experiments", "one", id] as const,
};

/** Every machine with what its log has taught, in short. */
export function useCalibrations() {
  return useQuery({ queryKey: learntKeys.machines, queryFn: async () => take(await api.GET("/api/calibrations")).machines, refetchOnMount: "always" });
}

/** All that a machine's log has taught. */
export function useCalibration(machine_id: number | undefined) {
  return useQuery({
    queryKey: learntKeys.machine(machine_id ?? 0),
    queryFn: async () => take(await api.GET("/api/machines/{machine_id}/calibration", { params: { path: { machine_id: machine_id ?? 0 } } })),
    enabled: machine_id !== undefined,
    refetchOnMount: "always",
    placeholderData: keepPreviousData,
  });
}

/** What columns take longer than the first of them, each with its interval, by column. */
export function useDifferences(columns: readonly RecipeColumn[]): ReadonlyMap<number, TimeDifference | null> {
  const [first, ...others] = columns;
  const found = useQuery({
    queryKey: ["learnt", "differences", ...columns.map((column) => [column.id, column.version, column.inputs])],
    queryFn: async ({ signal }) => take(await api.POST("/api/differences", { body: { from_id: first?.id ?? 0, to_ids: others.map((column) => column.id) }, signal })).columns,
    enabled: first !== undefined && others.length > 0,
    staleTime: 300_000,
    gcTime: 60_000,
    retry: false,
  });
  return new Map((found.data ?? []).map((one) => [one.recipe_id, one.difference]));
}

/** What prints that are thought of will really take on a column's machine, held against one of them. */
export function useExpected(column: RecipeColumn, prints: readonly Causes[], against: Causes | undefined, enabled: boolean, errors_s: readonly number[] = []) {
  return useQuery({
    queryKey: ["learnt", "expected", column.id, column.version, against, prints, errors_s],
    queryFn: async ({ signal }) =>
      take(await api.POST("/api/recipes/{recipe_id}/expected", { params: { path: { recipe_id: column.id } }, body: { prints: [...prints], errors_s: [...errors_s], against }, signal })),
    enabled: enabled && prints.length > 0,
    staleTime: 300_000,
    gcTime: 60_000,
    retry: false,
  });
}

export function useExperiments() {
  return useQuery({ queryKey: learntKeys.experiments, queryFn: async () => take(await api.GET("/api/experiments")).experiments, refetchOnMount: "always" });
}

export function useReadyMade() {
  return useQuery({ queryKey: ["ready-made"], queryFn: async () => take(await api.GET("/api/experiments/ready-made")), staleTime: 300_000 });
}

export function useExperiment(id: number) {
  return useQuery({
    queryKey: learntKeys.experiment(id),
    queryFn: async () => take(await api.GET("/api/experiments/{experiment_id}", { params: { path: { experiment_id: id } } })),
    refetchOnMount: "always",
  });
}

/** After limits were changed: every figure of the machine may be another. */
export async function limitsChanged(queries: QueryClient): Promise<void> {
  queries.removeQueries({ queryKey: ["estimate"], type: "inactive" });
  await Promise.all([["learnt"], ["estimate"], ["columns"], ["findings"], ["parts"], ["shelf"], ["journal"], ["experiments"]].map((queryKey) => queries.invalidateQueries({ queryKey })));
}
