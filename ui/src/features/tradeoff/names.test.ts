import { describe, expect, it } from "vitest";
import { placeNames, type Named } from "./names";

const PLOT = { left: 60, right: 660, top: 10, bottom: 380 };

/** The box that a name fills, by an estimate of its own. */
function box(mark: Named, place: ReturnType<typeof placeNames>[number]) {
  const width = 6 * mark.name.length;
  return { left: place.anchor === "start" ? place.x : place.x - width, width, top: place.y - 6, height: 12 };
}

describe("names of columns on the trade-off", () => {
  it("stand beside their squares where there is room", () => {
    expect(placeNames([{ x: 100, y: 100, name: "Everyday" }], PLOT)).toEqual([{ x: 109, y: 100, anchor: "start", away: false }]);
  });

  it("stand to the left near the right edge", () => {
    expect(placeNames([{ x: 640, y: 100, name: "Everyday" }], PLOT)[0]).toMatchObject({ anchor: "end", x: 631 });
  });

  it("never lie on one another, though squares fall on one point", () => {
    // Made-up crowds, the same in each run.
    let seed = 7;
    const next = () => (seed = (seed * 16807) % 2147483647) / 2147483647;
    for (let round = 0; round < 200; round++) {
      const spread = round % 4 === 0 ? 0 : 60 * next();
      const middle = [PLOT.left + 600 * next(), PLOT.top + 370 * next()] as const;
      const marks = Array.from({ length: 6 }, (_, at) => ({
        x: Math.min(PLOT.right, middle[0] + spread * next()),
        y: Math.min(PLOT.bottom, middle[1] + spread * next()),
        name: `Column ${at}`,
      }));
      const boxes = placeNames(marks, PLOT).map((place, at) => box(marks[at] as Named, place));
      for (const [at, one] of boxes.entries())
        for (const other of boxes.slice(at + 1))
          expect(
            one.left < other.left + other.width && other.left < one.left + one.width && one.top < other.top + other.height && other.top < one.top + one.height,
            JSON.stringify({ round, one, other }),
          ).toBe(false);
    }
  });

  it("stay on the drawing", () => {
    for (const y of [PLOT.top, PLOT.bottom]) {
      const [place] = placeNames([{ x: 100, y, name: "Everyday" }], PLOT);
      expect(place?.y).toBeGreaterThan(PLOT.top);
      expect(place?.y).toBeLessThan(PLOT.bottom);
    }
  });

  it("say when a stroke has to lead to a name", () => {
    const crowd = Array.from({ length: 8 }, () => ({ x: 300, y: 200, name: "A long name of a column" }));
    expect(placeNames(crowd, PLOT).filter((place) => place.away)).not.toHaveLength(0);
  });
});
