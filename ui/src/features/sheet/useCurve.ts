import { useQuery } from "@tanstack/react-query";
import { api, take, type RecipeColumn } from "../../api/client";

/** Between two looks at a curve that is still growing. */
const AGAIN_MS = 60;

/** What each value of a number would make of a column, growing point by point. */
export function useCurve(column: RecipeColumn, key: string, asked: boolean) {
  return useQuery({
    queryKey: ["curve", column.id, column.version, column.inputs, column.part_digest, key],
    queryFn: async ({ signal }) =>
      take(await api.POST("/api/recipes/{recipe_id}/curve", { params: { path: { recipe_id: column.id } }, body: { key }, signal })),
    enabled: asked,
    refetchInterval: (query) => (asked && query.state.status !== "error" && query.state.data?.done === false ? AGAIN_MS : false),
    // The curve of the same row of the last state stands until the new one is there.
    placeholderData: (last, query) => (query?.queryKey[1] === column.id && query.queryKey.at(-1) === key ? last : undefined),
    staleTime: Infinity,
    gcTime: 120_000,
    retry: false,
  });
}
