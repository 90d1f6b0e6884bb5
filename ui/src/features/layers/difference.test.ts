import { describe, expect, it } from "vitest";
import type { StrokePiece } from "../../api/binary";
import type { StrokesIndex } from "../../api/client";
import { onlyIn, strokeKey, StrokeSets } from "./difference";

const index = { top_mm: [0.2, 0.4, 0.6] } as unknown as StrokesIndex;

function piece(lines: readonly (readonly [number, number, number, number, number])[], seconds = 1): StrokePiece {
  return {
    count: lines.length,
    xy: new Float32Array(lines.flatMap((line) => line.slice(0, 4))),
    seconds: new Float32Array(lines.length).fill(seconds),
    layer: new Uint32Array(lines.map((line) => line[4])),
    feature: new Uint8Array(lines.length),
  } as unknown as StrokePiece;
}

describe("strokes of two recipes", () => {
  it("are told apart as going through all pairs would", () => {
    let seed = 7;
    const random = () => (seed = (seed * 48271) % 2147483647) / 2147483647;
    const lines = Array.from({ length: 400 }, () => [random() * 200, random() * 200, random() * 200, random() * 200, 0] as const);
    const all = piece(lines);
    const keys = lines.map((_, k) => strokeKey(all, k));
    expect(new Set(keys).size).toBe(lines.length);
    const turned = piece(lines.map(([ax, ay, bx, by, layer]) => [bx, by, ax, ay, layer] as const));
    expect(lines.map((_, k) => strokeKey(turned, k))).toEqual(keys);
    const mirrored = piece(lines.map(([ax, ay, bx, by, layer]) => [ax, by, bx, ay, layer] as const));
    expect(lines.filter((_, k) => strokeKey(mirrored, k) === keys[k])).toEqual([]);
  });

  it("are looked for at their height, and nothing is said of layers that are not there yet", () => {
    const sets = new StrokeSets(index);
    const mine = piece([
      [0, 0, 10, 0, 1],
      [0, 1, 10, 1, 1],
    ]);
    sets.add(mine);
    expect(sets.holds(0.4, strokeKey(mine, 0))).toBe(true);
    expect(sets.holds(0.6, strokeKey(mine, 0))).toBeUndefined();
    const its = piece(
      [
        [10, 0, 0, 0, 1],
        [0, 2, 10, 2, 1],
        [0, 3, 10, 3, 1],
      ],
      2.5,
    );
    expect(onlyIn(its, 0, 3, 0.4, sets, 99)).toEqual({ strokes: 2, seconds: 5 });
    expect(onlyIn(its, 0, 3, 0.4, sets, 0)).toEqual({ strokes: 0, seconds: 0 });
    expect(onlyIn(its, 0, 3, 0.6, sets, 99)).toEqual({ strokes: 0, seconds: 0 });
  });
});
