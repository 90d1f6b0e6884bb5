import { describe, expect, it } from "vitest";
import type { RunEntry } from "../../api/client";
import { entryOf, localMoment, momentOf, textOf } from "./entryText";

const EMPTY: RunEntry = {
  state: "running", time_s: null, time_means: "printing", ended_at: null, weight_g: null, nozzle_temp_c: null, bed_temp_c: null,
  looks: null, faults: [], stopped_layer: null, stopped_min: null, pieces_kept: null, note: "",
};

describe("what is typed of a run", () => {
  it("goes out and comes back", () => {
    const entry: RunEntry = { ...EMPTY, state: "stopped", time_s: 5400, weight_g: 41.3, looks: 4, faults: ["strings"], stopped_layer: 80, note: "so" };
    expect(entryOf(textOf(entry, ""))).toEqual(entry);
    expect(entryOf(textOf(EMPTY, ""))).toEqual(EMPTY);
  });

  it("takes hours and minutes alone, commas, and the panel's own habit", () => {
    const form = textOf(EMPTY, "with_heating");
    expect(form.means).toBe("with_heating");
    expect(entryOf({ ...form, minutes: "95" })).toMatchObject({ time_s: 5700 });
    expect(entryOf({ ...form, hours: "2", weight: "12,5" })).toMatchObject({ time_s: 7200, weight_g: 12.5 });
  });

  it("goes from a moment to a field and back, to the minute", () => {
    expect(momentOf(localMoment("2026-05-01T09:30:00.000Z"))).toBe("2026-05-01T09:30:00.000Z");
    expect(momentOf("")).toBeNull();
    expect(momentOf("soon")).toBeNull();
  });

  it("says what cannot be read, and forgets where it stopped when it did not", () => {
    const form = textOf(EMPTY, "");
    expect(entryOf({ ...form, weight: "heavy" })).toContain("Weight");
    expect(entryOf({ ...form, minutes: "0" })).toContain("more than nothing");
    expect(entryOf({ ...form, state: "kept", layer: "12" })).toMatchObject({ stopped_layer: null });
  });
});
