import type { StrokePiece } from "../../api/binary";
import type { StrokesIndex } from "../../api/client";
import { layerAt } from "./places";

/** Strokes are the same where their ends agree to a twentieth of a millimetre, whichever way they are laid. */
const GRID_MM = 0.05;

/** A number that tells a stroke by its place: the middle and how far its ends lie from it, each on the grid. */
export function strokeKey(piece: StrokePiece, k: number): number {
  const [ax, ay, bx, by] = [piece.xy[4 * k] ?? 0, piece.xy[4 * k + 1] ?? 0, piece.xy[4 * k + 2] ?? 0, piece.xy[4 * k + 3] ?? 0];
  const on = (value: number) => Math.round(value / GRID_MM);
  const [mx, my] = [on(ax + bx) + 40_000, on(ay + by) + 40_000];
  // Both ways along a stroke are one: the way is told by its size, and by whether it rises.
  const rises = (bx - ax) * (by - ay) >= 0 ? 1 : 0;
  const [dx, dy] = [on(Math.abs(bx - ax)) % 1021, on(Math.abs(by - ay)) % 1021];
  return (((mx * 80_021 + my) * 1021 + dx) * 1021 + dy) * 2 + rises;
}

export interface OnlyHere {
  strokes: number;
  seconds: number;
}

/** The strokes of one recipe, layer by layer, as far as they are fetched. */
export class StrokeSets {
  private readonly layers = new Map<number, Set<number>>();
  private readonly pieces: StrokePiece[] = [];

  constructor(readonly index: StrokesIndex) {}

  add(piece: StrokePiece): void {
    this.pieces.push(piece);
    for (let k = 0; k < piece.count; k++) {
      const layer = piece.layer[k] ?? 0;
      let set = this.layers.get(layer);
      if (set === undefined) this.layers.set(layer, (set = new Set()));
      set.add(strokeKey(piece, k));
    }
  }

  /** How many strokes of a layer the other has not, and how long they take; none while the layer is not fetched. */
  onlyHere(layer: number, other: StrokeSets): OnlyHere {
    const piece = this.pieces.find((one) => one.count > 0 && (one.layer[0] ?? 0) <= layer && (one.layer[one.count - 1] ?? 0) >= layer);
    if (piece === undefined) return { strokes: 0, seconds: 0 };
    const first = this.index.first_stroke;
    const from = (first[layer] ?? 0) - (first[piece.layer[0] ?? 0] ?? 0);
    const to = from + (first[layer + 1] ?? 0) - (first[layer] ?? 0);
    return onlyIn(piece, from, to, this.index.top_mm[layer] ?? 0, other, this.index.features.indexOf("travel"));
  }

  /** Whether a stroke at a height is among these; undefined while that layer is not fetched. */
  holds(top_mm: number, key: number): boolean | undefined {
    return this.layers.get(layerAt(this.index, top_mm))?.has(key);
  }
}

/** How many strokes of a layer only one recipe has, and how long they take. */
export function onlyIn(piece: StrokePiece, from: number, to: number, top_mm: number, other: StrokeSets, travelCode: number): OnlyHere {
  let [strokes, seconds] = [0, 0];
  for (let k = from; k < to; k++) {
    if (piece.feature[k] === travelCode || other.holds(top_mm, strokeKey(piece, k)) !== false) continue;
    strokes += 1;
    seconds += piece.seconds[k] ?? 0;
  }
  return { strokes, seconds };
}
