import { describe, expect, it } from "vitest";
import type { RunEntry, RunTag } from "../../api/client";
import { doubts, entryOf, localMoment, momentOf, sameEntry, textOf } from "./entryText";

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

  it("knows its own entry again, with faults in any order and moments in any zone", () => {
    const sent: RunEntry = { ...EMPTY, state: "kept", time_s: 3900, faults: ["strings", "blobs"], ended_at: "2026-05-01T09:30:00.000Z" };
    expect(sameEntry(sent, { ...sent, faults: ["blobs", "strings"], ended_at: "2026-05-01T11:30:00+02:00" })).toBe(true);
    for (const other of [{ looks: 3 }, { state: "scrapped" as const }, { ended_at: null }, { faults: [] }, { time_s: 3901 }]) {
      expect(sameEntry(sent, { ...sent, ...other })).toBe(false);
    }
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

  it("doubts what is beyond twice or half of what was predicted, by what the panel counts, and nothing else", () => {
    const tag = { predicted_s: 3600, whole_s: 4000, predicted_g: 20 } as RunTag;
    const form = textOf(EMPTY, "printing");
    expect(doubts(form, tag)).toEqual({ time: undefined, weight: undefined });
    expect(doubts({ ...form, hours: "2", weight: "10" }, tag)).toEqual({ time: undefined, weight: undefined });
    expect(doubts({ ...form, hours: "2", minutes: "1" }, tag).time).toContain("1 h 00 were predicted");
    expect(doubts({ ...form, minutes: "29" }, tag).time).toContain("29 min");
    expect(doubts({ ...form, means: "with_heating", hours: "2", minutes: "1" }, tag).time).toBeUndefined();
    expect(doubts({ ...form, weight: "9.9" }, tag).weight).toContain("20.0 g were predicted");
    expect(doubts({ ...form, weight: "9.9", hours: "50" }, { ...tag, predicted_s: null, predicted_g: null })).toEqual({ time: undefined, weight: undefined });
    expect(doubts({ ...form, weight: "much" }, tag)).toEqual({});
  });
});
