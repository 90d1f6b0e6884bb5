import {
  Box3,
  BufferAttribute,
  DoubleSide,
  InstancedBufferAttribute,
  InstancedBufferGeometry,
  Mesh,
  ShaderMaterial,
  Vector3,
} from "three";
import type { StrokePiece } from "../../api/binary";
import type { StrokesIndex } from "../../api/client";
import type { Stage } from "../../components/stage/Stage";
import type { Painter } from "./painting";

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

// A stroke is a strip of three lines turned towards the eye: its silhouette on both sides, and a ridge between them that
// stands out towards the eye, so that crossing beads cut each other as they do in plastic.
const STRIP = new Float32Array([0, -1, 0, 0, 0, 0, 0, 1, 0, 1, -1, 0, 1, 0, 0, 1, 1, 0]);
const STRIP_INDEX = [0, 3, 1, 1, 3, 4, 1, 4, 2, 2, 4, 5];

const VERTEX = /* glsl */ `
  attribute vec4 ends;
  attribute vec3 bead; // width, height, top
  attribute vec4 paint; // colour; its fourth is the pattern, and 255 hides the stroke
  uniform vec3 eye; // towards the eye, unit length
  uniform int firstShown;
  varying vec3 colour;
  varying vec3 across;
  varying vec2 place; // along from the start, mm; across, -1 to 1
  varying float lengthMm;
  varying float halfMm;
  varying float pattern;
  void main() {
    vec2 way = ends.zw - ends.xy;
    lengthMm = length(way);
    if (gl_InstanceID < firstShown || paint.a > 0.99 || lengthMm < 1e-6) {
      gl_Position = vec4(2.0, 2.0, 2.0, 1.0);
      return;
    }
    vec3 along = vec3(way / lengthMm, 0.0);
    vec3 side = vec3(-along.y, along.x, 0.0);
    vec2 seen = vec2(dot(eye, side), eye.z);
    float size = length(seen);
    vec2 turn = size > 1e-3 ? vec2(-seen.y, seen.x) / size : vec2(1.0, 0.0);
    vec2 half_ = bead.xy * 0.5;
    float reach = length(half_ * turn);
    halfMm = half_.x;
    across = side * turn.x + vec3(0.0, 0.0, turn.y);
    float t = position.x * 2.0 - 1.0; // -1 at the start, 1 at the end
    vec3 middle = vec3(mix(ends.xy, ends.zw, position.x), bead.z - half_.y);
    vec3 at = middle + along * t * half_.x + across * position.y * reach;
    at += eye * (1.0 - abs(position.y)) * half_.y;
    place = vec2(position.x * lengthMm + t * half_.x, position.y);
    colour = paint.rgb;
    pattern = floor(paint.a * 255.0 + 0.5);
    gl_Position = projectionMatrix * viewMatrix * vec4(at, 1.0);
  }
`;

const FRAGMENT = /* glsl */ `
  uniform vec3 eye;
  uniform vec3 lamp;
  varying vec3 colour;
  varying vec3 across;
  varying vec2 place;
  varying float lengthMm;
  varying float halfMm;
  varying float pattern;
  void main() {
    // Round ends.
    float beyond = place.x < 0.0 ? -place.x : max(0.0, place.x - lengthMm);
    if (beyond * beyond + place.y * place.y * halfMm * halfMm > halfMm * halfMm) discard;
    vec3 normal = normalize(across * place.y + eye * sqrt(max(0.05, 1.0 - place.y * place.y)));
    float light = 0.52 + 0.5 * max(0.0, dot(normal, lamp));
    float dark = 0.0;
    // A second cue beside the colour, where it is large enough to be seen.
    float coarse = fwidth(place.x);
    if (coarse < 0.25) {
      if (pattern == 1.0) dark = step(0.72, fract(place.x / 1.4));
      else if (pattern == 2.0) dark = step(abs(place.y), 0.22);
      else if (pattern == 3.0) dark = step(length(vec2((fract(place.x / 1.2) - 0.5) * 1.2, place.y * halfMm)), 0.16);
      else if (pattern == 4.0) dark = step(0.5, fract(place.x / 2.4)) * step(abs(place.y), 0.3);
    }
    gl_FragColor = vec4(mix(colour, colour * 0.35, dark * 0.4) * light, 1.0);
    #include <colorspace_fragment>
  }
`;

interface Piece {
  span: Span;
  data: StrokePiece;
  mesh: Mesh<InstancedBufferGeometry, ShaderMaterial>;
  paint: InstancedBufferAttribute;
}

/** What of a column is shown: up to a layer, up to a stroke of it, alone or with all below. */
export interface Shown {
  layer: number;
  /** Strokes of that layer that are laid already. */
  strokes: number;
  below: boolean;
}

/** The strokes of one column on a stage. */
export class StrokeScene {
  private readonly pieces = new Map<number, Piece>();
  private readonly box: Box3;
  private shown: Shown = { layer: 0, strokes: 0, below: true };

  constructor(
    readonly stage: Stage,
    readonly index: StrokesIndex,
  ) {
    this.box = new Box3(new Vector3(...(index.low_mm as [number, number, number])), new Vector3(...(index.high_mm as [number, number, number])));
    stage.frame(this.box);
  }

  has(span: Span): boolean {
    return this.pieces.has(span.first);
  }

  add(span: Span, data: StrokePiece, painter: Painter): void {
    this.drop(span);
    const geometry = new InstancedBufferGeometry();
    geometry.setAttribute("position", new BufferAttribute(STRIP, 3));
    geometry.setIndex(STRIP_INDEX);
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
    const paint = new InstancedBufferAttribute(new Uint8Array(4 * data.count), 4, true);
    geometry.setAttribute("ends", new InstancedBufferAttribute(data.xy, 4));
    geometry.setAttribute("bead", new InstancedBufferAttribute(bead, 3));
    geometry.setAttribute("paint", paint);
    geometry.instanceCount = data.count;
    const material = new ShaderMaterial({
      vertexShader: VERTEX,
      fragmentShader: FRAGMENT,
      side: DoubleSide,
      uniforms: { eye: { value: new Vector3(0, 0, 1) }, lamp: { value: new Vector3() }, firstShown: { value: 0 } },
    });
    const mesh = new Mesh(geometry, material);
    mesh.frustumCulled = false;
    mesh.onBeforeRender = () => {
      const eye = this.stage.camera.position.clone().sub(this.stage.controls.target).normalize();
      (material.uniforms.eye?.value as Vector3).copy(eye);
      // Light from over the left shoulder, wherever one stands.
      const right = new Vector3().crossVectors(this.stage.camera.up, eye).normalize();
      (material.uniforms.lamp?.value as Vector3).copy(eye).addScaledVector(right, -0.5).add(new Vector3(0, 0, 0.5)).normalize();
    };
    const piece = { span, data, mesh, paint };
    this.pieces.set(span.first, piece);
    this.paintPiece(piece, painter);
    this.stage.scene.add(mesh);
    this.show(this.shown);
  }

  drop(span: Span): void {
    const piece = this.pieces.get(span.first);
    if (piece === undefined) return;
    this.stage.scene.remove(piece.mesh);
    piece.mesh.geometry.dispose();
    piece.mesh.material.dispose();
    this.pieces.delete(span.first);
  }

  /** Paint everything anew. */
  paint(painter: Painter): void {
    for (const piece of this.pieces.values()) this.paintPiece(piece, painter);
    this.stage.draw();
  }

  /** Show strokes up to a place; only counts change, so that scrubbing is free. */
  show(shown: Shown): void {
    this.shown = shown;
    const first = (layer: number) => this.index.first_stroke[Math.max(0, layer)] ?? 0;
    const end = first(shown.layer) + shown.strokes;
    const start = shown.below ? 0 : first(shown.layer);
    for (const { span, mesh, data } of this.pieces.values()) {
      const from = first(span.first);
      const count = Math.max(0, Math.min(data.count, end - from));
      mesh.visible = count > 0 && start < from + data.count;
      mesh.geometry.instanceCount = count;
      const uniform = mesh.material.uniforms.firstShown;
      if (uniform) uniform.value = Math.max(0, start - from);
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
    for (const { span } of [...this.pieces.values()]) this.drop(span);
  }

  private groundAt(x: number, y: number, height: number): Vector3 | null {
    const { camera, canvas } = this.stage;
    const near = new Vector3((2 * x) / canvas.clientWidth - 1, 1 - (2 * y) / canvas.clientHeight, -1).unproject(camera);
    const far = new Vector3((2 * x) / canvas.clientWidth - 1, 1 - (2 * y) / canvas.clientHeight, 1).unproject(camera);
    const way = far.sub(near);
    if (Math.abs(way.z) < 1e-9) return null;
    return near.addScaledVector(way, (height - near.z) / way.z);
  }

  private paintPiece({ data, paint }: Piece, painter: Painter): void {
    painter(data, paint.array as Uint8Array);
    paint.needsUpdate = true;
  }
}

/** Distance of a point from stroke k, mm. */
function distanceTo(xy: Float32Array, k: number, x: number, y: number): number {
  const [ax, ay, bx, by] = [xy[4 * k] ?? 0, xy[4 * k + 1] ?? 0, xy[4 * k + 2] ?? 0, xy[4 * k + 3] ?? 0];
  const [dx, dy] = [bx - ax, by - ay];
  const square = dx * dx + dy * dy;
  const t = square === 0 ? 0 : Math.min(1, Math.max(0, ((x - ax) * dx + (y - ay) * dy) / square));
  return Math.hypot(x - ax - t * dx, y - ay - t * dy);
}
