import { t } from "@lingui/core/macro";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import { fetchStrokes, type StrokePiece } from "../../api/binary";
import { api, take, type RecipeColumn, type StrokesIndex } from "../../api/client";
import { spansOf, type Span, type StrokeScene } from "./StrokeScene";
import type { Painter } from "./painting";

/** The table of a column's layers. */
export function useStrokesIndex(column: RecipeColumn | undefined) {
  return useQuery({
    queryKey: ["strokes", column?.id, column?.version, column?.part_digest],
    queryFn: async ({ signal }) =>
      take(await api.GET("/api/recipes/{recipe_id}/strokes", { params: { path: { recipe_id: column?.id ?? 0 } }, signal })),
    enabled: column !== undefined && column.problem == null,
    staleTime: Infinity,
    gcTime: 120_000,
    retry: false,
  });
}

interface Loading {
  /** Pieces that are there, and how many are wanted. */
  loaded: number;
  wanted: number;
  problem: string | null;
}

/**
 * Fetch the pieces of a column into its scene: the one that is looked at first, then, where layers below are shown, the
 * others, nearest first. Another layer changes the order; nothing is fetched twice.
 */
export function useStrokes(
  column: RecipeColumn,
  index: StrokesIndex,
  scene: StrokeScene | null,
  layer: number,
  below: boolean,
  resting: boolean,
  painter: Painter,
  onPiece?: (data: StrokePiece) => void,
): Loading {
  const queries = useQueryClient();
  const spans = useMemo(() => spansOf(index), [index]);
  const [loaded, setLoaded] = useState(0);
  const [problem, setProblem] = useState<string | null>(null);
  const present = useRef(new Map<number, boolean>());
  const paint = useRef(painter);
  const tell = useRef(onPiece);
  useEffect(() => {
    paint.current = painter;
    tell.current = onPiece;
  }, [painter, onPiece]);

  const at = spans.findIndex((span) => layer >= span.first && layer < span.end);
  const wanted = useMemo(() => {
    const order: Span[] = [];
    for (let k = at; k >= 0; k--) {
      const span = spans[k];
      if (span && (below || k === at)) order.push(span);
    }
    return order;
  }, [spans, at, below]);

  useEffect(() => {
    const map = present.current;
    return () => map.clear();
  }, [scene]);

  useEffect(() => {
    if (scene === null) return;
    const stop = new AbortController();
    const go = async () => {
      for (const span of wanted) {
        // A piece without what lies below it will do, unless just that is asked for.
        if (scene.has(span) && (!resting || present.current.get(span.first) === true)) continue;
        const data = await queries.query({
          queryKey: ["strokes", column.id, column.version, column.part_digest, span.first, resting],
          queryFn: ({ signal }) => fetchStrokes(column.id, span.first, span.end, resting, signal),
          staleTime: Infinity,
          gcTime: 30_000,
          retry: false,
        });
        if (stop.signal.aborted) return;
        scene.add(span, data, paint.current);
        present.current.set(span.first, resting);
        tell.current?.(data);
        setLoaded(wanted.filter((one) => scene.has(one)).length);
      }
      setLoaded(wanted.length);
    };
    go().then(
      () => setProblem(null),
      (error: unknown) => {
        if (!stop.signal.aborted) setProblem(error instanceof Error ? error.message : t`The strokes could not be fetched.`);
      },
    );
    return () => stop.abort();
  }, [column, queries, resting, scene, wanted]);
  return { loaded: Math.min(loaded, wanted.length), wanted: wanted.length, problem };
}
