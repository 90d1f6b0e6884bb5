import { t } from "@lingui/core/macro";
import type { Estimate, RecipeColumn, Shelf } from "../../api/client";
import { fixed, formatDuration, formatMoney, plain } from "../../lib/format";
import { CAUSES } from "../../lib/featureStyles";

export type Source = "measured" | "set" | "typical" | "computed";

/** One thing that a figure is made of, and where that comes from. */
export interface Input {
  name: string;
  value: string;
  source: Source;
}

/** How a figure comes about: formulas with the numbers put in, what they rest on, and where the method says more. */
export interface Working {
  formulas: readonly string[];
  inputs: readonly Input[];
  /** A section of the method, as its address has it. */
  method: string;
}

/** The same in a few lines of plain text, to be read over the figure. */
export function workingText(sentence: string, working: Working | null): string {
  const inputs = (working?.inputs ?? []).map((one) => `${one.name} ${one.value}, ${one.source}`);
  return [sentence, ...(working?.formulas ?? []), inputs.join("; ")].filter(Boolean).join("\n");
}

const SECTION_OF_FILAMENT = (diameter: number) => (Math.PI * diameter * diameter) / 4;

/** How a result of a column is worked out; null where its sentence says all. */
export function workingOf(key: string, e: Estimate, column: RecipeColumn, shelf: Shelf | undefined): Working | null {
  const machine = shelf?.machines.find((one) => one.id === column.machine_id);
  const material = shelf?.materials.find((one) => one.id === column.material_id);
  if (machine === undefined || material === undefined) return null;
  const { printer } = machine;
  const of = (row: { sources?: Record<string, unknown> }, path: string, usual: Source = "typical"): Source => {
    const told = Object.entries(row.sources ?? {}).find(([name]) => name === path || name.startsWith(`${path}.`) || path.startsWith(`${name}.`));
    return told?.[1] === "measured" || told?.[1] === "set" ? told[1] : usual;
  };
  const limits: Source = printer.limits_source ?? "typical";
  const input = (name: string, value: string, source: Source): Input => ({ name, value, source });
  const grams = material.material.density_g_cm3 ?? 0;
  switch (key) {
    case "print_time": {
      const parts = CAUSES.map((cause) => ({ label: cause.label.toLowerCase(), seconds: e.by_cause[cause.key as keyof Estimate["by_cause"]] })).filter((one) => one.seconds >= 0.5);
      // What the recipe says comes before what the machine is described with.
      const own = column.choices.acceleration_mm_s2?.print != null;
      const acceleration = column.preview?.effective.acceleration_mm_s2?.print ?? printer.acceleration_mm_s2?.print;
      return {
        formulas: [`${parts.map((one) => `${formatDuration(one.seconds)} ${one.label}`).join(" + ")} = ${formatDuration(e.print_time_s)}`],
        inputs: [
          ...(acceleration != null ? [input(t`acceleration when printing`, `${plain(acceleration)} mm/s²`, own ? "set" : of(machine, "acceleration_mm_s2", limits))] : []),
          input(t`the axes' limits`, `${plain(printer.max_speed_mm_s?.x ?? 0)} mm/s, ${plain(printer.max_acceleration_mm_s2?.x ?? 0)} mm/s²`, of(machine, "max_speed_mm_s", limits)),
          input(t`what melts`, `${fixed(e.melt_ceiling_mm3_s, 1)} mm³/s`, e.melt_ceiling_source),
        ],
        method: "motion",
      };
    }
    case "expected":
      return {
        formulas: [t`computed ${formatDuration(e.print_time_s)}; nine of ten end within ${formatDuration(e.interval.low_s)} to ${formatDuration(e.interval.high_s)}`],
        inputs: [input(e.interval.basis, "", e.interval.source)],
        method: "interval",
      };
    case "whole_time":
      return {
        formulas: [
          t`${formatDuration(e.heat_up_s)} heating + ${formatDuration(e.start_time_s)} start + ${formatDuration(e.print_time_s)} printing${e.end_time_s > 0 ? t` + ${formatDuration(e.end_time_s)} end` : ""} = ${formatDuration(e.whole_time_s)}`,
        ],
        inputs: [input(t`start routine`, formatDuration(e.start_time_s), of(machine, "start_time_s")), input(t`heaters`, "", of(machine, "hotend"))],
        method: "heat-up-and-cool-down",
      };
    case "grams":
      return {
        formulas: [`${fixed(e.filament_mm3 / 1000, 2)} cm³ × ${plain(grams)} g/cm³ = ${fixed(e.filament_g, 1)} g`],
        inputs: [input(t`density`, `${plain(grams)} g/cm³`, of(material, "density_g_cm3", material.material.source ?? "typical"))],
        method: "bead",
      };
    case "metres": {
      const diameter = printer.filament_diameter_mm ?? 1.75;
      return {
        formulas: [t`${fixed(e.filament_mm3 / 1000, 2)} cm³ ÷ (π × ${plain(diameter)}² ÷ 4 = ${fixed(SECTION_OF_FILAMENT(diameter), 3)} mm²) = ${fixed(e.filament_mm / 1000, 2)} m`],
        inputs: [input(t`filament's diameter`, `${plain(diameter)} mm`, of(machine, "filament_diameter_mm", limits))],
        method: "bead",
      };
    }
    case "cost":
      return {
        formulas: [t`${formatMoney(e.filament_cost)} filament + ${formatMoney(e.power_cost)} electricity + ${formatMoney(e.wear_cost)} wear = ${formatMoney(e.cost)}`],
        inputs: [input(t`an hour's wear`, formatMoney(printer.wear_per_h ?? 0), of(machine, "wear_per_h"))],
        method: "what-a-print-costs",
      };
    case "layers": {
      const choices = column.preview?.effective;
      const [height, first] = [choices?.layer_height_mm ?? 0, choices?.first_layer_height_mm ?? 0];
      return height > 0 && first > 0
        ? { formulas: [t`⌈(${fixed(e.height_mm - e.height_off_mm, 2)} − ${plain(first)}) ÷ ${plain(height)}⌉ + 1, where all are of one height; here ${e.layers}`], inputs: [], method: "layers-and-slices" }
        : null;
    }
    case "flow": {
      const beads = [...(column.preview?.beads ?? [])].sort((a, b) => b.flow_mm3_s - a.flow_mm3_s);
      const most = beads[0];
      return {
        formulas: most ? [t`${fixed(most.area_mm2, 4)} mm² × ${plain(most.flow_mm3_s / most.area_mm2)} mm/s = ${fixed(most.flow_mm3_s, 1)} mm³/s, ${most.feature.replace("_", " ")}; a wider stroke may ask for more`] : [],
        inputs: [input(t`ceiling`, `${fixed(e.melt_ceiling_mm3_s, 1)} mm³/s`, e.melt_ceiling_source)],
        method: "melt-ceiling-typical",
      };
    }
    default:
      return null;
  }
}
