import { describe, expect, it } from "vitest";
import { bendInWords, minuteTicks } from "./curveWords";
import { ranked } from "../../lib/find";
import { presses } from "../../lib/keys";

describe("finding by letters", () => {
  const names = ["Outer wall", "Walls", "Wall order", "Seam"];
  it("needs all words, and puts names that begin with them first", () => {
    expect(ranked(names, "wall", (one) => one)).toEqual(["Walls", "Wall order", "Outer wall"]);
    expect(ranked(names, "ord wall", (one) => one)).toEqual(["Wall order"]);
    expect(ranked(names, "  ", (one) => one)).toEqual(names);
    expect(ranked(names, "xyz", (one) => one)).toEqual([]);
  });
});

describe("keys as they are written", () => {
  it("go by the place on the keyboard, whatever Alt makes of it", () => {
    expect(presses({ key: "ñ", code: "KeyN", altKey: true }, "Alt+N")).toBe(true);
    expect(presses({ key: "!", code: "Digit1", altKey: true, shiftKey: true }, "Alt+Shift+1")).toBe(true);
    expect(presses({ key: "1", code: "Digit1", altKey: true }, "Alt+Shift+1")).toBe(false);
    expect(presses({ key: "k", code: "KeyK", metaKey: true }, "Ctrl+K")).toBe(true);
    expect(presses({ key: "?", code: "Slash", shiftKey: true }, "?")).toBe(true);
    expect(presses({ key: "?", ctrlKey: true }, "?")).toBe(false);
  });
});

describe("a curve in words", () => {
  const shown = (value: number) => String(value);
  const base = { points: [], now: 0.2 };
  it("says where the saving is had", () => {
    const bend = { now: 0.2, best: 0.32, saves_s: 5100, value: 0.28, has_s: 4440 };
    expect(bendInWords({ ...base, bend }, shown, "mm")).toBe("Eight tenths of the saving are had at 0.28 mm: −1 h 14 of −1 h 25 at 0.32 mm.");
    expect(bendInWords({ ...base, bend: { ...bend, value: 0.32, has_s: 5100 } }, shown, "mm")).toContain("and no sooner");
    expect(bendInWords({ ...base, bend: null }, shown, "mm")).toContain("Nothing to win here");
  });
  it("has round minutes around all of its range", () => {
    for (const [low, high] of [[0.3, 0.9], [61, 63], [12, 480], [5, 5]] as const) {
      const ticks = minuteTicks(low, high);
      expect(ticks.length).toBeLessThanOrEqual(6);
      expect(ticks[0]).toBeLessThanOrEqual(low);
      expect(ticks.at(-1)).toBeGreaterThanOrEqual(high);
    }
  });
});
