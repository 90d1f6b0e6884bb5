import type { Machine } from "../../api/client";
import { accepted, isPick, type CellValue, type Field } from "./fields";

/** Whether a layer height is no whole number of the machine's motor steps; false where the step is not known. */
export function offStep(height_mm: number, machine: Machine | undefined): boolean {
  const step = machine?.printer.z_step_mm;
  if (step == null) return false;
  const steps = height_mm / step;
  return Math.abs(steps - Math.round(steps)) > 1e-3;
}

/** The next value up or down from a cell: heights by the machine's motor steps, the rest by what people would type. */
export function nextStep(
  field: Field,
  value: CellValue | undefined,
  direction: number,
  machine: Machine | undefined,
): CellValue | undefined {
  if (isPick(field) || typeof value !== "number") return undefined;
  const step = stepOf(field, machine);
  // The next multiple in that direction, so that an odd value comes onto the grid first.
  const count = value / step;
  const next = direction > 0 ? Math.floor(count + 1 + 1e-6) : Math.ceil(count - 1 - 1e-6);
  const wanted = Number((next * step).toFixed(4));
  return accepted(wanted, field) ? wanted : undefined;
}

function stepOf(field: Field, machine: Machine | undefined): number {
  if (field.kind === "whole") return 1;
  if (field.kind === "percent") return 0.05;
  if (field.key.endsWith("layer_height_mm")) return machine?.printer.z_step_mm ?? 0.02;
  if (field.unit === "mm/s" || field.unit === "°C" || field.unit === "°") return 5;
  if (field.unit === "mm/s²") return 100;
  if (field.unit === "s") return 1;
  return field.key.startsWith("line_width") || field.key.includes("ratio") ? 0.02 : 0.1;
}
