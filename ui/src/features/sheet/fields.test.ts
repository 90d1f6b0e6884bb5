import { describe, expect, it } from "vitest";
import type { Recipe, RecipeColumn, Shelf } from "../../api/client";
import { accepted, boundsText, chosen, effective, FIELDS, isNumber, isPick, isShelf, optionsOf, pickedValue, readValue, shownFields, shownValue, typedValue, valueIn, withValue, type Field } from "./fields";
import { nextStep, offStep } from "./steps";

const shelf = {
  machines: [{ id: 1, name: "Heron", removed: false }, { id: 2, name: "Kestrel", removed: true }],
  nozzles: [{ id: 1, name: "0.4 brass", removed: false }],
  materials: [{ id: 1, name: "PLA", removed: false }],
  spools: [{ id: 5, name: "white", removed: false }],
} as unknown as Shelf;

function field(key: string): Field {
  const found = FIELDS.find((one) => one.key === key);
  if (found === undefined) throw new Error(key);
  return found;
}

function column(choices: Recipe = {}, change: object = {}): RecipeColumn {
  return { id: 1, machine_id: 1, nozzle_id: 1, material_id: 1, spool_id: null, choices, preview: { effective: { walls: 2, ...choices } }, ...change } as unknown as RecipeColumn;
}

/** A value that a row takes. */
function sample(one: Field): string {
  if (one.kind === "ranges") return "0-5: walls 4";
  if (one.kind === "angles") return "45; -45";
  const low = one.low ?? 0;
  const high = Math.min(one.high ?? 1, low + 1);
  const middle = one.kind === "whole" ? high : (low + high) / 2;
  return String(one.kind === "percent" ? middle * 100 : middle);
}

describe("each row of the catalogue", () => {
  it("has a name of its own within its group, words that explain it, and bounds in order", () => {
    const names = FIELDS.map((one) => `${one.group}: ${one.label}`);
    expect(new Set(names).size).toBe(FIELDS.length);
    expect(new Set(FIELDS.map((one) => one.key)).size).toBe(FIELDS.length);
    for (const one of FIELDS) {
      expect(one.explain.length, one.key).toBeGreaterThan(10);
      if (one.low !== null && one.high !== null) expect(one.low, one.key).toBeLessThan(one.high);
      if (one.kind === "choice") expect(one.options.length, one.key).toBeGreaterThan(1);
    }
  });

  it("takes what lies within its bounds, puts it into a recipe, and reads it back as it was typed", () => {
    for (const one of FIELDS.filter((one) => !isPick(one))) {
      const value = typedValue(sample(one), one);
      if (value === null) throw new Error(one.key);
      if (typeof value === "number") expect(accepted(value, one), one.key).toBe(true);
      const recipe = withValue({}, one, value);
      expect(valueIn(recipe, one), one.key).toEqual(value);
      expect(typedValue(shownValue(valueIn(recipe, one), one, shelf), one), one.key).toEqual(value);
    }
  });

  it("that is picked takes each of its options by name and by value, and no other", () => {
    for (const one of FIELDS.filter((one) => isPick(one) && !isShelf(one))) {
      for (const option of optionsOf(one, shelf)) {
        const value = readValue(option.label.toUpperCase(), one, shelf);
        expect(value, one.key).toEqual(readValue(option.value, one, shelf));
        if (value === null) throw new Error(one.key);
        expect(shownValue(valueIn(withValue({}, one, value), one), one, shelf), one.key).toBe(option.label);
      }
      expect(() => readValue("none such", one, shelf), one.key).toThrow("none of the choices");
      expect(readValue(" ", one, shelf), one.key).toBeNull();
    }
  });

  it("is a number, a pick, or a line of text", () => {
    for (const one of FIELDS) expect(Number(isNumber(one)) + Number(isPick(one)) + Number(["ranges", "angles"].includes(one.kind)), one.key).toBe(1);
  });

  it("that is a number steps onto its grid, up and down, and never past its bounds", () => {
    for (const one of FIELDS.filter(isNumber)) {
      let value = one.high ?? 1;
      for (let k = 0; k < 4; k++) {
        const down = nextStep(one, value, -1, undefined);
        if (down === undefined) break;
        expect(down, one.key).toBeLessThan(value);
        expect(accepted(down as number, one), one.key).toBe(true);
        const up = nextStep(one, down, 1, undefined);
        if (up !== undefined) expect(up, one.key).toBeGreaterThan(down as number);
        value = down as number;
      }
    }
  });
});

describe("a value", () => {
  it("is what was chosen, else what follows from the others", () => {
    expect([chosen(column(), field("walls")), effective(column(), field("walls"))]).toEqual([undefined, 2]);
    expect(effective(column({ walls: 5 }), field("walls"))).toBe(5);
    expect(effective(column(), field("machine"))).toBe(1);
    expect(chosen(column({}, { spool_id: 5 }), field("spool"))).toBe(5);
  });

  it("of the shelf says what has been removed, and a spool may be any", () => {
    expect(shownValue(2, field("machine"), shelf)).toBe("Kestrel, removed");
    expect(readValue("heron", field("machine"), shelf)).toBe("1");
    expect(pickedValue("", field("spool"))).toBe(0);
    expect(readValue("", field("spool"), shelf)).toBeNull();
    expect(() => readValue("", field("machine"), shelf)).toThrow("none of the choices");
  });

  it("stays above nothing where nothing makes no sense", () => {
    const height = field("layer_height_mm");
    expect([0, -0.1, 0.2].map((value) => accepted(value, { ...height, low: 0, high: 1 }))).toEqual([false, false, true]);
    expect(accepted(0, { ...height, kind: "whole", low: 0, high: 9 })).toBe(true);
    expect(boundsText({ ...height, low: 0, high: 1.5, unit: "mm" })).toBe("up to 1.5 mm");
    expect(boundsText({ ...height, kind: "percent", low: 0.1, high: 1, unit: "%" })).toBe("10 to 100 %");
    expect(boundsText({ ...height, low: null })).toBe("");
  });

  it("is off step where it is no whole number of the motor's steps, if these are known", () => {
    const machine = { printer: { z_step_mm: 0.04 } } as never;
    expect([0.2, 0.21, 0.28].map((height) => offStep(height, machine))).toEqual([false, true, false]);
    expect(offStep(0.21, { printer: { z_step_mm: null } } as never)).toBe(false);
    expect(offStep(0.21, undefined)).toBe(false);
  });
});

describe("rows that are shown", () => {
  const shown = (columns: RecipeColumn[], change: object) => shownFields(columns, { opened: new Set(), search: "", differing: false, ...change }).map((one) => one.key);
  const rare = FIELDS.find((one) => !one.everyday && one.kind === "yesno");

  it("are the everyday ones, those of opened groups, and what is set", () => {
    if (rare === undefined) throw new Error("no rare row");
    const usual = shown([column()], {});
    expect(usual).toEqual(FIELDS.filter((one) => one.everyday).map((one) => one.key));
    expect(shown([column()], { opened: new Set([rare.group]) })).toContain(rare.key);
    expect(shown([column(withValue({}, rare, true))], {})).toContain(rare.key);
  });

  it("hold every word that is looked for, wherever it stands in the row", () => {
    for (const key of shown([column()], { search: "wall speed" })) {
      const one = field(key);
      const text = `${one.label} ${one.group} ${one.unit} ${one.explain}`.toLowerCase();
      expect(text.includes("wall") && text.includes("speed"), key).toBe(true);
    }
    expect(shown([column()], { search: "wall speed" }).length).toBeGreaterThan(0);
    expect(shown([column()], { search: "no such words" })).toEqual([]);
  });

  it("can be those in which columns differ", () => {
    expect(shown([column(), column({ walls: 4 })], { differing: true })).toEqual(["walls"]);
    expect(shown([column(), column()], { differing: true })).toEqual([]);
  });
});
