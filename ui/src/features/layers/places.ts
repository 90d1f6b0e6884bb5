import type { StrokesIndex } from "../../api/client";

/** The layer that a height lies in. */
export function layerAt(index: StrokesIndex, mm: number): number {
  const found = index.top_mm.findIndex((top) => top >= mm - 1e-6);
  return found < 0 ? index.top_mm.length - 1 : found;
}

/** How many strokes a layer has. */
export function strokesIn(index: StrokesIndex, layer: number): number {
  return (index.first_stroke[layer + 1] ?? 0) - (index.first_stroke[layer] ?? 0);
}

/** Seconds that a layer takes, with its waiting. */
export function layerSeconds(index: StrokesIndex, layer: number): number {
  return (index.time_s[layer] ?? 0) + (index.wait_s[layer] ?? 0);
}

/** Seconds from the start of the print to a share of a layer. */
export function secondsUntil(index: StrokesIndex, layer: number, share: number): number {
  let sum = 0;
  for (let k = 0; k < layer; k++) sum += layerSeconds(index, k);
  return sum + share * layerSeconds(index, layer);
}

/** Where the print is some seconds after a place in it: layer, share of it, and whether that is its end. */
export function placeAfter(
  index: StrokesIndex,
  from: { layer: number; share: number },
  seconds: number,
): { layer: number; share: number; ended: boolean } {
  let { layer, share } = from;
  for (let left = seconds; left > 0; ) {
    const whole = Math.max(1e-3, layerSeconds(index, layer));
    const rest = whole * (1 - share);
    if (left < rest) return { layer, share: share + left / whole, ended: false };
    left -= rest;
    if (layer >= index.top_mm.length - 1) return { layer, share: 1, ended: true };
    layer += 1;
    share = 0;
  }
  return { layer, share, ended: false };
}
