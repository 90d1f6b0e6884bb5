import { t } from "@lingui/core/macro";
import type { Mesh } from "../../api/binary";

export type Shade = "plain" | "thickness" | "overhang" | "slope" | "guessed";

interface Step {
  from: number;
  colour: readonly [number, number, number];
  label: string;
}

const PLAIN: readonly [number, number, number] = [0.80, 0.76, 0.69];

/** Steps from light to dark, so that they are told apart without hue; what matters most is darkest. */
export const SHADES: Record<Exclude<Shade, "plain">, { title: string; steps: readonly Step[] }> = {
  thickness: {
    title: t`Way straight through`,
    steps: [
      { from: 0, colour: [0.36, 0.11, 0.05], label: t`under 0.8 mm` },
      { from: 0.8, colour: [0.72, 0.28, 0.06], label: t`0.8 to 1.6 mm` },
      { from: 1.6, colour: [0.90, 0.58, 0.28], label: t`1.6 to 3 mm` },
      { from: 3, colour: [0.94, 0.80, 0.60], label: t`3 to 6 mm` },
      { from: 6, colour: [0.86, 0.85, 0.82], label: t`over 6 mm` },
    ],
  },
  guessed: {
    title: t`What no file held`,
    steps: [
      { from: 0, colour: PLAIN, label: t`as it came` },
      { from: 0.5, colour: [0.72, 0.28, 0.06], label: t`guessed` },
    ],
  },
  overhang: {
    title: t`Overhang, from upright`,
    steps: [
      { from: 0, colour: PLAIN, label: t`none` },
      { from: 20, colour: [0.78, 0.83, 0.86], label: t`20 to 45°` },
      { from: 45, colour: [0.40, 0.58, 0.72], label: t`45 to 60°` },
      { from: 60, colour: [0.14, 0.34, 0.54], label: t`60 to 80°` },
      { from: 80, colour: [0.04, 0.14, 0.30], label: t`over 80°: level` },
    ],
  },
  slope: {
    title: t`Steps show, by slope from the horizontal`,
    steps: [
      { from: 0, colour: [0.93, 0.90, 0.80], label: t`level` },
      { from: 2, colour: [0.27, 0.14, 0.36], label: t`2 to 20°: high steps` },
      { from: 20, colour: [0.52, 0.34, 0.58], label: t`20 to 45°` },
      { from: 45, colour: [0.76, 0.64, 0.78], label: t`45 to 75°` },
      { from: 75, colour: PLAIN, label: t`upright` },
    ],
  },
};

export interface Facets {
  positions: Float32Array;
  normals: Float32Array;
}

/** Triangles apart from each other, each with its own normal: edges stay crisp, and each can have its colour. */
export function facets(mesh: Mesh): Facets {
  const { corners, triangles } = mesh;
  const positions = new Float32Array(3 * triangles.length);
  const normals = new Float32Array(3 * triangles.length);
  for (let k = 0; k < triangles.length; k++) {
    const corner = 3 * (triangles[k] ?? 0);
    for (let axis = 0; axis < 3; axis++) positions[3 * k + axis] = corners[corner + axis] ?? 0;
  }
  for (let t = 0; t < positions.length; t += 9) {
    const at = (k: number) => positions[t + k] ?? 0;
    const [ux, uy, uz] = [at(3) - at(0), at(4) - at(1), at(5) - at(2)];
    const [vx, vy, vz] = [at(6) - at(0), at(7) - at(1), at(8) - at(2)];
    const n = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
    const length = Math.hypot(...n) || 1;
    for (let k = 0; k < 9; k++) normals[t + k] = (n[k % 3] ?? 0) / length;
  }
  return { positions, normals };
}

/** A colour for each triangle's three corners. */
export function shadeFacets({ positions, normals }: Facets, shade: Shade, thickness: Float32Array | undefined): Float32Array {
  const colours = new Float32Array(positions.length);
  for (let t = 0; t < positions.length; t += 9) {
    const colour = colourOf(shade, t, positions, normals, thickness);
    for (let k = 0; k < 9; k++) colours[t + k] = colour[k % 3] ?? 0;
  }
  return colours;
}

function colourOf(
  shade: Shade,
  t: number,
  positions: Float32Array,
  normals: Float32Array,
  thickness: Float32Array | undefined,
): readonly [number, number, number] {
  if (shade === "plain") return PLAIN;
  const up = normals[t + 2] ?? 0;
  let value: number;
  if (shade === "thickness" || shade === "guessed") {
    if (thickness === undefined) return PLAIN;
    value = thickness[t / 9] ?? (shade === "guessed" ? 0 : 100);
  } else if (shade === "overhang") {
    const top = Math.max(positions[t + 2] ?? 0, positions[t + 5] ?? 0, positions[t + 8] ?? 0);
    value = up < 0 && top > 0.05 ? (Math.asin(Math.min(1, -up)) * 180) / Math.PI : 0;
  } else {
    value = up > 0 ? (Math.acos(Math.min(1, up)) * 180) / Math.PI : 90;
  }
  const { steps } = SHADES[shade];
  return [...steps].reverse().find((step) => value >= step.from)?.colour ?? PLAIN;
}
