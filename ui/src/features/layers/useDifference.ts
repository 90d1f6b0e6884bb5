import { useCallback, useMemo, useRef, useState } from "react";
import type { StrokePiece } from "../../api/binary";
import type { StrokesIndex } from "../../api/client";
import { onlyIn, strokeKey, StrokeSets } from "./difference";
import type { Apart } from "./painting";

export interface OnlyHere {
  strokes: number;
  seconds: number;
}

/** What of two recipes in step only one has, as far as their strokes are fetched. */
export function useDifference(mine: StrokesIndex, its: StrokesIndex | null) {
  // Sets are filled as pieces come; the counts say that they have.
  const sets = useMemo(() => ({ mine: new StrokeSets(mine), its: its && new StrokeSets(its) }), [mine, its]);
  const pieces = useRef<{ mine: StrokePiece[]; its: StrokePiece[] }>({ mine: [], its: [] });
  const [known, setKnown] = useState({ mine: 0, its: 0 });
  const onMine = useCallback(
    (data: StrokePiece) => {
      sets.mine.add(data);
      pieces.current.mine.push(data);
      setKnown((now) => ({ ...now, mine: now.mine + 1 }));
    },
    [sets],
  );
  const onIts = useCallback(
    (data: StrokePiece) => {
      sets.its?.add(data);
      pieces.current.its.push(data);
      setKnown((now) => ({ ...now, its: now.its + 1 }));
    },
    [sets],
  );
  const against = (index: StrokesIndex | null, other: StrokeSets | null): Apart | undefined => {
    if (index === null || other === null) return undefined;
    return (piece, k) => {
      const held = other.holds(index.top_mm[piece.layer[k] ?? 0] ?? 0, strokeKey(piece, k));
      return held === undefined ? undefined : !held;
    };
  };
  // eslint-disable-next-line react-hooks/exhaustive-deps -- what the other holds has grown
  const apartMine = useMemo(() => against(mine, sets.its), [mine, sets, known.its]);
  // eslint-disable-next-line react-hooks/exhaustive-deps -- what the other holds has grown
  const apartIts = useMemo(() => against(its, sets.mine), [its, sets, known.mine]);
  const inLayer = (layer: number, twin: number): readonly [OnlyHere, OnlyHere] => [
    ofLayer(pieces.current.mine, mine, layer, sets.its),
    ofLayer(pieces.current.its, its, twin, sets.mine),
  ];
  return { mine: apartMine, its: apartIts, onMine, onIts, inLayer };
}

function ofLayer(pieces: readonly StrokePiece[], index: StrokesIndex | null, layer: number, other: StrokeSets | null): OnlyHere {
  const none = { strokes: 0, seconds: 0 };
  if (index === null || other === null) return none;
  const piece = pieces.find((one) => one.count > 0 && (one.layer[0] ?? 0) <= layer && (one.layer[one.count - 1] ?? 0) >= layer);
  if (piece === undefined) return none;
  const from = (index.first_stroke[layer] ?? 0) - (index.first_stroke[piece.layer[0] ?? 0] ?? 0);
  const to = from + (index.first_stroke[layer + 1] ?? 0) - (index.first_stroke[layer] ?? 0);
  return onlyIn(piece, from, to, index.top_mm[layer] ?? 0, other, index.features.indexOf("travel"));
}
