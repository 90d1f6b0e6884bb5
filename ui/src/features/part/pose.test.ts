import { Matrix3, Vector3 } from "three";
import { describe, expect, it } from "vitest";
import { layingDown, matrixOf, posed, scaled, turned, type Pose } from "./pose";

const asCome = {} as Pose;
const AXES = ["x", "y", "z"] as const;

/** Where a pose puts a point. */
const at = (pose: Pose, x: number, y: number, z: number) => new Vector3(x, y, z).applyMatrix3(matrixOf(pose)).toArray();

describe("how a part stands", () => {
  it("is as it came where nothing is said", () => {
    expect(at(asCome, 1, 2, 3)).toEqual([1, 2, 3]);
  });

  it("turns by quarters to the last bit, and four are none", () => {
    for (const axis of AXES) {
      let pose = asCome;
      for (let k = 0; k < 4; k++) pose = posed(pose, turned(axis, 90));
      expect(pose.matrix).toEqual([1, 0, 0, 0, 1, 0, 0, 0, 1]);
      expect(posed(asCome, turned(axis, -90)).matrix).toEqual(posed(asCome, turned(axis, 270)).matrix);
    }
  });

  it("turns by the right hand about each axis", () => {
    expect(at(posed(asCome, turned("x", 90)), 0, 1, 0)).toEqual([0, 0, 1]);
    expect(at(posed(asCome, turned("y", 90)), 0, 0, 1)).toEqual([1, 0, 0]);
    expect(at(posed(asCome, turned("z", 90)), 1, 0, 0)).toEqual([0, 1, 0]);
  });

  it("turns by any angle without changing lengths or handedness", () => {
    for (const axis of AXES)
      for (const degrees of [1, 17.5, 33, 123, -61]) {
        const turn = turned(axis, degrees);
        expect(turn.determinant()).toBeCloseTo(1, 12);
        expect(new Vector3(3, -4, 12).applyMatrix3(turn).length()).toBeCloseTo(13, 12);
      }
    // Two that add up to a quarter are one.
    const pose = posed(posed(asCome, turned("z", 30)), turned("z", 60));
    expect(at(pose, 1, 0, 0)[1]).toBeCloseTo(1, 12);
  });

  it("does one thing after the other, in that order", () => {
    const turnedThenScaled = posed(posed(asCome, turned("z", 90)), scaled(2, 1, 1));
    expect(at(turnedThenScaled, 1, 0, 0)).toEqual([0, 1, 0]);
    expect(at(turnedThenScaled, 0, 1, 0)).toEqual([-2, 0, 0]);
    const scaledThenTurned = posed(posed(asCome, scaled(2, 1, 1)), turned("z", 90));
    expect(at(scaledThenTurned, 1, 0, 0)).toEqual([0, 2, 0]);
  });

  it("mirrors twice into what it was", () => {
    const mirrored = posed(asCome, scaled(-1, 1, 1));
    expect(matrixOf(mirrored).determinant()).toBe(-1);
    expect(posed(mirrored, scaled(-1, 1, 1)).matrix).toEqual([1, 0, 0, 0, 1, 0, 0, 0, 1]);
  });

  it("lays any face down on the bed, by the shortest turn", () => {
    for (const normal of [new Vector3(1, 0, 0), new Vector3(0, 0, 1), new Vector3(0, 0, -1), new Vector3(1, -2, 3), new Vector3(-0.2, 0.1, -5)]) {
      const turn: Matrix3 = layingDown(normal);
      const down = normal.clone().normalize().applyMatrix3(turn);
      expect(down.z).toBeCloseTo(-1, 6);
      const angle = Math.acos(Math.min(1, Math.max(-1, -normal.z / normal.length())));
      const trace = turn.elements[0] + turn.elements[4] + turn.elements[8];
      expect(trace).toBeCloseTo(1 + 2 * Math.cos(angle), 6);
    }
  });
});
