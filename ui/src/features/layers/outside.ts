import type { StrokePiece } from "../../api/binary";

/** Strokes seen from outside, fewer than there are: `of` is the stroke each one is painted like, and `layer` its layer. */
export interface Outside {
  count: number;
  /** Starts and ends, four numbers a stroke. */
  xy: Float32Array;
  of: Uint32Array;
  layer: Uint32Array;
}

/** How far a straight stroke may leave the strokes that it stands for: less than a pixel from where a whole part is seen. */
export const STRAY_MM = 0.08;

// What lies behind walls and skins, and what stands for the same on the layers above it.
const BEHIND = ["infill", "solid"];
const WALLS = ["outer_wall", "inner_wall"];

export interface Names {
  features: readonly string[];
  features_used: readonly string[];
}

/**
 * The strokes of a piece that can be seen from outside, neighbours along a curve taken together where no place strays by
 * more than `stray_mm`. Infill stays where nothing closes it: in layers without an outer wall, and everywhere in a part
 * without a top skin. Of walls only those of each `every`th layer are given: where layers are finer than a pixel, one
 * stands for its group.
 *
 * Neighbours are taken together from their first place on, as long as one direction passes all places between closely
 * enough (Williams' cone, 1978): one pass, whatever the number of strokes.
 */
export function outsideOf(piece: StrokePiece, { features, features_used }: Names, every = 1, stray_mm = STRAY_MM): Outside {
  const { count, xy, layer, feature } = piece;
  const outer = features.indexOf("outer_wall");
  const walled = new Set<number>();
  if (features_used.includes("top")) for (let k = 0; k < count; k++) if (feature[k] === outer) walled.add(layer[k] ?? 0);
  const behind = features.map((name) => BEHIND.includes(name));
  const wall = features.map(isWall);

  const found = { xy: new Float32Array(4 * count), of: new Uint32Array(count), layer: new Uint32Array(count) };
  let size = 0;
  const cone = new Cone(stray_mm);
  let last = -1;
  for (let k = 0; k < count; k++) {
    const [name, at] = [feature[k] ?? 0, layer[k] ?? 0];
    if (wall[name] ? at % every !== 0 : behind[name] && walled.has(at)) continue;
    const [x, y] = [xy[4 * k + 2] ?? 0, xy[4 * k + 3] ?? 0];
    const on =
      last === k - 1 &&
      last >= 0 &&
      feature[k] === feature[last] &&
      layer[k] === layer[last] &&
      xy[4 * k] === xy[4 * last + 2] &&
      xy[4 * k + 1] === xy[4 * last + 3] &&
      Math.abs((piece.width_mm[k] ?? 0) - (piece.width_mm[last] ?? 0)) < 0.02;
    if (on && cone.takes(x, y)) {
      found.xy[4 * size - 2] = x;
      found.xy[4 * size - 1] = y;
    } else {
      cone.begin(xy[4 * k] ?? 0, xy[4 * k + 1] ?? 0);
      cone.takes(x, y);
      found.xy.set([xy[4 * k] ?? 0, xy[4 * k + 1] ?? 0, x, y], 4 * size);
      found.of[size] = k;
      found.layer[size] = layer[k] ?? 0;
      size++;
    }
    last = k;
  }
  return {
    count: size,
    xy: found.xy.slice(0, 4 * size),
    of: found.of.slice(0, size),
    layer: found.layer.slice(0, size),
  };
}

/** Whether a feature's layers may stand for each other. */
export function isWall(feature: string): boolean {
  return WALLS.includes(feature);
}

/** The directions from a place in which all places taken so far are passed closely enough. */
class Cone {
  private x = 0;
  private y = 0;
  private middle: number | null = null;
  private low = 0;
  private high = 0;
  private reach = 0;

  constructor(private readonly stray: number) {}

  begin(x: number, y: number): void {
    Object.assign(this, { x, y, middle: null, reach: 0 });
  }

  /** Whether a straight stroke to this place will do; if so, the place is taken. */
  takes(x: number, y: number): boolean {
    const far = Math.hypot(x - this.x, y - this.y);
    if (far <= this.stray) return this.middle === null;
    // A way back would pass places that it no longer reaches.
    if (far < this.reach) return false;
    const way = Math.atan2(y - this.y, x - this.x);
    const open = Math.asin(this.stray / far);
    if (this.middle === null) {
      Object.assign(this, { middle: way, low: -open, high: open, reach: far });
      return true;
    }
    let turn = way - this.middle;
    if (turn > Math.PI) turn -= 2 * Math.PI;
    if (turn < -Math.PI) turn += 2 * Math.PI;
    if (turn < this.low || turn > this.high) return false;
    this.low = Math.max(this.low, turn - open);
    this.high = Math.min(this.high, turn + open);
    this.reach = far;
    return true;
  }
}

/** How many strokes lie in layers below one; layers rise. */
export function countBelow(layers: Uint32Array, below: number): number {
  let [low, high] = [0, layers.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((layers[middle] ?? 0) < below) low = middle + 1;
    else high = middle;
  }
  return low;
}
