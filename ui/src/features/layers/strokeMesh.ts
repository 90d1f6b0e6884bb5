import {
  BufferAttribute,
  BufferGeometry,
  DoubleSide,
  InstancedBufferAttribute,
  InstancedBufferGeometry,
  Mesh,
  ShaderMaterial,
  Vector3,
} from "three";
import type { Stage } from "../../components/stage/Stage";

interface Shape {
  /** Along (0 at the start, 1 at the end) and across (-1 to 1) of each corner, as GLSL. */
  corners: string;
  count: number;
  triangles: readonly number[];
}

// A stroke is a strip of three lines turned towards the eye: its silhouette on both sides, and a ridge between them that
// stands out towards the eye, so that crossing beads cut each other as they do in plastic.
const RIDGED: Shape = {
  corners: "vec2[6](vec2(0, -1), vec2(0, 0), vec2(0, 1), vec2(1, -1), vec2(1, 0), vec2(1, 1))",
  count: 6,
  triangles: [0, 3, 1, 1, 3, 4, 1, 4, 2, 2, 4, 5],
};

// From afar a flat strip will do, with square ends.
const FLAT: Shape = {
  corners: "vec2[4](vec2(0, -1), vec2(0, 1), vec2(1, -1), vec2(1, 1))",
  count: 4,
  triangles: [0, 2, 1, 1, 2, 3],
};

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
    vec2 corner = CORNERS[gl_VertexID % COUNT];
    vec2 way = ends.zw - ends.xy;
    lengthMm = length(way);
    if ((INSTANCED && gl_InstanceID < firstShown) || paint.a > 0.99 || lengthMm < 1e-6) {
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
    float t = corner.x * 2.0 - 1.0; // -1 at the start, 1 at the end
    vec3 middle = vec3(mix(ends.xy, ends.zw, corner.x), bead.z - half_.y);
    vec3 at = middle + along * t * half_.x + across * corner.y * reach;
    at += eye * (1.0 - abs(corner.y)) * half_.y;
    place = vec2(corner.x * lengthMm + t * half_.x, corner.y);
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
    #ifndef FLAT
      // Round ends.
      float beyond = place.x < 0.0 ? -place.x : max(0.0, place.x - lengthMm);
      if (beyond * beyond + place.y * place.y * halfMm * halfMm > halfMm * halfMm) discard;
    #endif
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

/** Numbers of the strokes that a mesh draws: ends four, bead three (width, height, top), paint four each. */
export interface StrokeArrays {
  ends: Float32Array;
  bead: Float32Array;
  paint: Uint8Array;
}

export interface DrawnHow {
  /** Flat strips with square ends. */
  flat?: boolean;
  /**
   * Corners of their own for every stroke. A graphics card takes one strip many times over and needs a fifth of the memory;
   * where the processor draws, each time over costs as much as some twenty triangles.
   */
  spread?: boolean;
}

/** Strokes on a stage, drawn at once; which of them, `show` says. */
export class StrokeMesh {
  private readonly mesh: Mesh<BufferGeometry, ShaderMaterial>;
  private readonly shape: Shape;
  private readonly paint: BufferAttribute;
  private readonly firstShown = { value: 0 };

  constructor(
    private readonly stage: Stage,
    private readonly arrays: StrokeArrays,
    private readonly how: DrawnHow = {},
  ) {
    const shape = (this.shape = how.flat ? FLAT : RIDGED);
    const geometry = how.spread ? new BufferGeometry() : new InstancedBufferGeometry();
    const attribute = (array: Float32Array | Uint8Array, size: number) => {
      if (!how.spread) return new InstancedBufferAttribute(array, size, array instanceof Uint8Array);
      return new BufferAttribute(repeated(array, size, shape.count), size, array instanceof Uint8Array);
    };
    this.paint = attribute(arrays.paint, 4);
    geometry.setAttribute("ends", attribute(arrays.ends, 4));
    geometry.setAttribute("bead", attribute(arrays.bead, 3));
    geometry.setAttribute("paint", this.paint);
    geometry.setIndex(how.spread ? new BufferAttribute(trianglesOf(shape, arrays.ends.length / 4), 1) : [...shape.triangles]);
    const eye = new Vector3(0, 0, 1);
    const lamp = new Vector3();
    const material = new ShaderMaterial({
      vertexShader: VERTEX,
      fragmentShader: FRAGMENT,
      defines: {
        CORNERS: shape.corners,
        COUNT: shape.count,
        INSTANCED: how.spread ? "false" : "true",
        ...(how.flat && { FLAT: "" }),
      },
      side: DoubleSide,
      uniforms: { eye: { value: eye }, lamp: { value: lamp }, firstShown: this.firstShown },
    });
    this.mesh = new Mesh(geometry, material);
    this.mesh.frustumCulled = false;
    this.mesh.onBeforeRender = () => {
      eye.copy(stage.camera.position).sub(stage.controls.target).normalize();
      // Light from over the left shoulder, wherever one stands.
      const right = new Vector3().crossVectors(stage.camera.up, eye).normalize();
      lamp.copy(eye).addScaledVector(right, -0.5).add(new Vector3(0, 0, 0.5)).normalize();
    };
    this.show(0, 0);
    stage.scene.add(this.mesh);
  }

  /** Show the strokes from one up to below another; only two numbers change. */
  show(start: number, end: number): void {
    this.mesh.visible = end > start;
    const { geometry } = this.mesh;
    if (geometry instanceof InstancedBufferGeometry) {
      geometry.instanceCount = Math.max(0, end);
      this.firstShown.value = start;
    } else {
      const each = this.shape.triangles.length;
      geometry.setDrawRange(each * start, each * Math.max(0, end - start));
    }
  }

  /** Its paint has been written to. */
  painted(): void {
    if (this.how.spread) (this.paint.array as Uint8Array).set(repeated(this.arrays.paint, 4, this.shape.count));
    this.paint.needsUpdate = true;
  }

  dispose(): void {
    this.stage.scene.remove(this.mesh);
    this.mesh.geometry.dispose();
    this.mesh.material.dispose();
  }
}

/** Each group of `size` numbers so many times, one after the other. */
function repeated<Numbers extends Float32Array | Uint8Array>(array: Numbers, size: number, times: number): Numbers {
  const found = (array instanceof Uint8Array ? new Uint8Array(times * array.length) : new Float32Array(times * array.length)) as Numbers;
  for (let k = 0, at = 0; k < array.length; k += size) {
    for (let time = 0; time < times; time++) for (let n = 0; n < size; n++) found[at++] = array[k + n] ?? 0;
  }
  return found;
}

function trianglesOf({ count, triangles }: Shape, strokes: number): Uint32Array {
  const each = triangles.length;
  const found = new Uint32Array(each * strokes);
  for (let k = 0; k < strokes; k++) {
    for (let n = 0; n < each; n++) found[each * k + n] = count * k + (triangles[n] ?? 0);
  }
  return found;
}
