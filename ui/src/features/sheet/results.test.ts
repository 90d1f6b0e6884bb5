import { describe, expect, it } from "vitest";
import type { Estimate, RecipeColumn, TimeDifference } from "../../api/client";
import { differenceSpan, RESULTS, restsOn, spreadOf } from "./results";

const interval = { low_s: 3240, high_s: 3960, expected_s: 3600, source: "typical", basis: "nothing was logged yet", runs: 0, weighed: 0 };
const first = {
  print_time_s: 3600, whole_time_s: 3900, heat_up_s: 200, start_time_s: 100, end_time_s: 0, filament_g: 20, filament_mm: 6700, filament_mm3: 16130,
  cost: 0.8, filament_cost: 0.5, power_cost: 0.2, wear_cost: 0.1, layers: 100, peak_flow_mm3_s: 9, asked_flow_mm3_s: 9, melt_ceiling_mm3_s: 12,
  melt_ceiling_source: "typical", melt_basis: "", melt_capped: false, by_cause: { melt_ceiling_s: 0 }, interval,
} as unknown as Estimate;
const column = {} as RecipeColumn;

const but = (change: object) => ({ ...first, ...change });

function row(key: string) {
  const found = RESULTS.find((one) => one.key === key);
  if (found === undefined) throw new Error(key);
  return found;
}

describe("results", () => {
  it("show times in hours and minutes, grams to a tenth, and layers as they are counted", () => {
    expect(row("print_time").show(first)).toBe("1 h 00");
    expect(row("grams").show(first)).toBe("20.0");
    expect(row("metres").show(first)).toBe("6.70");
    expect(row("layers").show(first)).toBe("100");
    expect(row("flow").show(first)).toBe("9.0 of 12.0");
  });

  it("say by how much a column differs, with its share", () => {
    const quicker = but({ print_time_s: 2700, filament_g: 22 });
    expect(row("print_time").difference(quicker, first)).toMatch(/^−15 min {2}−25 %$/);
    expect(row("grams").difference(quicker, first)).toMatch(/^\+\D*2\.0 {2}\+\D*10 %$/);
    expect(row("layers").difference(but({ layers: 50 }), first)).toMatch(/^−\D*50$/);
  });

  it("give no share of a difference that rounds to nothing", () => {
    expect(row("print_time").difference(but({ print_time_s: 3600.2 }), first)).not.toContain("%");
    expect(row("grams").difference(but({ filament_g: 20.01 }), first)).not.toContain("%");
  });

  it("add up in words: the parts of a cost are rows of their own", () => {
    const shares = ["filament_cost", "power_cost", "wear_cost"].map((key) => RESULTS.filter((one) => one.key === key).length);
    expect(shares).toEqual([1, 1, 1]);
    expect(RESULTS.filter((one) => one.main === true).map((one) => one.key)).toEqual(["print_time", "grams"]);
    expect(new Set(RESULTS.map((one) => one.key)).size).toBe(RESULTS.length);
  });

  it("say what an interval rests on: real runs, or what is typical", () => {
    expect(restsOn(first)).toBe("typical");
    expect(restsOn(but({ interval: { ...interval, runs: 1 } }))).toBe("from 1 run");
    expect(restsOn(but({ interval: { ...interval, runs: 4 } }))).toBe("from 4 runs");
    expect(row("expected").explain(first, column)).toContain("thought to end");
    expect(row("expected").explain(but({ interval: { ...interval, runs: 4 } }), column)).toContain("real times");
  });

  it("say half the width of an interval as a share of its middle", () => {
    expect(spreadOf(first)).toBe("±10 %");
    expect(spreadOf(but({ interval: { ...interval, low_s: 3600, high_s: 3600 } }))).toBe("±1 %");
    expect(spreadOf(but({ print_time_s: 0, interval: { ...interval, expected_s: null } }))).toBe("");
  });

  it("say that a flow is held back, and what that costs", () => {
    const held = but({ melt_capped: true, asked_flow_mm3_s: 15.5, by_cause: { melt_ceiling_s: 600 } });
    expect(row("flow").difference(held, first)).toBe("held back");
    expect(row("flow").explain(held, column)).toContain("15.5");
    expect(row("flow").explain(held, column)).toContain("costs 10 min");
    expect(row("flow").explain(first, column)).not.toContain("slowed");
  });

  it("tell of an end text only where it takes time", () => {
    expect(row("whole_time").explain(first, column)).not.toContain("end text");
    expect(row("whole_time").explain(but({ end_time_s: 120 }), column)).toContain("end text");
  });
});

describe("a difference over many prints", () => {
  const span = (low_s: number, high_s: number, real: boolean) => differenceSpan({ low_s, high_s, real } as TimeDifference);

  it("is a span, or one figure where both ends read alike", () => {
    expect(span(-1200, -600, true)).toBe("−20 min to −10 min");
    expect(span(-600, -601, true)).not.toContain("to");
  });

  it("says where it may be none", () => {
    expect(span(-600, 300, false)).toContain("may be none");
  });
});
