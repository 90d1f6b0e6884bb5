import { t } from "@lingui/core/macro";
import names from "./names.json";
import { keepPreviousData, queryOptions, useInfiniteQuery, useMutation, useQueries, useQuery, useQueryClient, type QueryClient } from "@tanstack/react-query";
import { api, take, type Estimate, type Finding, type Measures, type Part, type Recipe, type RecipeColumn } from "./client";

export const keys = {
  parts: ["parts"] as const,
  part: (id: number) => ["part", id] as const,
  columns: (partId: number) => ["columns", partId] as const,
  shelf: ["shelf"] as const,
  houses: ["houses"] as const,
  houseRules: ["house-rules"] as const,
  flowTests: ["flow-tests"] as const,
  flowTest: (id: number) => ["flow-test", id] as const,
  testPieces: ["test-pieces"] as const,
  insight: (partId: number, digest: string) => ["insight", partId, digest] as const,
};

/** Parts, the newest first, as many as were asked for so far; of a name if one is searched. */
export function useParts(search = "") {
  return useInfiniteQuery({
    queryKey: [...keys.parts, "list", search],
    queryFn: async ({ pageParam }) =>
      take(await api.GET("/api/parts", { params: { query: { ...(pageParam === 0 ? {} : { before: pageParam }), ...(search === "" ? {} : { search }) } } })),
    initialPageParam: 0,
    getNextPageParam: (page) => (page.more ? page.parts[page.parts.length - 1]?.id : undefined),
    placeholderData: keepPreviousData,
    // The bench may have computed new figures for the list meanwhile.
    refetchOnMount: "always",
  });
}

/** The names of all parts, the newest first. */
export function usePartNames() {
  return useQuery({
    queryKey: [...keys.parts, "names"],
    queryFn: async () => take(await api.GET("/api/parts/names")).parts,
    refetchOnMount: "always",
  });
}

export function partQuery(id: number) {
  return queryOptions({
    queryKey: keys.part(id),
    queryFn: async () => take(await api.GET("/api/parts/{part_id}", { params: { path: { part_id: id } } })),
  });
}

export function usePart(id: number) {
  return useQuery(partQuery(id));
}

export function useHouses() {
  return useQuery({
    queryKey: keys.houses,
    queryFn: async () => take(await api.GET("/api/house-recipes")).recipes,
    // Columns are filled from them and changed all the time.
    refetchOnMount: "always",
  });
}

export function columnsQuery(partId: number) {
  return queryOptions({
    queryKey: keys.columns(partId),
    queryFn: async () =>
      take(await api.GET("/api/parts/{part_id}/recipes", { params: { path: { part_id: partId } } })).recipes,
    // An answer that was under way while an edit was stored must not put the older version back.
    structuralSharing: (known, fetched) => newest(known as RecipeColumn[] | undefined, fetched as RecipeColumn[]),
  });
}

export function useColumns(partId: number) {
  return useQuery(columnsQuery(partId));
}

/** The fetched columns, each in the newest version that is known. */
export function newest(known: RecipeColumn[] | undefined, fetched: RecipeColumn[]): RecipeColumn[] {
  return fetched.map((column) => {
    const mine = known?.find((one) => one.id === column.id);
    return mine !== undefined && mine.version > column.version ? mine : column;
  });
}

export function useShelf({ fresh = false } = {}) {
  return useQuery({
    queryKey: keys.shelf,
    queryFn: async () => take(await api.GET("/api/shelf")),
    staleTime: 300_000,
    refetchOnMount: fresh ? "always" : true,
  });
}

/** The workshop's rules, hours and money. */
export function useHouseRules() {
  return useQuery({
    queryKey: keys.houseRules,
    queryFn: async () => take(await api.GET("/api/house-rules")),
    staleTime: 300_000,
  });
}

/** When a print so long ends with nobody there; empty where someone is, or nothing is known. */
export function useEnding(whole_time_s: number | undefined) {
  // To five minutes: a figure that moves by seconds is no other answer.
  const rounded = whole_time_s === undefined ? undefined : Math.round(whole_time_s / 300) * 300;
  return useQuery({
    queryKey: ["ending", rounded],
    queryFn: async () => take(await api.GET("/api/endings", { params: { query: { whole_time_s: rounded ?? 0 } } })).sentence,
    enabled: rounded !== undefined,
    staleTime: 300_000,
  });
}

/**
 * After a change on the shelf every column and estimate may be another. What no page shows is forgotten; what one
 * shows, or waits for, is asked for anew: forgetting it would leave that page waiting for ever.
 */
export async function shelfChanged(queries: QueryClient): Promise<void> {
  const about = (queryKey: readonly string[]) => ({ queryKey, type: "inactive" as const });
  queries.removeQueries(about(["estimate"]));
  queries.removeQueries(about(["columns"]));
  queries.removeQueries(about(["findings"]));
  await Promise.all(
    [["columns"], ["estimate"], ["findings"], ["learnt"], keys.parts, keys.shelf].map((queryKey) => queries.invalidateQueries({ queryKey })),
  );
}

function findingsQuery(column: RecipeColumn | undefined, part: Part, ready: boolean) {
  return queryOptions({
    queryKey: ["findings", column?.id, column?.version, column?.inputs, column?.spool_id, part.version, part.facts.digest],
    queryFn: async ({ signal }) =>
      take(await api.GET("/api/recipes/{recipe_id}/findings", { params: { path: { recipe_id: column?.id ?? 0 } }, signal })),
    enabled: ready && column !== undefined,
    staleTime: 60_000,
    gcTime: 120_000,
  });
}

/** Findings of a column by the house's rules and the part's purpose; asked for when its figures are there. */
export function useFindings(column: RecipeColumn | undefined, part: Part, ready: boolean) {
  return useQuery({
    ...findingsQuery(column, part, ready),
    // Those of its last state stand until the new ones are there: nothing jumps.
    placeholderData: (last, query) => (query?.queryKey[1] === column?.id ? last : undefined),
  });
}

/** Findings of all columns, each asked for when its figures are there. */
export function useColumnFindings(columns: readonly { column: RecipeColumn; ready: boolean }[], part: Part): (Finding[] | undefined)[] {
  return useQueries({ queries: columns.map(({ column, ready }) => findingsQuery(column, part, ready)) }).map((answer) => answer.data?.findings as Finding[] | undefined);
}

/** What several columns measure, each as soon as it is known. */
export function useMeasures(columns: readonly RecipeColumn[], part: Part): (Measures | undefined)[] {
  return useQueries({ queries: columns.map((column) => findingsQuery(column, part, true)), combine: measuresOf });
}

/** One list for as long as nothing in it changes: what is drawn from it is drawn once. */
function measuresOf(answers: readonly { data?: { measures?: Measures | null } }[]): (Measures | undefined)[] {
  return answers.map((answer) => answer.data?.measures ?? undefined);
}

/** About how many layers a first answer is computed from. */

/** Identifies what a column's figures are computed from: its own version, how its part stands, and all else at once. */
function figureKey(column: RecipeColumn) {
  return [column.id, column.version, column.part_digest, column.inputs] as const;
}

/** A first answer, of a sample of layers; only where the full one is not known yet. */
export function sampleQuery(column: RecipeColumn, ahead?: Promise<Estimate | undefined>) {
  return {
    queryKey: ["sample", ...figureKey(column)] as const,
    queryFn: async ({ signal }: { signal: AbortSignal }) =>
      (await ahead) ??
      take(
        await api.POST("/api/recipes/{recipe_id}/estimate", {
          params: { path: { recipe_id: column.id }, query: { layers: names.sample_layers } },
          signal,
        }),
      ),
    enabled: column.problem == null && column.estimate == null && !column.gcode,
    staleTime: Infinity,
    gcTime: 60_000,
    retry: false,
  };
}

/**
 * The first answer to choices that are being written, asked for beside the write; undefined where it has to wait for what is stored,
 * or cannot be had. Whoever asks sees to it that it is used for no other version.
 */
export async function askAhead(before: RecipeColumn, choices: Recipe): Promise<Estimate | undefined> {
  try {
    return take(
      await api.POST("/api/recipes/{recipe_id}/first-answer", {
        params: { path: { recipe_id: before.id } },
        body: { version: before.version, choices, layers: names.sample_layers },
      }),
    );
  } catch {
    return undefined; // the usual question, once the choices are stored, says what is wrong
  }
}

/** The full answer. The version changes with every edit, so that an older answer never stands in for a newer one. */
export function estimateQuery(column: RecipeColumn, enabled: boolean) {
  return {
    queryKey: ["estimate", ...figureKey(column)] as const,
    queryFn: ({ signal, client }: { signal: AbortSignal; client: QueryClient }) => fetchFigures(column.id, signal, client),
    enabled: column.problem == null && (enabled || column.estimate != null),
    initialData: column.estimate ?? undefined,
    staleTime: Infinity,
    // Until the new answer is there the column keeps its own last one, and never another column's.
    placeholderData: (last: Estimate | undefined, query: { queryKey: readonly unknown[] } | undefined) =>
      query?.queryKey[1] === column.id ? last : undefined,
    retry: false,
  };
}

/** How far a column's full computation is, where it takes long enough to say so. */
export interface FiguresProgress {
  jobId: number;
  share: number;
  doing: string;
}

export const progressKey = (recipeId: number) => ["figures-progress", recipeId] as const;

/** The full figures: known, quick, or by following the job that computes them. Whoever goes away stops it. */
async function fetchFigures(recipeId: number, signal: AbortSignal, client: QueryClient): Promise<Estimate> {
  const path = { recipe_id: recipeId };
  const tell = (progress: FiguresProgress | null) => client.setQueryData(progressKey(recipeId), progress);
  try {
    for (let tries = 0; tries < 3; tries++) {
      const figures = take(await api.POST("/api/recipes/{recipe_id}/figures", { params: { path }, signal }));
      if (figures.estimate) return figures.estimate;
      let job = figures.job;
      if (!job) break;
      const stop = () => void api.POST("/api/jobs/{job_id}/cancel", { params: { path: { job_id: figures.job?.id ?? 0 } } });
      signal.addEventListener("abort", stop, { once: true });
      while (job.state === "waiting" || job.state === "running") {
        tell({ jobId: job.id, share: job.share, doing: job.doing });
        await new Promise((resolve) => setTimeout(resolve, 200));
        job = take(await api.GET("/api/jobs/{job_id}", { params: { path: { job_id: job.id } }, signal }));
      }
      signal.removeEventListener("abort", stop);
      // Stopped because the column was changed meanwhile: its new state is asked for.
      if (job.state === "cancelled" && job.problem !== "") continue;
      if (job.state === "cancelled") throw new Error(t`The computation was stopped. Change a cell, or ask again.`);
      if (job.state === "failed") throw new Error(job.problem);
    }
    throw new Error(t`The figures could not be computed. Reload the page.`);
  } finally {
    tell(null);
  }
}

/** Figures of a column as they come in: the last known, then those of a sample, then the full ones. */
export interface Figures {
  estimate: Estimate | undefined;
  sampled: boolean;
  pending: boolean;
  error: string | null;
}

/** The figures of several columns, each as soon as there are some. */
export function useFigures(columns: readonly RecipeColumn[]): Figures[] {
  const samples = useQueries({ queries: columns.map((column) => sampleQuery(column)) });
  const full = useQueries({
    queries: columns.map((column, index) => {
      const sample = samples[index];
      // The full computation would take the machine from the first answer: it starts when that is there.
      const settled = column.gcode != null || (sample !== undefined && (sample.isSuccess || sample.isError));
      return estimateQuery(column, settled);
    }),
  });
  return columns.map((column, index) => {
    const [sample, answer] = [samples[index], full[index]];
    const current = answer !== undefined && answer.isSuccess && !answer.isPlaceholderData;
    const sampled = !current && sample?.data !== undefined && sample.data.layers_planned < sample.data.layers;
    return {
      estimate: current ? answer.data : (sample?.data ?? answer?.data),
      sampled,
      pending: !current && !answer?.isError && column.problem == null,
      error: column.problem ?? answer?.error?.message ?? null,
    };
  });
}

export interface PreviewAsk {
  machine_id: number;
  nozzle_id: number;
  material_id: number;
  part_id: number;
  choices: Recipe;
}

export function usePreview(ask: PreviewAsk | null) {
  return useQuery({
    queryKey: ["preview", ask],
    queryFn: async () => {
      if (ask === null) throw new Error("nothing to ask");
      return take(await api.POST("/api/preview", { body: ask }));
    },
    enabled: ask !== null,
    placeholderData: keepPreviousData,
    retry: false,
    staleTime: Infinity,
    gcTime: 10_000,
  });
}

const asking = new Map<number, AbortController>();

/** Have a new part's first column computed, so that the list of parts shows its minutes. */
export async function askFirstFigures(partId: number): Promise<void> {
  const stop = new AbortController();
  asking.set(partId, stop);
  const { signal } = stop;
  try {
    const path = { part_id: partId };
    const first = take(await api.GET("/api/parts/{part_id}/recipes", { params: { path }, signal })).recipes[0];
    if (first === undefined) return;
    take(await api.POST("/api/recipes/{recipe_id}/estimate", { params: { path: { recipe_id: first.id } }, signal }));
  } finally {
    asking.delete(partId);
  }
}

/** The part goes: nothing more is asked about it. */
export function stopAsking(partId: number): void {
  asking.get(partId)?.abort();
}

export function useRemovePart() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (part: Part) => {
      stopAsking(part.id);
      return take(
        await api.POST("/api/parts/{part_id}/delete", {
          params: { path: { part_id: part.id } },
          body: { version: part.version },
        }),
      );
    },
    onSettled: () => queries.invalidateQueries({ queryKey: keys.parts }),
  });
}

export function useRestorePart() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (id: number) =>
      take(await api.POST("/api/parts/{part_id}/restore", { params: { path: { part_id: id } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: keys.parts }),
  });
}
