import { describe, expect, it } from "vitest";
import type { StrokesIndex } from "../../api/client";
import { layerAt, layerSeconds, placeAfter, secondsUntil, strokesIn } from "./places";

/** Three layers: of 10, 20 and 5 seconds, the middle one with 4 of waiting besides. */
const index = { top_mm: [0.2, 0.4, 0.6], first_stroke: [0, 7, 7, 12], time_s: [10, 20, 5], wait_s: [0, 4, 0] } as unknown as StrokesIndex;

describe("a place in a print", () => {
  it("is in the layer whose top is not below it, and at most in the last", () => {
    expect([0, 0.1, 0.2, 0.21, 0.4, 0.6, 9].map((mm) => layerAt(index, mm))).toEqual([0, 0, 0, 1, 1, 2, 2]);
  });

  it("counts a layer's strokes, none in an empty one", () => {
    expect([0, 1, 2].map((layer) => strokesIn(index, layer))).toEqual([7, 0, 5]);
  });

  it("is so many seconds from the start", () => {
    expect(layerSeconds(index, 1)).toBe(24);
    expect(secondsUntil(index, 0, 0)).toBe(0);
    expect(secondsUntil(index, 1, 0.5)).toBe(22);
    expect(secondsUntil(index, 2, 1)).toBe(39);
  });

  it("moves on by as many seconds as pass, over layers, and ends with the print", () => {
    for (const start of [0, 3, 9.5, 12, 33, 38])
      for (const passed of [0, 0.25, 1, 7, 23, 60]) {
        const at = placeAfter(index, { layer: 0, share: 0 }, start);
        const then = placeAfter(index, at, passed);
        expect(secondsUntil(index, then.layer, then.share)).toBeCloseTo(Math.min(39, start + passed), 9);
        expect(then.ended).toBe(passed > 0 && start + passed >= 39);
      }
  });

  it("stands still where no time passes, even in a layer that takes none", () => {
    const still = { top_mm: [0.2, 0.4], first_stroke: [0, 0, 1], time_s: [0, 1], wait_s: [0, 0] } as unknown as StrokesIndex;
    expect(placeAfter(still, { layer: 0, share: 0.5 }, 0)).toEqual({ layer: 0, share: 0.5, ended: false });
    expect(placeAfter(still, { layer: 0, share: 0 }, 0.5).layer).toBe(1);
  });
});
