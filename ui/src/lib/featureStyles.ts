import { t } from "@lingui/core/macro";

/** The features of a print: name, letter, colour and hatch. The letter and the hatch tell them apart without colour. */

export type Hatch = "none" | "rise" | "fall" | "cross" | "level" | "upright" | "dots" | "sparse";

/** How one share of a bar looks. */
export interface FeatureStyle {
  key: string;
  label: string;
  letter: string;
  colour: string;
  hatch: Hatch;
}

export const FEATURES: readonly FeatureStyle[] = [
  { key: "outer_wall", label: t`Outer wall`, letter: "O", colour: "#24466b", hatch: "none" },
  { key: "inner_wall", label: t`Inner wall`, letter: "I", colour: "#7fa3c4", hatch: "level" },
  { key: "infill", label: t`Infill`, letter: "F", colour: "#d8a33a", hatch: "cross" },
  { key: "thin_wall", label: t`Thin wall`, letter: "N", colour: "#3d7a8c", hatch: "upright" },
  { key: "solid", label: t`Solid inside`, letter: "S", colour: "#8a573a", hatch: "rise" },
  { key: "top", label: t`Top skin`, letter: "T", colour: "#cf8398", hatch: "fall" },
  { key: "bottom", label: t`Bottom skin`, letter: "B", colour: "#5b4a73", hatch: "upright" },
  { key: "bridge", label: t`Bridge`, letter: "G", colour: "#94632f", hatch: "level" },
  { key: "ironing", label: t`Ironing`, letter: "Q", colour: "#e0b9c4", hatch: "rise" },
  { key: "support", label: t`Support`, letter: "U", colour: "#6d8a5f", hatch: "cross" },
  { key: "support_interface", label: t`Support interface`, letter: "J", colour: "#4c6644", hatch: "level" },
  { key: "raft", label: t`Raft`, letter: "L", colour: "#8f9a80", hatch: "rise" },
  { key: "skirt", label: t`Skirt`, letter: "K", colour: "#7d8f73", hatch: "dots" },
  { key: "brim", label: t`Brim`, letter: "R", colour: "#a9b39a", hatch: "fall" },
  { key: "travel", label: t`Travel, retraction, Z`, letter: "V", colour: "#b9b0a3", hatch: "sparse" },
  { key: "wait", label: t`Waiting to cool`, letter: "W", colour: "#e3dbcb", hatch: "dots" },
];

/** What held each second of a print, and what can be done about it. Keys are those of the estimate's causes. */
export interface CauseStyle extends FeatureStyle {
  /** The cause within a sentence. */
  phrase: string;
  /** What would move it; follows a colon. */
  lever: string;
}

export const CAUSES: readonly CauseStyle[] = [
  {
    key: "at_set_speed_s",
    label: t`At the set speed`,
    letter: "A",
    colour: "#24466b",
    hatch: "none",
    phrase: t`printing at the speed that is set`,
    lever: t`higher speeds would shorten just this share.`,
  },
  {
    key: "melt_ceiling_s",
    label: t`Held by the melt ceiling`,
    letter: "M",
    colour: "#c4521c",
    hatch: "rise",
    phrase: t`waiting for the hot end to melt`,
    lever: t`a higher speed changes nothing here; a hotter nozzle, a smaller bead or a longer melt zone does.`,
  },
  {
    key: "ramps_s",
    label: t`Speeding up and slowing down`,
    letter: "U",
    colour: "#7fa3c4",
    hatch: "fall",
    phrase: t`speeding up and slowing down`,
    lever: t`raising speed will hardly help; more acceleration, or strokes that change speed less often, would.`,
  },
  {
    key: "corners_s",
    label: t`Corners`,
    letter: "C",
    colour: "#4f6f9a",
    hatch: "dots",
    phrase: t`going slowly round corners`,
    lever: t`raising speed will hardly help; more acceleration or corner speed would, as far as the frame stays quiet.`,
  },
  {
    key: "travelling_s",
    label: t`Travelling`,
    letter: "V",
    colour: "#b9b0a3",
    hatch: "sparse",
    phrase: t`travelling without printing`,
    lever: t`look for what makes it travel, such as slivers of infill in thin walls, many islands, many holes.`,
  },
  {
    key: "retracting_s",
    label: t`Retracting`,
    letter: "P",
    colour: "#8a573a",
    hatch: "cross",
    phrase: t`pulling filament back and forth`,
    lever: t`a longer shortest travel, or a shorter pull, would spare some of it.`,
  },
  {
    key: "layer_cooling_s",
    label: t`Slowed or waiting to cool`,
    letter: "W",
    colour: "#a9b39a",
    hatch: "dots",
    phrase: t`slowed down or waiting to cool`,
    lever: t`no speed can win this back; printing two at once would.`,
  },
  {
    key: "z_and_layer_change_s",
    label: t`Z and layer change`,
    letter: "Z",
    colour: "#5b4a73",
    hatch: "upright",
    phrase: t`lifting and changing layers`,
    lever: t`fewer, higher layers would spare it.`,
  },
];

export function patternId(feature: FeatureStyle): string {
  return `feature-${feature.key}`;
}
