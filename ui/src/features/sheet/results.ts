import { plural, t } from "@lingui/core/macro";
import type { Estimate, Interval, RecipeColumn, TimeDifference } from "../../api/client";
import { fixed, formatDuration, formatDurationDifference, formatMoney, formatMoneyDifference, percentDifference, same, signed } from "../../lib/format";

/** Under which name the rest of the results is folded away. */
export const RESULT_GROUP = t`Results`;

/** A result: one row of the sheet that is computed. */
export interface ResultRow {
  key: string;
  label: string;
  unit: string;
  main?: boolean;
  /** Shown when the rest of the results is asked for. */
  more?: boolean;
  show: (estimate: Estimate) => string;
  /** The difference from the first column; empty where there is none worth saying. */
  difference: (estimate: Estimate, first: Estimate) => string;
  explain: (estimate: Estimate, column: RecipeColumn) => string;
  /** A second line under the figure: what it rests on. */
  note?: (estimate: Estimate) => string;
}

/** The interval as it came: the server always sends what has a default. */
const intervalOf = (e: Estimate) => e.interval as Interval;

/** What an interval rests on, in a few words. */
export function restsOn(e: Estimate): string {
  const { runs } = intervalOf(e);
  return runs > 0 ? t`from ${plural(runs, { one: "# run", other: "# runs" })}` : e.interval.source;
}

/** A difference of two columns on average over many prints, with its interval. */
export function differenceSpan(difference: TimeDifference): string {
  const low = formatDurationDifference(difference.low_s);
  const high = formatDurationDifference(difference.high_s);
  const span = low === high ? low : t`${low} to ${high}`;
  return difference.real ? span : t`${span}: may be none`;
}

export const RESULTS: readonly ResultRow[] = [
  {
    key: "print_time",
    label: t`Printing time`,
    unit: "h:mm",
    main: true,
    show: (e) => formatDuration(e.print_time_s),
    difference: (e, first) =>
      withPercent(
        formatDurationDifference(e.print_time_s - first.print_time_s),
        percentDifference(e.print_time_s, first.print_time_s),
      ),
    explain: (e) =>
      t`Every stroke of every layer, run through the machine's speeds, accelerations and corner law as they are described. ` +
      t`Expect ${formatDuration(e.interval.low_s)} to ${formatDuration(e.interval.high_s)} (${e.interval.source}: ${e.interval.basis}).`,
  },
  {
    key: "expected",
    label: t`Expect here`,
    unit: "h:mm",
    show: (e) => formatDuration(intervalOf(e).expected_s ?? e.print_time_s),
    difference: () => "",
    note: (e) => t`${formatDuration(e.interval.low_s)} to ${formatDuration(e.interval.high_s)}, ${restsOn(e)}`,
    explain: (e) =>
      intervalOf(e).runs > 0
        ? t`What a panel will show for the printing: nine of ten prints end between ${formatDuration(e.interval.low_s)} and ${formatDuration(e.interval.high_s)}. It rests on real times: ${e.interval.basis}. Log, Calibration says how.`
        : t`Nine of ten prints are thought to end between ${formatDuration(e.interval.low_s)} and ${formatDuration(e.interval.high_s)}: ${e.interval.basis}. Logged runs with the panel's time narrow it.`,
  },
  {
    key: "whole_time",
    label: t`Whole time`,
    unit: "h:mm",
    show: (e) => formatDuration(e.whole_time_s),
    difference: (e, first) => formatDurationDifference(e.whole_time_s - first.whole_time_s),
    explain: (e) =>
      t`Printing, and before it ${formatDuration(e.heat_up_s)} to heat nozzle and bed (typical) and ${formatDuration(e.start_time_s)} start routine (set with the machine)${e.end_time_s > 0 ? t`; after it ${formatDuration(e.end_time_s)} of its end text` : ""}.`,
  },
  {
    key: "grams",
    label: t`Filament`,
    unit: "g",
    main: true,
    show: (e) => fixed(e.filament_g, 1),
    difference: (e, first) =>
      withPercent(signed(e.filament_g - first.filament_g, 1), percentDifference(e.filament_g, first.filament_g)),
    explain: (e) =>
      t`${fixed(e.filament_mm3 / 1000, 2)} cm³ of plastic: each stroke's length times its bead's section, times the material's density.` +
      (intervalOf(e).weighed > 0
        ? t` Prints that were weighed (${intervalOf(e).weighed}) say ${fixed(intervalOf(e).expected_g ?? 0, 1)} g here, ${fixed(intervalOf(e).low_g ?? 0, 1)} to ${fixed(intervalOf(e).high_g ?? 0, 1)} g.`
        : ""),
  },
  {
    key: "metres",
    more: true,
    label: t`Length`,
    unit: "m",
    show: (e) => fixed(e.filament_mm / 1000, 2),
    difference: (e, first) => signed((e.filament_mm - first.filament_mm) / 1000, 2),
    explain: () => t`The same plastic as filament: volume divided by the filament's section.`,
  },
  {
    key: "cost",
    label: t`Cost`,
    unit: "",
    show: (e) => formatMoney(e.cost),
    difference: (e, first) => formatMoneyDifference(e.cost - first.cost),
    explain: (e) =>
      t`${formatMoney(e.filament_cost)} of filament at what its spool costs, ${formatMoney(e.power_cost)} of electricity and ` +
      t`${formatMoney(e.wear_cost)} of wear for ${formatDuration(e.whole_time_s)} of the machine. Prices stand on the shelf, that of a kilowatt-hour under House rules.`,
  },
  {
    key: "filament_cost",
    more: true,
    label: t`· filament`,
    unit: "",
    show: (e) => formatMoney(e.filament_cost),
    difference: (e, first) => formatMoneyDifference(e.filament_cost - first.filament_cost),
    explain: () => t`Grams times what a gram of its spool costs.`,
  },
  {
    key: "power_cost",
    more: true,
    label: t`· electricity`,
    unit: "",
    show: (e) => formatMoney(e.power_cost),
    difference: (e, first) => formatMoneyDifference(e.power_cost - first.power_cost),
    explain: () =>
      t`What the machine draws on average, as set on the shelf; without that, heating up at full power, then what nozzle and bed lose to the room, the plastic's own heat, and 25 W for motors and board.`,
  },
  {
    key: "wear_cost",
    more: true,
    label: t`· wear`,
    unit: "",
    show: (e) => formatMoney(e.wear_cost),
    difference: (e, first) => formatMoneyDifference(e.wear_cost - first.wear_cost),
    explain: () => t`Hours of the machine times what an hour of its wear costs, set on the shelf.`,
  },
  {
    key: "layers",
    label: t`Layers`,
    unit: "",
    show: (e) => String(e.layers),
    difference: (e, first) => signed(e.layers - first.layers, 0),
    explain: () =>
      t`Of even height: ⌈(height − first layer) / layer height⌉ + 1. A raft adds its own; copies one after the other count each.`,
  },
  {
    key: "flow",
    label: t`Peak flow`,
    unit: "mm³/s",
    show: (e) => t`${fixed(e.peak_flow_mm3_s, 1)} of ${fixed(e.melt_ceiling_mm3_s, 1)}`,
    difference: (e) => (e.melt_capped ? t`held back` : ""),
    explain: (e) =>
      e.melt_capped
        ? t`The speeds ask for ${fixed(e.asked_flow_mm3_s, 1)} mm³/s, more than the hot end melts; it is slowed to the ceiling, which costs ${formatDuration(e.by_cause.melt_ceiling_s)}. The ceiling is ${e.melt_basis || e.melt_ceiling_source}.`
        : t`The fastest bead asks for ${fixed(e.asked_flow_mm3_s, 1)} mm³/s. The ceiling (${e.melt_basis || e.melt_ceiling_source}) is what this hot end, nozzle and material melt at this temperature, less the house's margin.`,
  },
];

/** How far the time may be off, as a share either way: ±4 %. */
export function spreadOf(e: Estimate): string {
  const middle = intervalOf(e).expected_s ?? e.print_time_s;
  return middle > 0 ? `±${Math.max(1, Math.round((50 * (e.interval.high_s - e.interval.low_s)) / middle))} %` : "";
}

/** A difference with its share; what rounds to nothing has none. */
function withPercent(difference: string, percent: string): string {
  return difference === same() ? difference : `${difference}  ${percent}`;
}
