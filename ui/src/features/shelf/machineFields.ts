import type { Printer } from "../../api/client";

/** One figure of a machine, by its place in the Printer. */
export interface MachineField {
  path: readonly string[];
  label: string;
  unit: string;
  group: string;
  options?: readonly { value: string; label: string }[];
  /** The options stand for true and false. */
  yesNo?: boolean;
  /** Shown only where it applies. */
  when?: (printer: Printer) => boolean;
}

const axes = (top: string, label: string, unit: string, group: string): MachineField[] =>
  ["x", "y", "z", "e"].map((axis) => ({
    path: [top, axis],
    label: `${label} ${axis === "e" ? "filament" : axis.toUpperCase()}`,
    unit,
    group,
  }));

export const MACHINE_FIELDS: readonly MachineField[] = [
  { path: ["bed_mm", "x"], label: "Width", unit: "mm", group: "Room" },
  { path: ["bed_mm", "y"], label: "Depth", unit: "mm", group: "Room" },
  { path: ["bed_mm", "z"], label: "Height", unit: "mm", group: "Room" },
  {
    path: ["kinematics"],
    label: "Kinematics",
    unit: "",
    group: "Room",
    options: [
      { value: "bed_moving", label: "bed moves" },
      { value: "gantry", label: "gantry" },
      { value: "coupled_gantry", label: "shared motors" },
    ],
  },
  {
    path: ["drive"],
    label: "Drive",
    unit: "",
    group: "Room",
    options: [
      { value: "direct", label: "at the nozzle" },
      { value: "long_tube", label: "long tube" },
    ],
  },
  { path: ["z_step_mm"], label: "Full step of Z", unit: "mm", group: "Room" },
  { path: ["start_time_s"], label: "Start routine", unit: "s", group: "Room" },
  {
    path: ["heating"],
    label: "Heats",
    unit: "",
    group: "Room",
    options: [
      { value: "together", label: "bed and nozzle" },
      { value: "bed_first", label: "bed, then nozzle" },
    ],
  },
  { path: ["acceleration_mm_s2", "print"], label: "Acceleration, printing", unit: "mm/s²", group: "Pace" },
  { path: ["acceleration_mm_s2", "travel"], label: "Acceleration, travel", unit: "mm/s²", group: "Pace" },
  { path: ["acceleration_mm_s2", "retract"], label: "Acceleration, retraction", unit: "mm/s²", group: "Pace" },
  {
    path: ["acceleration_mm_s2", "wipe"],
    label: "Wipes run as",
    unit: "",
    group: "Pace",
    options: [
      { value: "print", label: "printing" },
      { value: "travel", label: "travel" },
    ],
  },
  { path: ["clean_acceleration_mm_s2"], label: "No ripple up to", unit: "mm/s²", group: "Pace" },
  { path: ["overhang_limit_deg"], label: "Clean overhang up to", unit: "°", group: "Room" },
  {
    path: ["corner", "law"],
    label: "Corner law",
    unit: "",
    group: "Pace",
    options: [
      { value: "jerk", label: "jerk" },
      { value: "junction_deviation", label: "junction deviation" },
    ],
  },
  {
    path: ["corner", "deviation_mm"],
    label: "Deviation",
    unit: "mm",
    group: "Pace",
    when: (printer) => printer.corner?.law === "junction_deviation",
  },
  {
    path: ["corner", "curve_limit"],
    label: "Curves of short moves",
    unit: "",
    group: "Pace",
    options: [
      { value: "true", label: "held back" },
      { value: "false", label: "as corners" },
    ],
    yesNo: true,
    when: (printer) => printer.corner?.law === "junction_deviation",
  },
  ...["x", "y", "z", "e"].map((axis) => ({
    path: ["corner", "jerk_mm_s", axis],
    label: `Jerk ${axis === "e" ? "filament" : axis.toUpperCase()}`,
    unit: "mm/s",
    group: "Pace",
    when: (printer: Printer) => printer.corner?.law !== "junction_deviation",
  })),
  ...axes("max_speed_mm_s", "Top speed", "mm/s", "Limits"),
  ...axes("max_acceleration_mm_s2", "Top acceleration", "mm/s²", "Limits"),
  { path: ["hotend", "melt_zone_mm"], label: "Melt zone", unit: "mm", group: "Hot end" },
  { path: ["hotend", "channels"], label: "Melt channels", unit: "", group: "Hot end" },
  {
    path: ["hotend", "lining"],
    label: "Lining",
    unit: "",
    group: "Hot end",
    options: [
      { value: "ptfe", label: "PTFE" },
      { value: "all_metal", label: "all metal" },
    ],
  },
  { path: ["hotend", "max_temp_c"], label: "Hottest", unit: "°C", group: "Hot end" },
  { path: ["hotend", "heater_w"], label: "Heater", unit: "W", group: "Hot end" },
  { path: ["filament_diameter_mm"], label: "Filament", unit: "mm", group: "Hot end" },
];

type Tree = Record<string, unknown>;

export type MachineValue = string | number | boolean | null;

export function valueAt(printer: Printer, path: readonly string[]): string {
  let found: unknown = printer;
  for (const step of path) found = (found as Tree | null | undefined)?.[step];
  return typeof found === "number" || typeof found === "string" || typeof found === "boolean" ? String(found) : "";
}

/** A printer with one figure changed; null takes an optional one away. */
export function withValueAt(printer: Printer, path: readonly string[], value: MachineValue): Printer {
  const change = (tree: Tree, steps: readonly string[]): Tree => {
    const [first, ...rest] = steps;
    if (first === undefined) return tree;
    if (rest.length === 0) return { ...tree, [first]: value };
    return { ...tree, [first]: change((tree[first] as Tree | null | undefined) ?? {}, rest) };
  };
  // A deviation is needed as soon as its law is chosen: begin with a usual one.
  const next = change(printer, path) as Printer;
  if (next.corner?.law === "junction_deviation" && next.corner.deviation_mm == null)
    return { ...next, corner: { ...next.corner, deviation_mm: 0.02 } };
  return next;
}
