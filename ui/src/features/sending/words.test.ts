import { describe, expect, it } from "vitest";
import type { Print } from "../../api/client";
import { behindShare, livePoints, stateWords } from "./words";

const print = (change: Partial<Print>): Print =>
  ({ state: "printing", sent_bytes: 0, size_bytes: 100, heating: false, progress: null, looks: [], real_s: null, ...change }) as Print;

const progress = { share: 0.5, planned_s: 3000, whole_s: 6000, real_s: 3300, left_s: 3300, low_s: 3000, high_s: 3600, ratio: 1.1, layer: 4, layers: 9, height_mm: 1, by: "both" } as const;

describe("a print in words", () => {
  it("says how far it is", () => {
    expect(stateWords(print({ state: "sending", sent_bytes: 37 }))).toBe("being sent, 37 %");
    expect(stateWords(print({ heating: true }))).toBe("heating");
    expect(stateWords(print({ progress }))).toBe("50 % done");
    expect(stateWords(print({ state: "done", real_s: 3600 }))).toBe("done in 1 h 00");
  });
  it("says nothing of its pace before that counts", () => {
    expect(behindShare(print({}))).toBeNull();
    expect(behindShare(print({ progress: { ...progress, by: "plan" } }))).toBeNull();
    expect(behindShare(print({ progress }))).toBeCloseTo(0.1);
  });
});

describe("its picture", () => {
  it("goes from nothing to the plan's end, and fans out from the last look", () => {
    const points = livePoints(print({ progress, looks: [{ printing_s: 1100, planned_s: 1000 }] }));
    expect(points[0]).toMatchObject({ real_min: 0, planned: 0 });
    expect(points.find((point) => point.planned === 1)?.real_min).toBe(100);
    const fan = points.filter((point) => point.band !== undefined);
    expect(fan[0]?.band).toEqual([0.5, 0.5]);
    expect(fan.at(-1)?.real_min).toBeCloseTo(115);
    expect(fan.at(-1)?.band).toEqual([1, 1]);
    for (const point of fan) expect((point.band?.[0] ?? 0) <= (point.band?.[1] ?? 0)).toBe(true);
    // By when the quickest is done, the slowest is not.
    expect(fan.find((point) => point.real_min > 104)?.band?.[1]).toBeGreaterThan(0.9);
  });
  it("is empty before anything is printed", () => {
    expect(livePoints(print({}))).toEqual([]);
  });
});
