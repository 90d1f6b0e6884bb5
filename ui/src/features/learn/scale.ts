/** How many marks tell groups apart. */
export const SHAPES = 6;

/** A mark's outline about its middle: circle, square, triangle, diamond, cross bar, star. */
export function shapePath(shape: number): string {
  switch (shape) {
    case 1:
      return "M-4 -4H4V4H-4Z";
    case 2:
      return "M0 -5L5 4H-5Z";
    case 3:
      return "M0 -5.5L5.5 0L0 5.5L-5.5 0Z";
    case 4:
      return "M-5 -1.8H-1.8V-5H1.8V-1.8H5V1.8H1.8V5H-1.8V1.8H-5Z";
    case 5:
      return "M0 5L-5 -4H5Z";
    default:
      return "M4.5 0A4.5 4.5 0 1 1 -4.5 0A4.5 4.5 0 1 1 4.5 0Z";
  }
}

const STEPS_S = [60, 120, 300, 600, 1200, 1800, 3600, 7200, 14_400, 28_800, 57_600, 115_200, 230_400];

/** Round durations between two ends of a logarithmic scale, so many as can be read. */
export function logTicks(low: number, high: number): number[] {
  const inside = STEPS_S.filter((step) => step >= low && step <= high);
  return inside.length > 0 ? inside : [low, high];
}

/** Where a factor stands on a strip from a half to twice, 0 to 1: equal factors are equal steps. */
export function onStrip(factor: number): number {
  return Math.min(1, Math.max(0, (Math.log2(Math.max(factor, 1e-3)) + 1) / 2));
}
