import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, take, type Part, type RecipeColumn } from "../../api/client";

/** Between two looks at an answer that is still growing. */
const AGAIN_MS = 60;

/**
 * The changes that save most in a column, growing until all are tried. Asked for once the column's figures are there; when the page
 * stops asking, the engine stops trying.
 */
export function useNextMoves(column: RecipeColumn | undefined, part: Part, ready: boolean) {
  const asked = ready && column !== undefined && !column.gcode && column.problem == null;
  return useQuery({
    queryKey: ["next", column?.id, column?.version, column?.inputs, part.version, part.facts.digest],
    queryFn: async ({ signal }) =>
      take(await api.POST("/api/recipes/{recipe_id}/next", { params: { path: { recipe_id: column?.id ?? 0 } }, signal })),
    enabled: asked,
    refetchInterval: (query) => (asked && query.state.status !== "error" && query.state.data?.done === false ? AGAIN_MS : false),
    // Those of the last state stand until the first new ones are there: nothing jumps while one types.
    placeholderData: keepPreviousData,
    staleTime: 60_000,
    gcTime: 120_000,
    retry: false,
  });
}
