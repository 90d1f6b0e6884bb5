import { describe, expect, it } from "vitest";
import { STRANDS, strandOf } from "./strands";

describe("how strands look", () => {
  it("has a letter and words for each, once", () => {
    expect(new Set(STRANDS.map((one) => one.code)).size).toBe(STRANDS.length);
    expect(new Set(STRANDS.map((one) => one.label)).size).toBe(STRANDS.length);
    for (const one of STRANDS) expect(one.says.length).toBeGreaterThan(5);
  });

  it("goes from good to bad: straight first, skipping last", () => {
    expect(STRANDS.map((one) => one.key)).toEqual(["straight", "curl", "corkscrew", "beaded", "skips", "skips_throughout"]);
  });

  it("is found by its key, and is none where nobody looked", () => {
    expect(strandOf("beaded")?.code).toBe("B");
    expect(strandOf(null)).toBeUndefined();
    expect(strandOf(undefined)).toBeUndefined();
  });
});
