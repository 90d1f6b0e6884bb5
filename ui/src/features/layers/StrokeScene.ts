import { Box3, Vector3 } from "three";
import type { StrokePiece } from "../../api/binary";
import type { StrokesIndex } from "../../api/client";
import type { Stage } from "../../components/stage/Stage";
import { hasGraphicsCard } from "../../components/stage/graphics";
import { countBelow, isWall, outsideOf, type Outside } from "./outside";
import type { Painter } from "./painting";
import { StrokeMesh } from "./strokeMesh";

/** Layers of one fetched piece, from `first` up to below `end`. */
export interface Span {
  first: number;
  end: number;
}

const MOST_IN_A_PIECE = 50_000;

/** The layers of a column in pieces that are quick to fetch and to draw. */
export function spansOf(index: StrokesIndex): Span[] {
  const spans: Span[] = [];
  const layers = index.top_mm.length;
  let first = 0;
  for (let layer = 1; layer <= layers; layer++) {
    const strokes = (index.first_stroke[layer] ?? 0) - (index.first_stroke[first] ?? 0);
    const next = (index.first_stroke[layer + 1] ?? Infinity) - (index.first_stroke[first] ?? 0);
    if (layer === layers || (next > MOST_IN_A_PIECE && strokes > 0)) {
      spans.push({ first, end: layer });
      first = layer;
    }
  }
  return spans;
}

interface Piece {
  span: Span;
  data: StrokePiece;
  bead: Float32Array;
  paint: Uint8Array;
  /** All its strokes, and those seen from outside: made when they are first drawn. */
  whole: StrokeMesh | null;
  outside: (Outside & { mesh: StrokeMesh; paint: Uint8Array }) | null;
}

// Without a graphics card: strokes that are drawn as they are in any case, and of the layers on top, at the least one.
const FEW = 12_000;
const ON_TOP = 8_000;

/** What of a column is shown: up to a layer, up to a stroke of it, alone or with all below. */
export interface Shown {
  layer: number;
  /** Strokes of that layer that are laid already. */
  strokes: number;
  below: boolean;
}

/** Whether drawing simply leaves out anything of a column. */
export function leavesOut(index: StrokesIndex): boolean {
  return index.strokes > FEW;
}

/** The strokes of one column on a stage. */
export class StrokeScene {
  private readonly pieces = new Map<number, Piece>();
  private readonly box: Box3;
  private shown: Shown = { layer: 0, strokes: 0, below: true };
  /** Of so many layers one's walls are drawn where they are drawn simply: as many layers as go into a pixel. */
  private every = 1;
  private top: { mesh: StrokeMesh; first: number; layer: number } | null = null;
  private topIsOld = false;

  /** `simply`: of layers below the ones on top draw only what is seen from outside, in fewer strokes. */
  constructor(
    readonly stage: Stage,
    readonly index: StrokesIndex,
    private simply = false,
    private readonly onProcessor = !hasGraphicsCard(),
  ) {
    this.box = new Box3(new Vector3(...(index.low_mm as [number, number, number])), new Vector3(...(index.high_mm as [number, number, number])));
    stage.frame(this.box);
    this.every = this.layersInAPixel();
    stage.controls.addEventListener("change", this.zoomed);
  }

  drawSimply(simply: boolean): void {
    if (simply === this.simply) return;
    this.simply = simply;
    this.show(this.shown);
  }

  has(span: Span): boolean {
    return this.pieces.has(span.first);
  }

  add(span: Span, data: StrokePiece, painter: Painter): void {
    this.drop(span);
    const bead = new Float32Array(3 * data.count);
    for (let k = 0; k < data.count; k++) {
      bead[3 * k] = data.width_mm[k] ?? 0;
      bead[3 * k + 1] = data.height_mm[k] ?? 0;
      bead[3 * k + 2] = this.index.top_mm[data.layer[k] ?? 0] ?? 0;
      if (data.width_mm[k] === 0) {
        // Travel is a thread above the layer.
        bead[3 * k] = 0.12;
        bead[3 * k + 1] = 0.12;
        bead[3 * k + 2] = (bead[3 * k + 2] ?? 0) + 0.15;
      }
    }
    const piece: Piece = { span, data, bead, paint: new Uint8Array(4 * data.count), whole: null, outside: null };
    painter(data, piece.paint);
    this.pieces.set(span.first, piece);
    this.topIsOld = true;
    this.show(this.shown);
  }

  drop(span: Span): void {
    const piece = this.pieces.get(span.first);
    if (piece === undefined) return;
    piece.whole?.dispose();
    piece.outside?.mesh.dispose();
    this.pieces.delete(span.first);
  }

  /** Paint everything anew. */
  paint(painter: Painter): void {
    for (const { data, paint, whole, outside } of this.pieces.values()) {
      painter(data, paint);
      whole?.painted();
      if (outside) copyPaint(paint, outside.of, outside.paint);
      outside?.mesh.painted();
    }
    this.topIsOld = true;
    this.show(this.shown);
  }

  /** Show strokes up to a place; nearly always only counts change, so that scrubbing is free. */
  show(shown: Shown): void {
    this.shown = shown;
    const { layer, below } = shown;
    const end = this.firstOf(layer) + shown.strokes;
    if (!this.simply || !leavesOut(this.index)) {
      this.dropTop();
      const start = below ? 0 : this.firstOf(layer);
      for (const piece of this.pieces.values()) {
        piece.outside?.mesh.show(0, 0);
        const from = this.firstOf(piece.span.first);
        const count = Math.max(0, Math.min(piece.data.count, end - from));
        if (count > 0 && start < from + piece.data.count) this.wholeOf(piece).show(Math.max(0, start - from), count);
        else piece.whole?.show(0, 0);
      }
    } else {
      let first = layer;
      while (below && first > 0 && this.firstOf(layer + 1) - this.firstOf(first - 1) <= ON_TOP) first--;
      // Groups of layers that stand for each other are drawn whole or not at all.
      if (below) first -= first % this.every;
      for (const piece of this.pieces.values()) {
        piece.whole?.show(0, 0);
        if (!below || piece.span.first >= first) {
          piece.outside?.mesh.show(0, 0);
        } else {
          const outside = this.outsideOf(piece);
          outside.mesh.show(0, countBelow(outside.layer, first));
        }
      }
      this.showTop(first, layer, end - this.firstOf(first));
    }
    this.stage.draw();
  }

  /** The piece that holds a layer, and where the layer lies in it. */
  layerData(layer: number): { data: StrokePiece; from: number; to: number } | null {
    for (const { span, data } of this.pieces.values()) {
      if (layer < span.first || layer >= span.end) continue;
      const base = this.index.first_stroke[span.first] ?? 0;
      return {
        data,
        from: (this.index.first_stroke[layer] ?? 0) - base,
        to: (this.index.first_stroke[layer + 1] ?? 0) - base,
      };
    }
    return null;
  }

  /** The stroke of the layer on top under a point of the canvas: its place in the layer's piece. */
  strokeAt(x: number, y: number, travels: boolean): { data: StrokePiece; at: number } | null {
    const { layer, strokes } = this.shown;
    const found = this.layerData(layer);
    if (found === null) return null;
    const ground = this.groundAt(x, y, this.index.top_mm[layer] ?? 0);
    if (ground === null) return null;
    const { data, from } = found;
    let best = -1;
    let nearest = 3 * this.stage.pixel_mm;
    for (let k = from; k < from + strokes; k++) {
      const width = data.width_mm[k] ?? 0;
      if (width === 0 && !travels) continue;
      const distance = Math.max(0, distanceTo(data.xy, k, ground.x, ground.y) - width / 2);
      // Of strokes that lie under the pointer the later one is on top.
      if (distance <= nearest) {
        nearest = distance;
        best = k;
      }
    }
    return best < 0 ? null : { data, at: best };
  }

  dispose(): void {
    this.stage.controls.removeEventListener("change", this.zoomed);
    this.dropTop();
    for (const { span } of [...this.pieces.values()]) this.drop(span);
  }

  private layersInAPixel(): number {
    const { top_mm } = this.index;
    const height = (top_mm.at(-1) ?? 0) / Math.max(1, top_mm.length);
    return Math.min(8, Math.max(1, Math.floor(this.stage.pixel_mm / Math.max(1e-3, height))));
  }

  private readonly zoomed = (): void => {
    if (this.every === this.layersInAPixel()) return;
    this.every = this.layersInAPixel();
    for (const piece of this.pieces.values()) {
      piece.outside?.mesh.dispose();
      piece.outside = null;
    }
    this.show(this.shown);
  };

  private firstOf(layer: number): number {
    return this.index.first_stroke[Math.max(0, layer)] ?? 0;
  }

  private wholeOf(piece: Piece): StrokeMesh {
    return (piece.whole ??= new StrokeMesh(this.stage, { ends: piece.data.xy, bead: piece.bead, paint: piece.paint }, { spread: this.onProcessor }));
  }

  private outsideOf(piece: Piece): NonNullable<Piece["outside"]> {
    if (piece.outside) return piece.outside;
    const { features, top_mm } = this.index;
    const found = outsideOf(piece.data, this.index, this.every);
    const bead = new Float32Array(3 * found.count);
    const wall = features.map(isWall);
    found.of.forEach((k, at) => {
      bead.set(piece.bead.subarray(3 * k, 3 * k + 3), 3 * at);
      if (this.every === 1 || wall[piece.data.feature[k] ?? 0] !== true) return;
      const layer = found.layer[at] ?? 0;
      const top = top_mm[Math.min(top_mm.length, layer + this.every) - 1] ?? 0;
      bead[3 * at + 1] = (bead[3 * at + 1] ?? 0) + top - (bead[3 * at + 2] ?? 0);
      bead[3 * at + 2] = top;
    });
    const paint = new Uint8Array(4 * found.count);
    copyPaint(piece.paint, found.of, paint);
    const mesh = new StrokeMesh(this.stage, { ends: found.xy, bead, paint }, { flat: true, spread: true });
    return (piece.outside = { ...found, mesh, paint });
  }

  /** The layers on top as they are, in a mesh of their own: a frame should not run through the pieces that hold them. */
  private showTop(first: number, layer: number, strokes: number): void {
    if (this.top?.first !== first || this.top.layer !== layer || this.topIsOld) {
      const [from, to] = [this.firstOf(first), this.firstOf(layer + 1)];
      const ends = new Float32Array(4 * (to - from));
      const bead = new Float32Array(3 * (to - from));
      const paint = new Uint8Array(4 * (to - from));
      for (const piece of this.pieces.values()) {
        const base = this.firstOf(piece.span.first);
        const [low, high] = [Math.max(from, base), Math.min(to, base + piece.data.count)];
        if (low >= high) continue;
        ends.set(piece.data.xy.subarray(4 * (low - base), 4 * (high - base)), 4 * (low - from));
        bead.set(piece.bead.subarray(3 * (low - base), 3 * (high - base)), 3 * (low - from));
        paint.set(piece.paint.subarray(4 * (low - base), 4 * (high - base)), 4 * (low - from));
      }
      // The new one before the old one goes: with the last one of its kind the compiled shader would go, too.
      const old = this.top;
      this.top = { mesh: new StrokeMesh(this.stage, { ends, bead, paint }, { spread: true }), first, layer };
      this.topIsOld = false;
      old?.mesh.dispose();
    }
    this.top.mesh.show(0, strokes);
  }

  private dropTop(): void {
    this.top?.mesh.dispose();
    this.top = null;
  }

  private groundAt(x: number, y: number, height: number): Vector3 | null {
    const { camera, canvas } = this.stage;
    const near = new Vector3((2 * x) / canvas.clientWidth - 1, 1 - (2 * y) / canvas.clientHeight, -1).unproject(camera);
    const far = new Vector3((2 * x) / canvas.clientWidth - 1, 1 - (2 * y) / canvas.clientHeight, 1).unproject(camera);
    const way = far.sub(near);
    if (Math.abs(way.z) < 1e-9) return null;
    return near.addScaledVector(way, (height - near.z) / way.z);
  }
}

function copyPaint(from: Uint8Array, of: Uint32Array, to: Uint8Array): void {
  of.forEach((k, at) => to.set(from.subarray(4 * k, 4 * k + 4), 4 * at));
}

/** Distance of a point from stroke k, mm. */
function distanceTo(xy: Float32Array, k: number, x: number, y: number): number {
  const [ax, ay, bx, by] = [xy[4 * k] ?? 0, xy[4 * k + 1] ?? 0, xy[4 * k + 2] ?? 0, xy[4 * k + 3] ?? 0];
  const [dx, dy] = [bx - ax, by - ay];
  const square = dx * dx + dy * dy;
  const t = square === 0 ? 0 : Math.min(1, Math.max(0, ((x - ax) * dx + (y - ay) * dy) / square));
  return Math.hypot(x - ax - t * dx, y - ay - t * dy);
}
