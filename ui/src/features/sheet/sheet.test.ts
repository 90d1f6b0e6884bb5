import { beforeEach, describe, expect, it } from "vitest";
import type { Recipe, RecipeColumn, Shelf } from "../../api/client";
import { columnText, pastedColumn, pastedEdits, rangeOf, rangeText } from "./clipboard";
import { changeFor, changesFor, inverse, sameAt, unsent } from "./edits";
import { accepted, boundsText, FIELDS, foundByName, readValue, shownFields, shownValue, typedValue, withValue, type Field } from "./fields";
import { rangesText, typedRanges } from "./ranges";
import type { ColumnState } from "./ResultCell";
import { nextStep, offStep } from "./steps";

function field(key: string): Field {
  const found = FIELDS.find((one) => one.key === key);
  if (found === undefined) throw new Error(key);
  return found;
}

/** A column with choices, and what follows from them. */
function column(id: number, choices: Recipe, effective: Recipe = {}): RecipeColumn {
  return {
    id,
    part_id: 1,
    name: `Column ${id}`,
    version: 1,
    position: id,
    machine_id: 1,
    nozzle_id: 1,
    material_id: 1,
    choices,
    preview: { effective: { ...effective, ...choices } },
  } as unknown as RecipeColumn;
}

const state = (one: RecipeColumn): ColumnState => ({ column: one, estimate: undefined }) as unknown as ColumnState;
const shelf = { machines: [{ id: 1, name: "Heron" }, { id: 2, name: "Kestrel" }], nozzles: [], materials: [] } as unknown as Shelf;

describe("height ranges", () => {
  const ranges = [
    { from_mm: 0, to_mm: 5, infill_density: 0.5, walls: 4 },
    { from_mm: 20, to_mm: 30, infill_density: 0 },
  ];

  it("are one line of text and back", () => {
    expect(rangesText(ranges)).toBe("0-5: infill 50, walls 4; 20-30: infill 0");
    expect(typedRanges(rangesText(ranges))).toEqual(ranges);
    expect(typedRanges(" ; ")).toEqual([]);
  });

  it("say what they cannot read", () => {
    expect(() => typedRanges("walls 4")).toThrow("names no heights");
    expect(() => typedRanges("0-5: fill 4")).toThrow("is not known");
    expect(() => typedRanges("0-5: walls many")).toThrow("is not known");
  });
});

describe("values", () => {
  it("are shown and read in people's units", () => {
    expect(shownValue(0.15, field("infill.density"), shelf)).toBe("15");
    expect(typedValue("15 %", field("infill.density"))).toBe(0.15);
    expect(typedValue("", field("walls"))).toBeNull();
    expect(shownValue(2, field("machine"), shelf)).toBe("Kestrel");
    expect(readValue("kestrel", field("machine"), shelf)).toBe("2");
    expect(readValue("at a corner", field("seam"), shelf)).toBe("corner");
    expect(readValue("yes", field("spiral"), shelf)).toBe(true);
  });

  it("are refused in words", () => {
    expect(() => typedValue("wide", field("layer_height_mm"))).toThrow("is not a number");
    expect(() => typedValue("2.5", field("walls"))).toThrow("whole number");
    expect(() => readValue("left", field("seam"), shelf)).toThrow("at the back");
  });

  it("are set and left open at any depth", () => {
    const set = withValue({ walls: 2 }, field("infill.density"), 0.3);
    expect(set).toEqual({ walls: 2, infill: { density: 0.3 } });
    expect(withValue(set, field("infill.density"), null)).toEqual({ walls: 2, infill: { density: null } });
  });

  it("are accepted within their bounds; lengths stay above nothing", () => {
    const all = (key: string, values: number[]) => values.map((value) => accepted(value, field(key)));
    expect(all("layer_height_mm", [0, 0.01, 0.2, 99])).toEqual([false, true, true, false]);
    expect(all("walls", [-1, 0, 3])).toEqual([false, true, true]);
    expect(all("infill.density", [0, 1, 1.01])).toEqual([true, true, false]);
  });

  it("have bounds in words", () => {
    expect(boundsText(field("infill.density"))).toMatch(/^0 to 100 %$/);
    expect(boundsText(field("seam"))).toBe("");
  });
});

describe("steps", () => {
  const stepped = { printer: { z_step_mm: 0.04 } } as never;

  it("come onto the grid first", () => {
    expect(nextStep(field("layer_height_mm"), 0.21, 1, stepped)).toBe(0.24);
    expect(nextStep(field("layer_height_mm"), 0.21, -1, stepped)).toBe(0.2);
    expect(nextStep(field("layer_height_mm"), 0.2, 1, stepped)).toBe(0.24);
    expect(nextStep(field("infill.density"), 0.15, 1, undefined)).toBe(0.2);
    expect(nextStep(field("walls"), 0, -1, undefined)).toBeUndefined();
    expect(nextStep(field("layer_height_mm"), 0.04, -1, stepped)).toBeUndefined();
    expect(nextStep(field("seam"), "back", 1, undefined)).toBeUndefined();
  });

  it("tell heights between them", () => {
    expect([offStep(0.2, stepped), offStep(0.21, stepped), offStep(0.21, undefined)]).toEqual([false, true, false]);
  });
});

describe("rows", () => {
  const columns = [column(1, {}, { seam: "back" }), column(2, { seam: "corner" })];

  it("are everyday ones, those of opened groups, and whatever is set", () => {
    const keys = (opened: string[]) => shownFields(columns, { opened: new Set(opened), search: "", differing: false }).map((one) => one.key);
    expect(keys([])).toContain("seam");
    expect(keys([])).not.toContain("wall_order");
    expect(keys(["Shell"])).toContain("wall_order");
  });

  it("are found by all words, those by name first", () => {
    const found = shownFields(columns, { opened: new Set(), search: "wall outer", differing: false });
    expect(found.length).toBeGreaterThan(1);
    expect(foundByName(field("seam"), " Seam ")).toBe(true);
    expect(shownFields(columns, { opened: new Set(), search: "xyzzy", differing: false })).toEqual([]);
  });

  it("are those that differ", () => {
    const differing = shownFields(columns, { opened: new Set(), search: "", differing: true });
    expect(differing.map((one) => one.key)).toEqual(["seam"]);
  });
});

describe("the clipboard", () => {
  const rows = ["name", "walls", "seam", "infill.density"];
  const columns = [column(1, { walls: 2, infill: { density: 0.15 } }, { seam: "back" }), column(2, { walls: 3, infill: { density: 0.3 } }, { seam: "back" })].map(state);

  it("takes the rectangle between two cells, whichever comes first", () => {
    const range = rangeOf({ row: "infill.density", column: 2 }, { row: "walls", column: 1 }, rows, [1, 2]);
    expect(range).toEqual({ rows: ["walls", "seam", "infill.density"], columns: [1, 2] });
    expect(rangeText(range, columns, shelf)).toBe("2\t3\nat the back\tat the back\n15\t30");
  });

  it("is pasted as edits of what differs", () => {
    const edits = pastedEdits("4\t3\nat the back\tnearest", { row: "walls", column: 1 }, rows, columns, shelf);
    expect(edits).toEqual([
      { recipe: 1, key: "walls", value: 4 },
      { recipe: 2, key: "seam", value: "nearest" },
    ]);
    expect(pastedEdits("9\t9\t9\r\n", { row: "walls", column: 2 }, rows, columns, shelf)).toHaveLength(1);
    expect(() => pastedEdits("many", { row: "walls", column: 1 }, rows, columns, shelf)).toThrow("is not a number");
  });

  it("carries a whole column to another by its rows' names", () => {
    const text = columnText([2], columns, shelf);
    expect(pastedColumn(text, 1, columns, shelf)).toEqual([
      { recipe: 1, key: "name", value: "Column 2" },
      { recipe: 1, key: "walls", value: 3 },
      { recipe: 1, key: "infill.density", value: 0.3 },
    ]);
    expect(() => pastedColumn("nothing", 1, columns, shelf)).toThrow("lines of a row's name");
  });
});

describe("edits", () => {
  const before = column(1, { walls: 2 });

  it("are worked out from the column as it stands, and taken back", () => {
    expect(changeFor({ recipe: 1, key: "nozzle", value: 3 }, before)).toEqual({ nozzle_id: 3 });
    const change = changesFor(
      [
        { recipe: 1, key: "walls", value: 3 },
        { recipe: 1, key: "seam", value: "corner" },
        { recipe: 1, key: "name", value: "New" },
      ],
      before,
    );
    expect(change).toEqual({ choices: { walls: 3, seam: "corner" }, name: "New" });
    expect(inverse(change, before)).toEqual({ choices: { walls: 2 }, name: "Column 1" });
  });

  it("meet another's change of the same cell only", () => {
    const same = sameAt({ recipe: 1, key: "walls", value: 3 });
    expect(same(before, column(1, { walls: 2, seam: "corner" }))).toBe(true);
    expect(same(before, column(1, { walls: 4 }))).toBe(false);
  });

  describe("that wait for their turn", () => {
    beforeEach(() => {
      const kept = new Map<string, string>();
      globalThis.sessionStorage = {
        getItem: (key: string) => kept.get(key) ?? null,
        setItem: (key: string, value: string) => void kept.set(key, value),
      } as unknown as Storage;
    });

    it("are kept until they are sent, one by one", () => {
      const edit = { recipe: 1, key: "walls", value: 3 };
      unsent.add(edit);
      unsent.add({ ...edit });
      unsent.remove(edit);
      expect(unsent.all()).toEqual([edit]);
      sessionStorage.setItem("meanbead.unsent", "{damaged");
      expect(unsent.all()).toEqual([]);
    });
  });
});
