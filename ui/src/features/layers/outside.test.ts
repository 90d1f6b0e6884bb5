import { describe, expect, it } from "vitest";
import type { StrokePiece } from "../../api/binary";
import { countBelow, outsideOf } from "./outside";

const FEATURES = ["outer_wall", "inner_wall", "infill", "top"];
const NAMES = { features: FEATURES, features_used: FEATURES };
type Place = readonly [number, number];

/** A piece of chains of places; each is a feature's on a layer. */
function pieceOf(chains: readonly { feature: string; layer: number; places: readonly Place[] }[]): StrokePiece {
  const strokes = chains.flatMap(({ feature, layer, places }) =>
    places.slice(1).map((end, k) => ({ feature: FEATURES.indexOf(feature), layer, ends: [...(places[k] ?? [0, 0]), ...end] })),
  );
  const count = strokes.length;
  return {
    count,
    xy: Float32Array.from(strokes.flatMap((one) => one.ends)),
    width_mm: new Float32Array(count).fill(0.45),
    height_mm: new Float32Array(count).fill(0.2),
    layer: Uint32Array.from(strokes, (one) => one.layer),
    feature: Uint8Array.from(strokes, (one) => one.feature),
  } as StrokePiece;
}

/** A closed curve with waves, spikes and a stretch that doubles back. */
function curve(seed: number): Place[] {
  const places: Place[] = [];
  for (let k = 0; k <= 700; k++) {
    const turn = (2 * Math.PI * k) / 700;
    const r = 20 + 2 * Math.sin((3 + seed) * turn) + (k % 97 === 0 ? 1.5 : 0) + 0.02 * Math.sin(90 * turn);
    places.push([Math.fround(r * Math.cos(turn)), Math.fround(r * Math.sin(turn))]);
  }
  for (const back of [3, 1, 4, 1.5, 1.55]) places.push([20 + back, 0]);
  return places;
}

function distance([x, y]: Place, xy: Float32Array, k: number): number {
  const [ax, ay, bx, by] = [...xy.slice(4 * k, 4 * k + 4)] as [number, number, number, number];
  const square = (bx - ax) ** 2 + (by - ay) ** 2;
  const t = square === 0 ? 0 : Math.min(1, Math.max(0, ((x - ax) * (bx - ax) + (y - ay) * (by - ay)) / square));
  return Math.hypot(x - ax - t * (bx - ax), y - ay - t * (by - ay));
}

describe("strokes from outside", () => {
  it("leave no place by more than is allowed, and none is without the next", () => {
    for (const seed of [0, 1, 2, 5]) {
      const places = curve(seed);
      const found = outsideOf(pieceOf([{ feature: "outer_wall", layer: 0, places }]), NAMES, 1, 0.08);
      expect(found.count).toBeLessThan(places.length / 3);
      for (const place of places) {
        const near = Math.min(...Array.from({ length: found.count }, (_, k) => distance(place, found.xy, k)));
        expect(near).toBeLessThan(0.0801);
      }
      for (let k = 1; k < found.count; k++) {
        expect([...found.xy.slice(4 * k, 4 * k + 2)]).toEqual([...found.xy.slice(4 * k - 2, 4 * k)]);
      }
      expect([...found.xy.slice(4 * found.count - 2)]).toEqual([...Float32Array.from(places.at(-1) ?? [])]);
    }
  });

  it("leave out infill behind walls, and only there", () => {
    const line: Place[] = [[0, 0], [9, 0]]; // prettier-ignore
    const chains = [
      { feature: "outer_wall", layer: 0, places: line },
      { feature: "infill", layer: 0, places: line },
      { feature: "infill", layer: 1, places: line },
      { feature: "top", layer: 2, places: line },
    ];
    expect([...outsideOf(pieceOf(chains), NAMES).of]).toEqual([0, 2, 3]);
    expect([...outsideOf(pieceOf(chains), { ...NAMES, features_used: ["outer_wall", "infill"] }).of]).toEqual([0, 1, 2, 3]);
  });

  it("let one layer's walls stand for a group, and keep every skin", () => {
    const line: Place[] = [[0, 0], [9, 0]]; // prettier-ignore
    const chains = [0, 1, 2, 3, 4, 5, 6].flatMap((layer) => [
      { feature: "outer_wall", layer, places: line },
      { feature: "top", layer, places: line },
    ]);
    const found = outsideOf(pieceOf(chains), NAMES, 3);
    expect([...found.layer]).toEqual([0, 0, 1, 2, 3, 3, 4, 5, 6, 6]);
    expect([0, 1, 3, 6, 7].map((layer) => countBelow(found.layer, layer))).toEqual([0, 2, 4, 8, 10]);
  });
});
