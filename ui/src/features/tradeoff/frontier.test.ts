import { describe, expect, it } from "vitest";
import type { Evaluation, Shelf } from "../../api/client";
import { describe as describeDot, digits, kneeOf, nonDominated, shortName } from "./frontier";

type Point = readonly [number, number];

/** Brute force: a point is kept when no other is at least as good in both figures and better in one. */
function brute(points: readonly Point[]): number[] {
  const kept = points.flatMap(([x, y], k) =>
    points.some(([a, b], other) => other !== k && a <= x && b <= y && (a < x || b < y || other < k)) ? [] : [k],
  );
  return kept.sort((a, b) => (points[a]?.[0] ?? 0) - (points[b]?.[0] ?? 0));
}

describe("the frontier", () => {
  it("is what brute force says, on a thousand random clouds", () => {
    let seed = 1;
    const random = () => (seed = (seed * 16807) % 2147483647) / 2147483647;
    for (let run = 0; run < 1000; run++) {
      const points = Array.from({ length: 1 + Math.floor(12 * random()) }, (): Point => [Math.round(6 * random()), Math.round(6 * random())]);
      expect(nonDominated(points, points.map((_, k) => k))).toEqual(brute(points));
    }
  });

  it("is looked for among some only", () => {
    expect(nonDominated([[0, 0], [1, 1], [2, 0.5]], [1, 2])).toEqual([1, 2]);
    expect(nonDominated([], [])).toEqual([]);
  });

  it("has its knee farthest below the chord", () => {
    const points: Point[] = [[0, 10], [1, 2], [5, 1], [10, 0]];
    expect(kneeOf(points, [0, 1, 2, 3])).toBe(1);
    expect(kneeOf(points, [3])).toBe(3);
    expect(kneeOf(points, [])).toBeUndefined();
  });
});

describe("a dot", () => {
  const shelf = { nozzles: [{ id: 7, name: "0.6 brass" }] } as unknown as Shelf;
  const dot = { values: { walls: 1, nozzle: 7, "infill.density": 0.15, layer_height_mm: 0.3, "speed_mm_s.travel": 200 } } as unknown as Evaluation;

  it("is told by what varies, in the order in which people decide", () => {
    const varying = new Set(["walls", "nozzle", "infill.density", "speed_mm_s.travel"]);
    expect(describeDot(dot, varying, shelf)).toBe("0.6 brass nozzle · 1 wall · 15 % · speed mm s travel 200");
  });

  it("has a short name", () => {
    expect(shortName(dot, shelf)).toBe("0.6 brass, 0.3 mm, 1 wall, 15 %");
    expect(shortName({ values: { pace: 2 } } as unknown as Evaluation, shelf)).toBe("From the trade-off");
  });
});

describe("decimals of an axis", () => {
  it("tell its marks apart, however close they are", () => {
    for (const range of [400, 12, 3, 0.7, 0.2, 0.03, 0.01, 0.0004]) {
      const marks = [0, 1, 2, 3, 4].map((step) => (3.34 + (step * range) / 4).toFixed(digits(range, 1)));
      expect(new Set(marks).size).toBe(5);
    }
    expect(digits(0, 1)).toBe(1);
    expect(digits(400, 1)).toBe(1);
  });
});
