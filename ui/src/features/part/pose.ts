import { Matrix3, Matrix4, Quaternion, Vector3 } from "three";
import type { Part } from "../../api/client";

export type Pose = Part["pose"];

/** The pose's matrix. */
export function matrixOf(pose: Pose): Matrix3 {
  const m = pose.matrix ?? [1, 0, 0, 0, 1, 0, 0, 0, 1];
  const [a = 1, b = 0, c = 0, d = 0, e = 1, f = 0, g = 0, h = 0, i = 1] = m;
  return new Matrix3(a, b, c, d, e, f, g, h, i);
}

/** A pose with something done to the part as it stands now: turned, scaled or mirrored. */
export function posed(pose: Pose, change: Matrix3): Pose {
  const { elements } = change.clone().multiply(matrixOf(pose));
  // three.js keeps columns, a pose keeps rows.
  const rows = [0, 3, 6, 1, 4, 7, 2, 5, 8].map((at) => tidy(elements[at] ?? 0));
  return { matrix: rows };
}

/** What differs from a whole number by rounding only is rounded, so that four quarter turns are none. */
function tidy(value: number): number {
  const near = Math.round(value);
  return Math.abs(value - near) < 1e-12 ? near : value;
}

/** The shortest turn that lays a face with this outward normal on the bed. */
export function layingDown(normal: Vector3): Matrix3 {
  const turn = new Quaternion().setFromUnitVectors(normal.clone().normalize(), new Vector3(0, 0, -1));
  return new Matrix3().setFromMatrix4(new Matrix4().makeRotationFromQuaternion(turn));
}

export function turned(axis: "x" | "y" | "z", degrees: number): Matrix3 {
  const way = { x: new Vector3(1, 0, 0), y: new Vector3(0, 1, 0), z: new Vector3(0, 0, 1) }[axis];
  const quarter = degrees / 90;
  if (Number.isInteger(quarter)) {
    // Exact for quarter turns: sine and cosine are whole numbers there.
    const [s, c] = [[0, 1, 0, -1][((quarter % 4) + 4) % 4] ?? 0, [1, 0, -1, 0][((quarter % 4) + 4) % 4] ?? 1];
    if (axis === "x") return new Matrix3(1, 0, 0, 0, c, -s, 0, s, c);
    if (axis === "y") return new Matrix3(c, 0, s, 0, 1, 0, -s, 0, c);
    return new Matrix3(c, -s, 0, s, c, 0, 0, 0, 1);
  }
  return new Matrix3().setFromMatrix4(new Matrix4().makeRotationAxis(way, (degrees * Math.PI) / 180));
}

export function scaled(x: number, y: number, z: number): Matrix3 {
  return new Matrix3(x, 0, 0, 0, y, 0, 0, 0, z);
}
