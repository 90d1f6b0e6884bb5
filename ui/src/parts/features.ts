/** The features of a print: name, letter, colour and hatch. The letter and the hatch tell them apart without colour. */

export type Hatch = "none" | "rise" | "fall" | "cross" | "level" | "upright" | "dots" | "sparse";

export interface FeatureStyle {
  key: string;
  label: string;
  letter: string;
  colour: string;
  hatch: Hatch;
}

export const FEATURES: readonly FeatureStyle[] = [
  { key: "outer_wall", label: "Outer wall", letter: "O", colour: "#24466b", hatch: "none" },
  { key: "inner_wall", label: "Inner wall", letter: "I", colour: "#7fa3c4", hatch: "level" },
  { key: "infill", label: "Infill", letter: "F", colour: "#d8a33a", hatch: "cross" },
  { key: "solid", label: "Solid inside", letter: "S", colour: "#8a573a", hatch: "rise" },
  { key: "top", label: "Top skin", letter: "T", colour: "#cf8398", hatch: "fall" },
  { key: "bottom", label: "Bottom skin", letter: "B", colour: "#5b4a73", hatch: "upright" },
  { key: "skirt", label: "Skirt", letter: "K", colour: "#7d8f73", hatch: "dots" },
  { key: "brim", label: "Brim", letter: "R", colour: "#a9b39a", hatch: "fall" },
  { key: "travel", label: "Travel, retraction, Z", letter: "V", colour: "#b9b0a3", hatch: "sparse" },
  { key: "wait", label: "Waiting to cool", letter: "W", colour: "#e3dbcb", hatch: "dots" },
];

export function patternId(feature: FeatureStyle): string {
  return `feature-${feature.key}`;
}
