import { describe, expect, it } from "vitest";
import type { Varied } from "../../api/client";
import { isTyped, levelsText, optionsOf, typedLevels } from "./levels";

const of = (kind: string, key = "x"): Varied => ({ key, label: key, unit: "", kind });

describe("levels as they are typed", () => {
  it("reads points, commas, dots between and percents", () => {
    expect(typedLevels("0.2 · 0,28 0.36", of("number"))).toEqual([0.2, 0.28, 0.36]);
    expect(typedLevels("10 %".replace(" ", ""), of("percent"))).toEqual([0.1]);
    expect(typedLevels("1, 2, 3", of("whole"))).toEqual([1, 2, 3]);
  });
  it("comes back as it was", () => {
    expect(typedLevels(levelsText([0.1, 0.15], of("percent")), of("percent"))).toEqual([0.1, 0.15]);
    expect(levelsText([2, 3], of("whole"))).toBe("2, 3");
  });
  it("says what is wrong", () => {
    expect(() => typedLevels("two", of("number"))).toThrow("no number");
    expect(() => typedLevels("1.5", of("whole"))).toThrow("whole");
    expect(() => typedLevels("2 2", of("number"))).toThrow("twice");
    expect(() => typedLevels(" ", of("number"))).toThrow("Type its levels");
  });
  it("knows what is picked", () => {
    expect(isTyped(of("choice"))).toBe(false);
    expect(optionsOf(of("choice", "infill.pattern")).length).toBeGreaterThan(3);
    expect(optionsOf(of("yesno"))).toHaveLength(2);
  });
});
