import { describe, expect, it } from "vitest";
import type { Mesh } from "../../api/binary";
import { facets, shadeFacets, SHADES, type Shade } from "./colours";

/** One triangle with its corners anywhere. */
function triangle(...corners: [number, number, number][]): Mesh {
  return { corners: new Float32Array(corners.flat()), triangles: new Uint32Array([0, 1, 2]) };
}

/** A triangle a centimetre up whose outward normal leans by so many degrees from straight up. */
function leaning(degrees: number): Mesh {
  const lean = (degrees * Math.PI) / 180;
  return triangle([0, 0, 10], [Math.cos(lean), 0, 10 - Math.sin(lean)], [0, 1, 10]);
}

const colourOf = (mesh: Mesh, shade: Shade, thickness?: number) =>
  [...shadeFacets(facets(mesh), shade, thickness === undefined ? undefined : new Float32Array([thickness])).slice(0, 3)].map((one) => Number(one.toFixed(2)));

const step = (shade: Exclude<Shade, "plain">, at: number) => [...(SHADES[shade].steps[at]?.colour ?? [])];

describe("a face of a part", () => {
  it("has the normal that its corners say, on each of them", () => {
    const { positions, normals } = facets(triangle([0, 0, 0], [2, 0, 0], [0, 3, 0]));
    expect([...positions]).toEqual([0, 0, 0, 2, 0, 0, 0, 3, 0]);
    expect([...normals]).toEqual([0, 0, 1, 0, 0, 1, 0, 0, 1]);
    expect([...facets(triangle([0, 0, 0], [0, 3, 0], [2, 0, 0])).normals.slice(0, 3)]).toEqual([0, 0, -1]);
  });

  it("without an area has no normal, and no figure goes astray", () => {
    const flat = facets(triangle([1, 1, 1], [1, 1, 1], [1, 1, 1]));
    expect([...flat.normals].every((one) => one === 0)).toBe(true);
    expect([...shadeFacets(flat, "overhang", undefined)].every(Number.isFinite)).toBe(true);
  });

  it("is darker the thinner the part is there", () => {
    const level = leaning(0);
    expect(colourOf(level, "thickness", 0.79)).toEqual(step("thickness", 0));
    expect(colourOf(level, "thickness", 0.8)).toEqual(step("thickness", 1));
    expect(colourOf(level, "thickness", 2)).toEqual(step("thickness", 2));
    expect(colourOf(level, "thickness", 60)).toEqual(step("thickness", 4));
    expect(colourOf(level, "thickness")).toEqual(colourOf(level, "plain"));
  });

  it("overhangs by its angle from upright, and what lies on the bed does not", () => {
    expect(colourOf(leaning(90 + 30), "overhang")).toEqual(step("overhang", 1));
    expect(colourOf(leaning(90 + 50), "overhang")).toEqual(step("overhang", 2));
    expect(colourOf(leaning(90 + 70), "overhang")).toEqual(step("overhang", 3));
    expect(colourOf(leaning(180), "overhang")).toEqual(step("overhang", 4));
    expect(colourOf(leaning(60), "overhang")).toEqual(step("overhang", 0));
    expect(colourOf(triangle([0, 0, 0], [0, 1, 0], [1, 0, 0]), "overhang")).toEqual(step("overhang", 0));
  });

  it("shows its steps where it is nearly level, and none where it is level or upright", () => {
    expect(colourOf(leaning(0), "slope")).toEqual(step("slope", 0));
    expect(colourOf(leaning(10), "slope")).toEqual(step("slope", 1));
    expect(colourOf(leaning(30), "slope")).toEqual(step("slope", 2));
    expect(colourOf(leaning(60), "slope")).toEqual(step("slope", 3));
    expect(colourOf(leaning(89), "slope")).toEqual(step("slope", 4));
    expect(colourOf(leaning(130), "slope")).toEqual(step("slope", 4));
  });

  it("that was guessed is told from what came in the file", () => {
    expect(colourOf(leaning(0), "guessed", 1)).toEqual(step("guessed", 1));
    expect(colourOf(leaning(0), "guessed", 0)).toEqual(step("guessed", 0));
  });
});

describe("steps of a shade", () => {
  it("rise from nothing, and neighbours differ in lightness", () => {
    const light = (colour: readonly [number, number, number]) => 0.2126 * colour[0] + 0.7152 * colour[1] + 0.0722 * colour[2];
    for (const { steps } of Object.values(SHADES)) {
      expect(steps[0]?.from).toBe(0);
      for (let k = 1; k < steps.length; k++) {
        const [before, now] = [steps[k - 1], steps[k]];
        if (before === undefined || now === undefined) throw new Error("no step");
        expect(now.from).toBeGreaterThan(before.from);
        expect(Math.abs(light(now.colour) - light(before.colour))).toBeGreaterThan(0.03);
      }
    }
  });
});
