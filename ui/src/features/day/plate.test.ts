import { describe, expect, it } from "vitest";
import { moved, pathOf } from "./plate";

describe("parts on a plate", () => {
  const item = { part_id: 1, x_mm: 10, y_mm: 5, turn_deg: 0 };
  it("are drawn where they stand, y upwards", () => {
    expect(pathOf([[[0, 0], [2, 0], [2, 1]]], item)).toBe("M10.00 -5.00L12.00 -5.00L12.00 -6.00Z");
    expect(pathOf([[[2, 0]]], { ...item, turn_deg: 90 })).toBe("M10.00 -7.00Z");
  });
  it("move by keys, further with Shift", () => {
    expect(moved(item, "ArrowUp", false)).toMatchObject({ x_mm: 10, y_mm: 6 });
    expect(moved(item, "ArrowLeft", true)).toMatchObject({ x_mm: 0, y_mm: 5 });
    expect(moved(item, "r", false)?.turn_deg).toBe(15);
    expect(moved(item, "R", true)?.turn_deg).toBe(345);
    expect(moved(item, "x", false)).toBeNull();
  });
});
