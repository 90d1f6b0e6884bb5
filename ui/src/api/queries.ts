import { keepPreviousData, useMutation, useQuery, useQueryClient, type QueryClient } from "@tanstack/react-query";
import { api, take, type Estimate, type Part, type Recipe, type RecipeColumn } from "./client";

export const keys = {
  parts: ["parts"] as const,
  part: (id: number) => ["part", id] as const,
  columns: (partId: number) => ["columns", partId] as const,
  shelf: ["shelf"] as const,
};

export function useParts() {
  return useQuery({
    queryKey: keys.parts,
    queryFn: async () => take(await api.GET("/api/parts")).parts,
    // The bench may have computed new figures for the list meanwhile.
    refetchOnMount: "always",
  });
}

export function usePart(id: number) {
  return useQuery({
    queryKey: keys.part(id),
    queryFn: async () => take(await api.GET("/api/parts/{part_id}", { params: { path: { part_id: id } } })),
  });
}

export function useColumns(partId: number) {
  return useQuery({
    queryKey: keys.columns(partId),
    queryFn: async () =>
      take(await api.GET("/api/parts/{part_id}/recipes", { params: { path: { part_id: partId } } })).recipes,
    // An answer that was under way while an edit was stored must not put the older version back.
    structuralSharing: (known, fetched) => newest(known as RecipeColumn[] | undefined, fetched as RecipeColumn[]),
  });
}

/** The fetched columns, each in the newest version that is known. */
export function newest(known: RecipeColumn[] | undefined, fetched: RecipeColumn[]): RecipeColumn[] {
  return fetched.map((column) => {
    const mine = known?.find((one) => one.id === column.id);
    return mine !== undefined && mine.version > column.version ? mine : column;
  });
}

export function useShelf() {
  return useQuery({
    queryKey: keys.shelf,
    queryFn: async () => take(await api.GET("/api/shelf")),
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
  await Promise.all(
    [["columns"], ["estimate"], keys.shelf].map((queryKey) => queries.invalidateQueries({ queryKey })),
  );
}

/** What estimateQuery needs to know of a column; the version changes with every edit. */
export function estimateQuery(column: RecipeColumn) {
  return {
    queryKey: ["estimate", column.id, column.version] as const,
    queryFn: async () =>
      take(
        await api.POST("/api/recipes/{recipe_id}/estimate", { params: { path: { recipe_id: column.id } } }),
      ),
    enabled: column.problem == null,
    initialData: column.estimate ?? undefined,
    staleTime: Infinity,
    // Until the new answer is there the column keeps its own last one, and never another column's.
    placeholderData: (last: Estimate | undefined, query: { queryKey: readonly unknown[] } | undefined) =>
      query?.queryKey[1] === column.id ? last : undefined,
    retry: false,
  };
}

export interface PreviewAsk {
  machine_id: number;
  nozzle_id: number;
  material_id: number;
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

export function useRemovePart() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (part: Part) =>
      take(
        await api.POST("/api/parts/{part_id}/delete", {
          params: { path: { part_id: part.id } },
          body: { version: part.version },
        }),
      ),
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
