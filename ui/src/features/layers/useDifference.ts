import { useCallback, useMemo, useState } from "react";
import type { StrokePiece } from "../../api/binary";
import type { StrokesIndex } from "../../api/client";
import { strokeKey, StrokeSets, type OnlyHere } from "./difference";
import type { Apart } from "./painting";

/** What of two recipes in step only one has, as far as their strokes are fetched. */
export function useDifference(mine: StrokesIndex, its: StrokesIndex | null) {
  const one = useSets(mine);
  const other = useSets(its);
  const apartMine = useApart(mine, other.sets, other.known);
  const apartIts = useApart(its, one.sets, one.known);
  const none: OnlyHere = { strokes: 0, seconds: 0 };
  const inLayer = (layer: number, twin: number): readonly [OnlyHere, OnlyHere] =>
    one.sets && other.sets ? [one.sets.onlyHere(layer, other.sets), other.sets.onlyHere(twin, one.sets)] : [none, none];
  return { mine: apartMine, its: apartIts, onMine: one.add, onIts: other.add, inLayer };
}

/** The strokes of a recipe as they come; `known` grows with them. */
function useSets(index: StrokesIndex | null) {
  const sets = useMemo(() => index && new StrokeSets(index), [index]);
  const [known, setKnown] = useState(0);
  const add = useCallback(
    (data: StrokePiece) => {
      sets?.add(data);
      setKnown((now) => now + 1);
    },
    [sets],
  );
  return { sets, known, add };
}

/** Tells strokes that the other has not; anew whenever more of the other is known. */
function useApart(index: StrokesIndex | null, other: StrokeSets | null, known: number): Apart | undefined {
  return useMemo<Apart | undefined>(() => {
    if (index === null || other === null) return undefined;
    return (piece, k) => {
      const held = other.holds(index.top_mm[piece.layer[k] ?? 0] ?? 0, strokeKey(piece, k));
      return held === undefined ? undefined : !held;
    };
    // eslint-disable-next-line react-hooks/exhaustive-deps -- what the other holds has grown
  }, [index, other, known]);
}
