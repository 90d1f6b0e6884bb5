import { t } from "@lingui/core/macro";
import { Color } from "three";
import type { StrokePiece } from "../../api/binary";
import { CAUSES, FEATURES, type Hatch } from "../../lib/featureStyles";

export type ColourBy = "feature" | "speed" | "flow" | "cause" | "resting" | "beyond" | "difference";

/** `ofFile`: only a replayed file can go beyond the machine; a recipe is held to it. `ofTwo`: where two are shown in step. */
export const COLOURINGS: readonly { key: ColourBy; label: string; ofFile?: boolean; ofTwo?: boolean }[] = [
  { key: "feature", label: t`Feature` },
  { key: "speed", label: t`Speed` },
  { key: "flow", label: t`Flow against the ceiling` },
  { key: "cause", label: t`What held it` },
  { key: "resting", label: t`What it rests on` },
  { key: "beyond", label: t`Beyond the machine`, ofFile: true },
  { key: "difference", label: t`Difference from the other`, ofTwo: true },
];

/** Strokes that both of two recipes have, and those that only one has. */
const DIFFERENCE: readonly LegendEntry[] = [
  { key: "both", label: t`in both`, letter: "=", colour: "#d6cfc2", pattern: 0 },
  { key: "only", label: t`only in this one`, letter: "+", colour: "#b5400b", pattern: 1 },
];

/** What a stroke of a file goes beyond, by the bit of its flags; the first that is set counts. */
const BEYOND: readonly (LegendEntry & { bit: number })[] = [
  { key: "within", label: t`within the machine`, letter: "·", colour: "#cdc3b2", pattern: 0, bit: 0 },
  { key: "outside", label: t`outside the bed`, letter: "O", colour: "#7d5ba6", pattern: 1, bit: 8 },
  { key: "melt_ceiling", label: t`over the melt ceiling`, letter: "M", colour: "#a3431f", pattern: 3, bit: 4 },
  { key: "axis_speed", label: t`faster than an axis`, letter: "A", colour: "#3f6f8f", pattern: 4, bit: 2 },
];

/** Writes a colour and a pattern for each stroke: four bytes, the fourth the pattern, 255 hides. */
export type Painter = (piece: StrokePiece, paint: Uint8Array) => void;

export interface LegendEntry {
  key: string;
  label: string;
  letter: string;
  colour: string;
  pattern: number;
}

export interface Scale {
  /** The fastest that the nozzle goes with plastic, mm/s. */
  fastest: number;
  ceiling: number;
}

const HIDDEN = 255;
const DIM: readonly [number, number, number] = [214, 207, 194];

// What a hatch in the ledger is on a bead: stripes, a middle line, dots, dashes.
const PATTERN: Record<Hatch, number> = { none: 0, rise: 1, fall: 4, cross: 1, level: 2, upright: 4, dots: 3, sparse: 3 };

// Light to dark: told apart without hue, and so by every eye.
const RAMP = ["#f0dcae", "#e3b46e", "#c9854b", "#9c5a4a", "#6b3a52", "#35224f"];

/** The names of the numbers that strokes come with, as the column's index tells them. */
export interface StrokeNames {
  features: readonly string[];
  causes: readonly string[];
}

/** The entries of a legend, in the order of their codes. */
export function legendOf(by: ColourBy, scale: Scale, { features, causes }: StrokeNames): LegendEntry[] {
  if (by === "feature") {
    return features.map((key) => {
      const style = FEATURES.find((one) => one.key === key);
      return {
        key,
        label: style?.label ?? key,
        letter: style?.letter ?? "?",
        colour: style?.colour ?? "#888888",
        pattern: PATTERN[style?.hatch ?? "none"],
      };
    });
  }
  if (by === "beyond") return [...BEYOND];
  if (by === "difference") return [...DIFFERENCE];
  if (by === "cause") {
    return causes.map((key) => {
      const style = CAUSES.find((one) => one.key === `${key}_s`);
      return {
        key,
        label: style?.label ?? key,
        letter: style?.letter ?? "?",
        colour: style?.colour ?? "#888888",
        pattern: PATTERN[style?.hatch ?? "none"],
      };
    });
  }
  const ends = by === "speed" ? speedSteps(scale.fastest) : by === "flow" ? FLOW_STEPS : RESTING_STEPS;
  const unit = by === "speed" ? "mm/s" : "%";
  return ends.map((low, step) => {
    const high = ends[step + 1];
    const label =
      by === "flow" && step === ends.length - 1
        ? t`at the melt ceiling`
        : high === undefined
          ? t`over ${low} ${unit}`
          : t`${low} to ${high} ${unit}`;
    const colour = (by === "resting" ? [...RAMP].reverse() : RAMP)[step] ?? "#888888";
    return { key: String(step), label, letter: String(step + 1), colour, pattern: 0 };
  });
}

const FLOW_STEPS = [0, 25, 50, 75, 90, 99];
const RESTING_STEPS = [0, 20, 40, 60, 80, 95];

function speedSteps(fastest: number): number[] {
  const step = [1, 2, 5, 10, 15, 20, 25, 50, 100, 200].find((one) => 6 * one >= fastest) ?? fastest / 6;
  return [0, 1, 2, 3, 4, 5].map((k) => k * step);
}

/** Which entry of the legend each stroke belongs to. */
function coder(by: ColourBy, scale: Scale, apart?: Apart): (piece: StrokePiece, k: number) => number {
  if (by === "feature") return (piece, k) => piece.feature[k] ?? 0;
  if (by === "cause") return (piece, k) => piece.cause[k] ?? 0;
  if (by === "difference") return (piece, k) => (apart?.(piece, k) === true ? 1 : 0);
  if (by === "beyond")
    return (piece, k) => {
      const flags = piece.flags[k] ?? 0;
      const found = BEYOND.findIndex((one) => one.bit !== 0 && (flags & one.bit) !== 0);
      return found < 0 ? 0 : found;
    };
  const steps = by === "speed" ? speedSteps(scale.fastest) : by === "flow" ? FLOW_STEPS : RESTING_STEPS;
  const value = (piece: StrokePiece, k: number) =>
    by === "speed"
      ? (piece.speed_mm_s[k] ?? 0)
      : by === "flow"
        ? (100 * (piece.flow_mm3_s[k] ?? 0)) / scale.ceiling
        : (100 * (piece.resting[k] ?? 0)) / 255;
  return (piece, k) => {
    const at = value(piece, k);
    let step = steps.length - 1;
    while (step > 0 && at < (steps[step] ?? 0)) step--;
    return step;
  };
}

/** Whether only this recipe has a stroke; undefined while the other's layer is not known. */
export type Apart = (piece: StrokePiece, k: number) => boolean | undefined;

export interface Painting {
  apart?: Apart | undefined;
  by: ColourBy;
  scale: Scale;
  names: StrokeNames;
  /** The legend's entry that stands out; the others are dim. */
  only: string | null;
  travels: boolean;
}

/** How to paint strokes. */
export function painterOf({ by, scale, names, only, travels, apart }: Painting): Painter {
  const entries = legendOf(by, scale, names).map((entry) => {
    const { r, g, b } = new Color(entry.colour);
    return { ...entry, bytes: [r, g, b].map((one) => Math.round(255 * one)) };
  });
  const dim = new Color(`rgb(${DIM.join()})`);
  const dimBytes = [dim.r, dim.g, dim.b].map((one) => Math.round(255 * one));
  const code = coder(by, scale, apart);
  const travelCode = names.features.indexOf("travel");
  return (piece, paint) => {
    for (let k = 0; k < piece.count; k++) {
      const travel = piece.feature[k] === travelCode;
      const entry = entries[code(piece, k)];
      const chosen = only === null || entry?.key === only;
      // A travel is shown where it is asked for, or is itself what stands out.
      const hidden = travel && !travels && !(only !== null && chosen);
      const bytes = chosen ? entry?.bytes : dimBytes;
      paint[4 * k] = bytes?.[0] ?? 0;
      paint[4 * k + 1] = bytes?.[1] ?? 0;
      paint[4 * k + 2] = bytes?.[2] ?? 0;
      paint[4 * k + 3] = hidden ? HIDDEN : chosen ? (entry?.pattern ?? 0) : 0;
    }
  };
}
