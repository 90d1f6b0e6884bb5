import { describe, expect, it } from "vitest";
import type { StrokePiece } from "../../api/binary";
import { CAUSES, FEATURES } from "../../lib/featureStyles";
import { COLOURINGS, legendOf, painterOf, type Painting } from "./painting";

const names = { features: ["outer_wall", "infill", "travel"], causes: ["at_set_speed", "melt_ceiling"] };
const scale = { fastest: 100, ceiling: 12 };

/** Four strokes: a wall, filling at the ceiling, a travel, and a wall that leaves the bed and melts too much. */
const piece = {
  count: 4,
  feature: [0, 1, 2, 0],
  cause: [0, 1, 0, 1],
  flags: [0, 0, 0, 12],
  speed_mm_s: [30, 100, 150, 59],
  flow_mm3_s: [4, 12, 0, 11],
  resting: [255, 0, 0, 128],
} as unknown as StrokePiece;

/** The fourth byte of each stroke: its pattern, 255 where it is hidden. And its first three as a colour. */
function painted(change: Partial<Painting>): { patterns: number[]; colours: string[] } {
  const paint = new Uint8Array(16);
  painterOf({ by: "feature", scale, names, only: null, travels: true, ...change })(piece, paint);
  const strokes = [0, 1, 2, 3].map((k) => [...paint.slice(4 * k, 4 * k + 4)]);
  return { patterns: strokes.map((one) => one[3] ?? 0), colours: strokes.map((one) => one.slice(0, 3).join()) };
}

describe("a legend", () => {
  it("names every feature and cause once, with letters and colours that no other has", () => {
    for (const [by, styles] of [["feature", FEATURES], ["cause", CAUSES]] as const) {
      const keys = styles.map((one) => one.key.replace(/_s$/, ""));
      const entries = legendOf(by, scale, { features: keys, causes: keys });
      expect(entries.map((one) => one.key)).toEqual(keys);
      expect(new Set(entries.map((one) => one.letter)).size).toBe(keys.length);
      expect(new Set(entries.map((one) => one.colour)).size).toBe(keys.length);
      expect(entries.some((one) => one.letter === "?")).toBe(false);
    }
  });

  it("says what it does not know by its key, and does not fail", () => {
    expect(legendOf("feature", scale, { features: ["novel"], causes: [] })).toEqual([{ key: "novel", label: "novel", letter: "?", colour: "#888888", pattern: 0 }]);
  });

  it("has six steps of speed that reach the fastest, whole and equal", () => {
    for (const fastest of [5, 30, 100, 240, 999, 5000]) {
      const labels = legendOf("speed", { fastest, ceiling: 1 }, names).map((one) => one.label);
      expect(labels).toHaveLength(6);
      const lows = labels.map((label) => Number(/[\d.]+/.exec(label)?.[0]));
      expect(lows[0]).toBe(0);
      const step = lows[1] ?? 0;
      lows.forEach((low, k) => expect(low).toBeCloseTo(k * step, 9));
      expect(6 * step).toBeGreaterThanOrEqual(fastest);
    }
  });

  it("ends at the ceiling where it is about flow", () => {
    expect(legendOf("flow", scale, names).map((one) => one.label)).toEqual(["0 to 25 %", "25 to 50 %", "50 to 75 %", "75 to 90 %", "90 to 99 %", "at the melt ceiling"]);
  });

  it("offers each way to colour once", () => {
    expect(new Set(COLOURINGS.map((one) => one.key)).size).toBe(COLOURINGS.length);
    expect(COLOURINGS.filter((one) => one.ofFile === true).map((one) => one.key)).toEqual(["beyond"]);
  });
});

describe("strokes", () => {
  it("of one feature look alike, of two different", () => {
    const { colours } = painted({});
    expect(colours[0]).toBe(colours[3]);
    expect(new Set(colours.slice(0, 3)).size).toBe(3);
  });

  it("hide travels unless these are asked for, or stand out", () => {
    expect(painted({ travels: false }).patterns[2]).toBe(255);
    expect(painted({ travels: true }).patterns[2]).not.toBe(255);
    expect(painted({ travels: false, only: "travel" }).patterns[2]).not.toBe(255);
    expect(painted({ travels: false, only: "infill" }).patterns[2]).toBe(255);
  });

  it("are dim but for what stands out", () => {
    const { colours } = painted({ only: "infill" });
    expect(colours[0]).toBe(colours[3]);
    expect(colours[1]).not.toBe(colours[0]);
    expect(colours[1]).toBe(painted({}).colours[1]);
  });

  it("go by the step that their speed lies in", () => {
    const entries = legendOf("speed", scale, names);
    expect(entries[1]?.label).toBe("20 to 40 mm/s");
    const { colours } = painted({ by: "speed" });
    expect(new Set([colours[0], colours[1], colours[3]]).size).toBe(3); // 30, 100 and 59 mm/s
    expect(colours[1]).toBe(colours[2]); // what is faster than the fastest is in the last step
  });

  it("at the ceiling are in the step of the ceiling, and just below it are not", () => {
    const { colours } = painted({ by: "flow" });
    expect(colours[1]).not.toBe(colours[3]); // 12 of 12, and 11 of 12
    expect(colours[0]).not.toBe(colours[2]); // 4 of 12, and nothing
  });

  it("that go beyond the machine in two ways are told by the first", () => {
    const { patterns, colours } = painted({ by: "beyond" });
    const legend = legendOf("beyond", scale, names);
    expect(patterns[3]).toBe(legend.find((one) => one.key === "outside")?.pattern);
    expect(colours[0]).toBe(colours[1]);
    expect(colours[3]).not.toBe(colours[0]);
  });

  it("that only one recipe has differ, and none does while the other is not known", () => {
    const { colours } = painted({ by: "difference", apart: (_, k) => k === 1 });
    expect(colours[1]).not.toBe(colours[0]);
    expect(new Set(painted({ by: "difference", apart: () => undefined }).colours).size).toBe(1);
  });
});
