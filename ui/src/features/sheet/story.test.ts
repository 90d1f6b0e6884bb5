import { describe, expect, it } from "vitest";
import type { Recipe, RecipeColumn, Shelf } from "../../api/client";
import { storyOf } from "./story";

const shelf = {
  machines: [{ id: 1, name: "Heron" }, { id: 2, name: "Kestrel" }],
  nozzles: [{ id: 1, name: "0.4 brass" }, { id: 2, name: "0.6 steel" }],
  materials: [{ id: 1, name: "PLA" }],
  spools: [],
} as unknown as Shelf;

const usual = { walls: 2, infill: { density: 0.15 }, layer_height_mm: 0.2, nozzle_temp_c: 205, top_layers: 4 } as Recipe;

function column(id: number, choices: Recipe = {}, change: Partial<RecipeColumn> = {}): RecipeColumn {
  return { id, name: `Column ${id}`, machine_id: 1, nozzle_id: 1, material_id: 1, spool_id: null, choices, preview: { effective: { ...usual, ...choices } }, ...change } as unknown as RecipeColumn;
}

const story = (one: RecipeColumn, first = column(1)) => storyOf(one, first, shelf);

describe("what makes a column another", () => {
  it("is nothing to say of the first, and little of its twin", () => {
    expect(story(column(1))).toBe("");
    expect(story(column(2))).toBe("as the first");
  });

  it("is what somebody has chosen, in the words of its row", () => {
    expect(story(column(2, { walls: 3 }))).toBe("walls 3");
    expect(story(column(2, { infill: { density: 0.4 } }))).toBe("infill 40 %");
  });

  it("is the name of another machine or nozzle, without the name of the row", () => {
    expect(story(column(2, {}, { machine_id: 2, nozzle_id: 2 }))).toBe("Kestrel, 0.6 steel");
  });

  it("leaves out what merely follows from another choice", () => {
    const coarser = column(2, {}, { nozzle_id: 2, preview: { effective: { ...usual, layer_height_mm: 0.3 } } } as unknown as Partial<RecipeColumn>);
    expect(story(coarser)).toBe("0.6 steel");
  });

  it("is what the first one has chosen and this one has not", () => {
    expect(story(column(2), column(1, { walls: 5 }))).toBe("walls 2");
  });

  it("stops at three, and counts the rest", () => {
    const many = column(2, { walls: 3, layer_height_mm: 0.24, nozzle_temp_c: 215, top_layers: 6, infill: { density: 0.3 } });
    expect(story(many)).toMatch(/^([^,]+, ){2}[^,]+ and 2 more$/);
  });

  it("names the file that a column replays, and compares none with one", () => {
    const replayed = { gcode: { file_name: "old.gcode" } } as unknown as Partial<RecipeColumn>;
    expect(story(column(2, {}, replayed))).toBe("replays old.gcode");
    expect(story(column(2, { walls: 3 }), column(1, {}, replayed))).toBe("");
  });
});
