import { describe, expect, it } from "vitest";
import type { Estimate, RecipeColumn, Shelf } from "../../api/client";
import { storyOf } from "./story";
import { workingOf, workingText } from "./working";

const shelf = {
  machines: [{ id: 1, sources: { max_speed_mm_s: "measured", start_time_s: "set" }, printer: { acceleration_mm_s2: { print: 900 }, max_speed_mm_s: { x: 200 }, max_acceleration_mm_s2: { x: 3000 }, filament_diameter_mm: 1.75, wear_per_h: 0.2 } }],
  materials: [{ id: 2, sources: { density_g_cm3: "measured" }, material: { density_g_cm3: 1.25 } }],
  nozzles: [],
  spools: [],
} as unknown as Shelf;

const column = (choices: object, effective: object = {}) =>
  ({ id: 7, machine_id: 1, nozzle_id: 3, material_id: 2, choices, preview: { effective, beads: [{ feature: "infill", area_mm2: 0.08, flow_mm3_s: 6.4 }] } }) as unknown as RecipeColumn;

const estimate = {
  print_time_s: 600,
  by_cause: { at_set_speed_s: 480, ramps_s: 120 },
  heat_up_s: 100,
  start_time_s: 45,
  end_time_s: 0,
  whole_time_s: 745,
  filament_mm3: 8000,
  filament_g: 10,
  filament_mm: 8000 / ((Math.PI * 1.75 ** 2) / 4),
  height_mm: 10.2,
  height_off_mm: 0.2,
  layers: 50,
  melt_ceiling_mm3_s: 9.2,
  melt_ceiling_source: "typical",
  interval: { low_s: 550, high_s: 700, source: "measured", basis: "from 9 runs" },
} as unknown as Estimate;

const of = (key: string, choices = {}, effective = {}) => workingOf(key, estimate, column(choices, effective), shelf);

describe("a figure worked out", () => {
  it("is told in plain text with what it rests on", () => {
    const lines = workingText("What it weighs.", of("grams")).split("\n");
    expect(lines.slice(0, 2)).toEqual(["What it weighs.", "8.00 cm³ × 1.25 g/cm³ = 10.0 g"]);
    expect(lines[2]).toContain("1.25 g/cm³, measured");
    expect(workingText("Alone.", null)).toBe("Alone.");
  });

  it("puts numbers in that make it", () => {
    expect(of("grams")?.formulas).toEqual(["8.00 cm³ × 1.25 g/cm³ = 10.0 g"]);
    expect(of("metres")?.formulas[0]).toBe("8.00 cm³ ÷ (π × 1.75² ÷ 4 = 2.405 mm²) = 3.33 m");
    expect(of("whole_time")?.formulas[0]).toBe("1 min 40 s heating + 45 s start + 10 min printing = 12 min");
    expect(of("print_time")?.formulas[0]).toMatch(/^8 min .* \+ 2 min .* = 10 min$/);
    expect(of("layers", {}, { layer_height_mm: 0.2, first_layer_height_mm: 0.2 })?.formulas[0]).toContain("⌈(10.00 − 0.2) ÷ 0.2⌉ + 1");
    expect(of("flow")?.formulas[0]).toContain("0.0800 mm² × 80 mm/s = 6.4 mm³/s, infill");
  });

  it("says where each number comes from", () => {
    expect(of("grams")?.inputs[0]).toMatchObject({ source: "measured" });
    expect(of("whole_time")?.inputs[0]).toMatchObject({ source: "set" });
    expect(of("print_time")?.inputs.map((input) => input.source)).toEqual(["typical", "measured", "typical"]);
    const chosen = { acceleration_mm_s2: { print: 1500 } };
    expect(of("print_time", chosen, chosen)?.inputs[0]).toEqual({ name: "acceleration when printing", value: "1500 mm/s²", source: "set" });
  });

  it("is silent where a sentence says all, or the shelf is not there", () => {
    expect(of("wear_cost")).toBeNull();
    expect(workingOf("grams", estimate, column({}), undefined)).toBeNull();
  });
});

describe("what makes a column another", () => {
  const first = { ...column({}, { walls: 2, infill: { density: 0.15 } }), id: 1 };
  it("is told in words, and only what somebody has chosen", () => {
    const other = column({ walls: 3, infill: { density: 0.1 } }, { walls: 3, infill: { density: 0.1 }, skins: { top_mm: 1 } });
    expect(storyOf(other, first, undefined)).toBe("walls 3, infill 10 %");
    expect(storyOf(first, first, undefined)).toBe("");
    expect(storyOf(column({}, { walls: 2 }), first, undefined)).toBe("as the first");
  });
});
