import { describe, expect, it } from "vitest";
import names from "../../api/names.json";
import type { StrokesIndex } from "../../api/client";
import { CAUSES, FEATURES } from "../../lib/featureStyles";
import { legendOf } from "./painting";
import { layerAt, placeAfter, secondsUntil, strokesIn } from "./places";

const index = {
  top_mm: [0.2, 0.4, 0.6],
  time_s: [10, 20, 5],
  wait_s: [0, 0, 5],
  first_stroke: [0, 4, 4, 9],
} as unknown as StrokesIndex;

describe("a place in the print", () => {
  it("is found by height", () => {
    expect([0, 0.2, 0.3, 9].map((mm) => layerAt(index, mm))).toEqual([0, 0, 1, 2]);
    expect([0, 1, 2].map((layer) => strokesIn(index, layer))).toEqual([4, 0, 5]);
  });

  it("runs on through layers, and ends", () => {
    expect(placeAfter(index, { layer: 0, share: 0.5 }, 3)).toEqual({ layer: 0, share: 0.8, ended: false });
    expect(placeAfter(index, { layer: 0, share: 0.5 }, 15)).toEqual({ layer: 1, share: 0.5, ended: false });
    expect(placeAfter(index, { layer: 0, share: 0 }, 1000)).toEqual({ layer: 2, share: 1, ended: true });
  });

  it("after some seconds is so many seconds into the print", () => {
    for (const seconds of [0.1, 9, 10.5, 29, 30.5, 39]) {
      const place = placeAfter(index, { layer: 0, share: 0 }, seconds);
      expect(secondsUntil(index, place.layer, place.share)).toBeCloseTo(seconds, 9);
    }
  });
});

describe("colours", () => {
  it("have a style for every feature and cause that the engine names, each with a letter of its own", () => {
    expect(FEATURES.map((one) => one.key).sort()).toEqual([...names.features, "wait"].sort());
    expect(CAUSES.map((one) => one.key).sort()).toEqual(names.causes.map((cause) => `${cause}_s`).sort());
    for (const styles of [FEATURES, CAUSES]) expect(new Set(styles.map((one) => one.letter)).size).toBe(styles.length);
  });

  it("follow the names of the index, whatever their order", () => {
    const scale = { fastest: 80, ceiling: 10 };
    const legend = legendOf("cause", scale, { features: [], causes: ["ramps", "at_set_speed", "unheard_of"] });
    expect(legend.map((entry) => entry.key)).toEqual(["ramps", "at_set_speed", "unheard_of"]);
    expect(legend[1]?.label).toBe("At the set speed");
    expect(legend[2]?.letter).toBe("?");
  });
});
