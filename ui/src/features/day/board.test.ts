import { describe, expect, it } from "vitest";
import { clock, marks, momentAt, neighbour, until, xOf, type Standing } from "./board";

const AT = (hours: number) => new Date(new Date(2026, 10, 23, 8).getTime() + hours * 3_600_000).toISOString();
const run = (queue_id: number, machine_id: number, start: number, end: number): Standing => ({ queue_id, plate: 1, machine_id, start: AT(start), end: AT(end) });

describe("places on the board", () => {
  const from = new Date(2026, 10, 23, 8).getTime();
  it("turns moments into pixels and back", () => {
    expect(xOf(AT(3), from, 20)).toBe(60);
    expect(momentAt(60, from, 20).toISOString()).toBe(AT(3));
    expect(momentAt(61, from, 20, 60).toISOString()).toBe(AT(3));
  });
  it("marks hours as close as there is room for", () => {
    const hours = (perHour: number) => marks(from, from + 24 * 3_600_000, perHour).map((at) => at.getHours());
    expect(hours(50)).toHaveLength(25);
    expect(hours(10)).toEqual([12, 18, 0, 6]);
    expect(hours(2)).toEqual([0]);
  });
});

describe("the way by arrows", () => {
  const runs = [run(1, 1, 0, 2), run(2, 1, 3, 5), run(3, 3, 0, 1), run(4, 3, 4, 5)];
  const machines = [1, 2, 3];
  const go = (from: number, way: Parameters<typeof neighbour>[3]) => neighbour(runs, machines, runs[from - 1] as Standing, way).queue_id;
  it("goes along a machine", () => {
    expect(go(1, "right")).toBe(2);
    expect(go(2, "right")).toBe(2);
    expect(go(2, "left")).toBe(1);
    expect(go(1, "last")).toBe(2);
    expect(go(2, "first")).toBe(1);
  });
  it("goes to the nearest in time, over machines without runs", () => {
    expect(go(2, "down")).toBe(4);
    expect(go(1, "down")).toBe(3);
    expect(go(4, "up")).toBe(2);
    expect(go(1, "up")).toBe(1);
  });
});

describe("words", () => {
  it("tells how long it is", () => {
    const now = new Date(2026, 10, 23, 8).getTime();
    expect(until(AT(0.5), now)).toBe("in 30 min");
    expect(until(AT(26), now)).toBe("in 26 h 00");
    expect(until(AT(-1.25), now)).toBe("1 h 15 ago");
    expect(until(AT(0), now)).toBe("now");
    expect(until(AT(72), now)).toBe("in 3 days");
  });
  it("names day and hour", () => expect(clock(new Date(2026, 10, 23, 8, 5))).toBe("Mon 8:05"));
});
