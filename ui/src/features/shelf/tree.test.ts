import { describe, expect, it } from "vitest";
import { valueAt, withValueAt } from "./tree";

const machine = { bed_mm: { x: 220, y: 200 }, corner: { law: "jerk", jerk_mm_s: { x: 8 } }, start: null };

describe("a description", () => {
  it("is read by the path of a value, and has nothing where the path ends early", () => {
    expect(valueAt(machine, ["bed_mm", "x"])).toBe(220);
    expect(valueAt(machine, [])).toBe(machine);
    expect(valueAt(machine, ["corner", "deviation_mm"])).toBeUndefined();
    expect(valueAt(machine, ["start", "text", "length"])).toBeUndefined();
    expect(valueAt(undefined, ["bed_mm"])).toBeUndefined();
  });

  it("is changed in one place, and is another one then", () => {
    const wider = withValueAt(machine, ["bed_mm", "x"], 300);
    expect(wider.bed_mm).toEqual({ x: 300, y: 200 });
    expect(machine.bed_mm.x).toBe(220);
    expect(wider.corner).toBe(machine.corner);
  });

  it("gets what it did not have, at any depth", () => {
    expect(withValueAt({}, ["hotend", "melt_zone_mm"], 12)).toEqual({ hotend: { melt_zone_mm: 12 } });
    expect(withValueAt({ start: null }, ["start", "text"], "G28")).toEqual({ start: { text: "G28" } });
    expect(valueAt(withValueAt(machine, ["corner", "jerk_mm_s", "y"], 9), ["corner", "jerk_mm_s"])).toEqual({ x: 8, y: 9 });
  });
});
