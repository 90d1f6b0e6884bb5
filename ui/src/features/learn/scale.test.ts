import { describe, expect, it } from "vitest";
import { logTicks, onStrip, shapePath, SHAPES } from "./scale";

describe("scales of calibration", () => {
  it("ticks round durations that lie inside", () => {
    expect(logTicks(500, 8000)).toEqual([600, 1200, 1800, 3600, 7200]);
    expect(logTicks(61, 62)).toEqual([61, 62]);
  });
  it("stands one in the middle, a half and twice at the ends, and holds what lies beyond", () => {
    expect([0.5, 1, 2].map(onStrip)).toEqual([0, 0.5, 1]);
    expect(onStrip(Math.SQRT2)).toBeCloseTo(0.75);
    expect([onStrip(9), onStrip(0)]).toEqual([1, 0]);
  });
  it("tells as many groups apart as it says", () => {
    expect(new Set(Array.from({ length: SHAPES }, (_, place) => shapePath(place))).size).toBe(SHAPES);
  });
});
