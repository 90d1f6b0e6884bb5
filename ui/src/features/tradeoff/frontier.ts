import { plural, t } from "@lingui/core/macro";
import type { Evaluation, SearchResult, Measures, Shelf } from "../../api/client";
import { formatDuration, formatGrams, formatMoney, plain } from "../../lib/format";

export type Against = SearchResult["against"];

export interface Axis {
  key: Against;
  label: string;
  unit: string;
  /** The figure that is to be small. */
  of: (measures: Measures) => number;
  show: (value: number) => string;
  /** A mark of the axis; exact enough that neighbours differ over a range so wide. */
  tick: (value: number, range: number) => string;
}

/** Decimals at which four steps of a range are told apart; never fewer than usual. */
export const digits = (range: number, usual: number) =>
  range > 0 ? Math.min(6, Math.max(usual, Math.ceil(-Math.log10(range / 4)))) : usual;

export const AXES: readonly Axis[] = [
  { key: "filament_g", label: t`Filament`, unit: "g", of: (m) => m.filament_g, show: (v) => formatGrams(v), tick: (v, range) => `${v.toFixed(digits(range, 1))} g` },
  { key: "expected_cost", label: t`Expected cost`, unit: "", of: (m) => m.expected_cost, show: formatMoney, tick: formatMoney },
  { key: "ridge_mm", label: t`Steps on slopes`, unit: "mm", of: (m) => m.ridge_mm, show: (v) => `${v.toFixed(2)} mm`, tick: (v) => `${v.toFixed(2)} mm` },
  { key: "bend", label: t`Bend index, reversed`, unit: "", of: (m) => -m.bend, show: (v) => (-v).toFixed(2), tick: (v) => (-v).toFixed(2) },
];

/** Numbers of the points that no other beats in time and in the other figure, by time. */
export function nonDominated(points: readonly (readonly [number, number])[], among: readonly number[]): number[] {
  const order = [...among].sort((a, b) => (points[a]?.[0] ?? 0) - (points[b]?.[0] ?? 0) || (points[a]?.[1] ?? 0) - (points[b]?.[1] ?? 0));
  const kept: number[] = [];
  let best = Infinity;
  for (const one of order) {
    const y = points[one]?.[1] ?? Infinity;
    if (y < best) {
      best = y;
      kept.push(one);
    }
  }
  return kept;
}

/** Which of a frontier's points lies farthest below its chord; of one or two the first. */
export function kneeOf(points: readonly (readonly [number, number])[], frontier: readonly number[]): number | undefined {
  if (frontier.length < 3) return frontier[0];
  const xs = frontier.map((k) => points[k]?.[0] ?? 0);
  const ys = frontier.map((k) => points[k]?.[1] ?? 0);
  const unit = (value: number, all: number[]) => (value - Math.min(...all)) / (Math.max(...all) - Math.min(...all) || 1);
  const sums = frontier.map((_, at) => unit(xs[at] ?? 0, xs) + unit(ys[at] ?? 0, ys));
  return frontier[sums.indexOf(Math.min(...sums))];
}

const NAMES: Record<string, (value: unknown, shelf: Shelf | undefined) => string> = {
  nozzle: (value, shelf) => t`${shelf?.nozzles.find((one) => one.id === value)?.name ?? "?"} nozzle`,
  layer_height_mm: (value) => t`${String(value)} mm layers`,
  line_width_bores: (value) => t`lines ${String(value)} d`,
  inner_width_bores: (value) => t`inner ${String(value)} d`,
  walls: (value) => plural(Number(value), { one: "# wall", other: "# walls" }),
  "infill.density": (value) => `${plain(100 * Number(value))} %`,
  "infill.pattern": (value) => String(value),
  "infill.lines_side_by_side": (value) => (value === 1 ? t`single lines` : t`${String(value)} lines side by side`),
  pace: (value) => (value === 1 ? t`its pace` : t`pace × ${String(value)}`),
  "acceleration_mm_s2.print": (value) => `${plain(Number(value))} mm/s²`,
};

/** A recipe of the space in words: what varies between the dots. */
export function describe(dot: Evaluation, varying: ReadonlySet<string>, shelf: Shelf | undefined): string {
  const order = Object.keys(NAMES);
  const rank = (key: string) => (order.includes(key) ? order.indexOf(key) : order.length);
  return Object.entries(dot.values)
    .filter(([key]) => varying.has(key))
    .sort(([a], [b]) => rank(a) - rank(b))
    .map(([key, value]) => NAMES[key]?.(value, shelf) ?? `${key.replaceAll("_", " ").replaceAll(".", " ")} ${String(value)}`)
    .join(" · ");
}

/** A short name for a column made of a dot. */
export function shortName(dot: Evaluation, shelf: Shelf | undefined): string {
  const { values } = dot;
  const parts = [
    values.nozzle === undefined ? null : shelf?.nozzles.find((one) => one.id === values.nozzle)?.name,
    values.layer_height_mm === undefined ? null : `${String(values.layer_height_mm)} mm`,
    values.walls === undefined ? null : plural(Number(values.walls), { one: "# wall", other: "# walls" }),
    values["infill.density"] === undefined ? null : `${plain(100 * Number(values["infill.density"]))} %`,
  ];
  return parts.filter(Boolean).join(", ") || t`From the trade-off`;
}

/** Limits that filter at once: which measure, from which end, and how it is shown. */
export interface Slide {
  key: string;
  label: string;
  of: (measures: Measures) => number;
  /** "most" keeps what is at or below, "least" what is at or above. */
  end: "most" | "least";
  show: (value: number) => string;
}

export const SLIDES: readonly Slide[] = [
  { key: "time_s", label: t`Whole time at most`, of: (m) => m.whole_time_s, end: "most", show: formatDuration },
  { key: "filament_g", label: t`Filament at most`, of: (m) => m.filament_g, end: "most", show: (v) => formatGrams(v) },
  { key: "plates_per_day", label: t`Plates a day at least`, of: (m) => m.plates_per_day, end: "least", show: (v) => v.toFixed(1) },
  { key: "ridge_mm", label: t`Steps on slopes at most`, of: (m) => m.ridge_mm, end: "most", show: (v) => `${v.toFixed(2)} mm` },
  { key: "shell_mm", label: t`Shell at least`, of: (m) => m.shell_mm, end: "least", show: (v) => `${v.toFixed(2)} mm` },
  { key: "bend", label: t`Bend index at least`, of: (m) => m.bend, end: "least", show: (v) => v.toFixed(2) },
  { key: "sideways", label: t`Index pressed from the side at least`, of: (m) => m.sideways, end: "least", show: (v) => v.toFixed(2) },
  { key: "crush", label: t`Index pressed from above at least`, of: (m) => m.crush, end: "least", show: (v) => v.toFixed(2) },
  { key: "flow_margin", label: t`Melt margin at least`, of: (m) => m.flow_margin, end: "least", show: (v) => `${Math.round(100 * v)} %` },
  { key: "fault_risk", label: t`Chance to fail at most`, of: (m) => 1 - m.success, end: "most", show: (v) => `${(100 * v).toFixed(1)} %` },
];
