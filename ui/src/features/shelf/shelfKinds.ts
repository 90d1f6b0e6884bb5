import { t } from "@lingui/core/macro";
import type { Material, Machine, Nozzle, Purpose, Shelf, Spool } from "../../api/client";

export type KindKey = "machines" | "nozzles" | "materials" | "spools" | "purposes";

export interface Rows {
  machines: Machine;
  nozzles: Nozzle;
  materials: Material;
  spools: Spool;
  purposes: Purpose;
}

export type ShelfRow = Rows[KindKey];

/** One figure of a row, by its place in what the API gives. */
export interface ShelfField {
  /** The first step is the row's own key, such as `printer`; the others lead into it. */
  path: readonly string[];
  label: string;
  unit?: string;
  group: string;
  kind?: "number" | "whole" | "percent" | "text" | "date" | "choice" | "yesno";
  options?: readonly { value: string; label: string }[];
  /** What it is and where to find it, in a sentence. */
  help?: string;
  /** Shown only where it applies. */
  when?: (row: never) => boolean;
  /** Figures of everyday; the others are folded away. */
  everyday?: boolean;
}

const YES_NO = [
  { value: "true", label: t`yes` },
  { value: "false", label: t`no` },
] as const;

const AXES = ["x", "y", "z", "e"] as const;
const axisName = (axis: string) => (axis === "e" ? "filament" : axis.toUpperCase());

const axes = (top: string, label: string, unit: string): ShelfField[] =>
  AXES.map((axis) => ({ path: ["printer", top, axis], label: `${label} ${axisName(axis)}`, unit, group: t`Limits` }));

const deviates = (row: Machine) => row.printer.corner?.law === "junction_deviation";
const jerks = (row: Machine) => !deviates(row);

const MACHINE: readonly ShelfField[] = [
  { path: ["printer", "bed_mm", "x"], label: t`Width`, unit: "mm", group: t`Room and bed`, everyday: true },
  { path: ["printer", "bed_mm", "y"], label: t`Depth`, unit: "mm", group: t`Room and bed`, everyday: true },
  { path: ["printer", "bed_mm", "z"], label: t`Height`, unit: "mm", group: t`Room and bed`, everyday: true },
  {
    path: ["printer", "enclosed"],
    label: t`Walls round it`,
    group: t`Room and bed`,
    kind: "yesno",
    options: YES_NO,
    help: t`Plastics that warp want a chamber. Never wrap a machine beyond what its maker allows.`,
    everyday: true,
  },
  {
    path: ["printer", "bed_surface"],
    label: t`Bed`,
    group: t`Room and bed`,
    kind: "choice",
    options: [
      { value: "flat", label: t`flat` },
      { value: "uneven", label: t`uneven` },
      { value: "damaged", label: t`damaged` },
    ],
    everyday: true,
  },
  {
    path: ["printer", "bed_heater", "heater_w"],
    label: t`Bed heater`,
    unit: "W",
    group: t`Room and bed`,
    help: t`0 where the bed is not heated.`,
    everyday: true,
  },
  {
    path: ["printer", "kinematics"],
    label: t`What moves`,
    group: t`Frame and drive`,
    kind: "choice",
    options: [
      { value: "bed_moving", label: t`the bed` },
      { value: "gantry", label: t`a gantry` },
      { value: "coupled_gantry", label: t`a gantry, motors shared` },
    ],
    everyday: true,
  },
  {
    path: ["printer", "drive"],
    label: t`Drive`,
    group: t`Frame and drive`,
    kind: "choice",
    options: [
      { value: "direct", label: t`at the nozzle` },
      { value: "long_tube", label: t`long tube` },
    ],
    everyday: true,
  },
  { path: ["printer", "filament_diameter_mm"], label: t`Filament`, unit: "mm", group: t`Frame and drive` },
  {
    path: ["printer", "clean_acceleration_mm_s2"],
    label: t`No ripple up to`,
    unit: "mm/s²",
    group: t`Frame and drive`,
    help: t`The highest acceleration at which outer walls show none: the last clean band of a test block. Empty takes a typical one.`,
    everyday: true,
  },
  {
    path: ["printer", "overhang_limit_deg"],
    label: t`Clean overhang up to`,
    unit: "°",
    group: t`Frame and drive`,
    help: t`From upright, with beads half as high as wide: the steepest of a printed fan that is still clean.`,
    everyday: true,
  },
  { path: ["printer", "bridge_span_mm"], label: t`Longest clean bridge`, unit: "mm", group: t`Frame and drive`, help: t`What a bridge ladder told; empty takes a typical 30.` },
  { path: ["printer", "pull_length_mm"], label: t`Pull without strings`, unit: "mm", group: t`Frame and drive`, help: t`The least pull of the towers that left none; empty goes by the drive.` },
  { path: ["printer", "narrow_line_speed_mm_s"], label: t`Narrow lines up to`, unit: "mm/s", group: t`Frame and drive`, help: t`How fast walls narrower than the bore come out whole; empty takes a typical 25.` },
  { path: ["printer", "drive_steps_per_mm"], label: t`Drive, steps per mm`, group: t`Frame and drive`, help: t`As its firmware reports them (M92 E). The flow lab says what they should be.` },
  { path: ["printer", "z_screw", "lead_mm"], label: t`Lead of the Z screw`, unit: t`mm a turn`, group: "Z" , help: t`How far one turn lifts: printed on the screw or in the machine's papers. With it the full step is worked out.`, everyday: true },
  { path: ["printer", "z_screw", "steps_per_turn"], label: t`Motor steps a turn`, group: "Z", kind: "whole", when: (row: Machine) => row.printer.z_screw != null, help: t`200 for most motors, 400 for fine ones.` },
  { path: ["printer", "z_screw", "gearing"], label: t`Motor turns a screw turn`, group: "Z", when: (row: Machine) => row.printer.z_screw != null },
  { path: ["printer", "z_screw", "microsteps"], label: t`Microsteps`, group: "Z", kind: "whole", when: (row: Machine) => row.printer.z_screw != null },
  { path: ["printer", "z_step_mm"], label: t`Full step of Z`, unit: "mm", group: "Z", when: (row: Machine) => row.printer.z_screw == null, help: t`A layer that ends on a whole step repeats exactly.`, everyday: true },
  {
    path: ["printer", "hotend", "lining"],
    label: t`Lining`,
    group: t`Hot end`,
    kind: "choice",
    options: [
      { value: "ptfe", label: t`PTFE` },
      { value: "all_metal", label: t`all metal` },
    ],
    everyday: true,
  },
  { path: ["printer", "hotend", "melt_zone_mm"], label: t`Melt zone`, unit: "mm", group: t`Hot end`, help: t`The heated length that filament passes: about 12 short, 21 long. A flow test replaces the guess.`, everyday: true },
  { path: ["printer", "hotend", "channels"], label: t`Melt channels`, group: t`Hot end`, kind: "whole", everyday: true },
  { path: ["printer", "hotend", "max_temp_c"], label: t`Hottest`, unit: "°C", group: t`Hot end`, everyday: true },
  { path: ["printer", "hotend", "heater_w"], label: t`Heater`, unit: "W", group: t`Hot end` },
  { path: ["printer", "acceleration_mm_s2", "print"], label: t`Acceleration, printing`, unit: "mm/s²", group: t`Pace`, everyday: true },
  { path: ["printer", "acceleration_mm_s2", "travel"], label: t`Acceleration, travel`, unit: "mm/s²", group: t`Pace`, everyday: true },
  { path: ["printer", "acceleration_mm_s2", "retract"], label: t`Acceleration, retraction`, unit: "mm/s²", group: t`Pace` },
  {
    path: ["printer", "acceleration_mm_s2", "wipe"],
    label: t`Wipes run as`,
    group: t`Pace`,
    kind: "choice",
    options: [
      { value: "print", label: t`printing` },
      { value: "travel", label: t`travel` },
    ],
  },
  {
    path: ["printer", "corner", "law"],
    label: t`Corner law`,
    group: t`Pace`,
    kind: "choice",
    options: [
      { value: "jerk", label: t`jerk` },
      { value: "junction_deviation", label: t`junction deviation` },
    ],
    everyday: true,
  },
  { path: ["printer", "corner", "deviation_mm"], label: t`Deviation`, unit: "mm", group: t`Pace`, when: deviates, everyday: true },
  {
    path: ["printer", "corner", "curve_limit"],
    label: t`Curves of short moves`,
    group: t`Pace`,
    kind: "yesno",
    options: [
      { value: "true", label: t`held back` },
      { value: "false", label: t`as corners` },
    ],
    when: deviates,
  },
  ...AXES.map(
    (axis): ShelfField => ({
      path: ["printer", "corner", "jerk_mm_s", axis],
      label: t`Jerk ${axisName(axis)}`,
      unit: "mm/s",
      group: t`Pace`,
      when: jerks,
      everyday: axis === "x" || axis === "y",
    }),
  ),
  ...axes("max_speed_mm_s", t`Top speed`, "mm/s"),
  ...axes("max_acceleration_mm_s2", t`Top acceleration`, "mm/s²"),
  {
    path: ["printer", "start_time_s"],
    label: t`Start routine`,
    unit: "s",
    group: t`Start and cost`,
    help: t`Beside heating: homing, probing, purging. The start text below, where there is one, says it instead.`,
    when: (row: Machine) => !row.printer.start_gcode?.trim(),
    everyday: true,
  },
  {
    path: ["printer", "heating"],
    label: t`Heats`,
    group: t`Start and cost`,
    kind: "choice",
    options: [
      { value: "together", label: t`bed and nozzle` },
      { value: "bed_first", label: t`bed, then nozzle` },
    ],
    when: (row: Machine) => !row.printer.start_gcode?.trim(),
  },
  {
    path: ["printer", "power_w"],
    label: t`Draws on average`,
    unit: "W",
    group: t`Start and cost`,
    help: t`Read from a meter at the plug. Empty works it out from heaters and losses. The price of a kilowatt-hour stands under House rules.`,
    everyday: true,
  },
  { path: ["printer", "wear_per_h"], label: t`Wear an hour costs`, group: t`Start and cost`, help: t`Parts that wear, and what it was bought for, spread over its hours.`, everyday: true },
];

const splits = (row: Nozzle) => row.nozzle.shape === "split_flow";

const NOZZLE: readonly ShelfField[] = [
  { path: ["nozzle", "bore_mm"], label: t`Bore`, unit: "mm", group: t`Nozzle`, everyday: true },
  {
    path: ["nozzle", "metal"],
    label: t`Metal`,
    group: t`Nozzle`,
    kind: "choice",
    options: [
      { value: "brass", label: t`brass` },
      { value: "plated_copper", label: t`plated copper` },
      { value: "hardened_steel", label: t`hardened steel` },
      { value: "stainless_steel", label: t`stainless steel` },
      { value: "hard_tip", label: t`brass, hard tip` },
    ],
    help: t`Filled plastics want hardened steel or a hard tip. Stainless steel is tough, not hard.`,
    everyday: true,
  },
  {
    path: ["nozzle", "shape"],
    label: t`Inner shape`,
    group: t`Nozzle`,
    kind: "choice",
    options: [
      { value: "plain", label: t`plain` },
      { value: "long_melt", label: t`long melt zone` },
      { value: "split_flow", label: t`split channels` },
    ],
    everyday: true,
  },
  { path: ["nozzle", "channels"], label: t`Channels`, group: t`Nozzle`, kind: "whole", when: splits, help: t`1 where their number is not known: three are common.`, everyday: true },
  { path: ["nozzle", "flat_mm"], label: t`Flat round the bore`, unit: "mm", group: t`Nozzle`, help: t`Its diameter: lines wider than it are not pressed. Empty takes two and a half bores.`, everyday: true },
  { path: ["wear", "hours"], label: t`Hours run`, unit: "h", group: t`Wear`, everyday: true },
  { path: ["wear", "abrasive_h"], label: t`Of them abrasive`, unit: "h", group: t`Wear`, everyday: true },
  { path: ["wear", "abrasive_g"], label: t`Abrasive plastic run`, unit: "g", group: t`Wear`, everyday: true },
  { path: ["wear", "worn_by"], label: t`Thought worn by`, group: t`Wear`, kind: "date", help: t`When its lines came out wide and rough, or by when it is to be looked at.`, everyday: true },
];

const flag = (key: string, label: string, help: string): ShelfField => ({
  path: ["material", key],
  label,
  group: t`Habits`,
  kind: "yesno",
  options: YES_NO,
  help,
  everyday: true,
});
const drinks = (row: Material) => row.material.damp_prone === true;

const MATERIAL: readonly ShelfField[] = [
  { path: ["material", "name"], label: t`Plastic`, group: t`Plastic and price`, kind: "text", everyday: true },
  { path: ["material", "colour"], label: t`Colour`, group: t`Plastic and price`, kind: "text", everyday: true },
  {
    path: ["material", "gloss"],
    label: t`Gloss`,
    group: t`Plastic and price`,
    kind: "choice",
    options: [
      { value: "matte", label: t`matte` },
      { value: "satin", label: t`satin` },
      { value: "shiny", label: t`shiny` },
    ],
    help: t`Shiny plastic shows steps more, matte less: the ridge that a purpose allows goes by it.`,
    everyday: true,
  },
  { path: ["material", "density_g_cm3"], label: t`Density`, unit: "g/cm³", group: t`Plastic and price`, everyday: true },
  { path: ["material", "spool_price"], label: t`A spool costs`, group: t`Plastic and price`, everyday: true },
  { path: ["material", "spool_g"], label: t`and holds`, unit: "g", group: t`Plastic and price`, everyday: true },
  { path: ["material", "nozzle_temp_c"], label: t`Nozzle`, unit: "°C", group: t`Heat`, everyday: true },
  { path: ["material", "first_layer_nozzle_temp_c"], label: t`Nozzle, first layer`, unit: "°C", group: t`Heat`, help: t`Empty: as the others.`, everyday: true },
  { path: ["material", "bed_temp_c"], label: t`Bed`, unit: "°C", group: t`Heat`, everyday: true },
  { path: ["material", "first_layer_bed_temp_c"], label: t`Bed, first layer`, unit: "°C", group: t`Heat`, help: t`Empty: as the others.`, everyday: true },
  { path: ["material", "nozzle_temp_min_c"], label: t`Coldest`, unit: "°C", group: t`Heat`, help: t`The window that its maker gives.`, everyday: true },
  { path: ["material", "nozzle_temp_max_c"], label: t`Hottest`, unit: "°C", group: t`Heat`, everyday: true },
  { path: ["material", "fan_min"], label: t`Fan at least`, unit: "%", group: t`Fan and pace`, kind: "percent", everyday: true },
  { path: ["material", "fan_max"], label: t`Fan at most`, unit: "%", group: t`Fan and pace`, kind: "percent", everyday: true },
  { path: ["material", "bridge_fan"], label: t`Fan at bridges`, unit: "%", group: t`Fan and pace`, kind: "percent", everyday: true },
  { path: ["material", "fan_off_layers"], label: t`Fan off for the first`, unit: t`layers`, group: t`Fan and pace`, kind: "whole", everyday: true },
  { path: ["material", "top_speed_mm_s"], label: t`Top skin at`, unit: "mm/s", group: t`Fan and pace`, help: t`Sticky plastics tear when tops are laid fast. Empty: as usual.`, everyday: true },
  { path: ["material", "bridge_speed_mm_s"], label: t`Bridges at`, unit: "mm/s", group: t`Fan and pace`, everyday: true },
  { path: ["material", "bridge_flow_ratio"], label: t`Flow at bridges`, group: t`Fan and pace` },
  { path: ["material", "max_flow_mm3_s"], label: t`Largest flow known`, unit: "mm³/s", group: t`Flow`, help: t`What is known to come out well, whatever the hot end. Empty: the hot end decides.`, everyday: true },
  { path: ["material", "push_limit_mm3_s"], label: t`Push limit, 0.4 mm`, unit: "mm³/s", group: t`Flow`, help: t`What a drive can push through a 0.4 mm bore of well-molten plastic.` },
  { path: ["material", "flow_temp_c"], label: t`Soft from`, unit: "°C", group: t`Flow` },
  { path: ["material", "diffusivity_mm2_s"], label: t`Heat spreads at`, unit: "mm²/s", group: t`Flow` },
  { path: ["material", "specific_heat_j_g_k"], label: t`Specific heat`, unit: t`J/(g K)`, group: t`Flow` },
  flag(t`abrasive`, t`Abrasive`, t`Fibres and powders file soft nozzles open.`),
  flag("warp_prone", t`Warps`, t`Corners lift: a brim in the open, better a chamber.`),
  flag(t`ventilate`, t`Ventilate`, t`Its fumes and particles should not be breathed: the maker's safety sheet decides.`),
  flag("damp_prone", t`Drinks`, t`It takes up water from the air within hours or days.`),
  { path: ["material", "open_hours"], label: t`May lie open`, unit: "h", group: t`Habits`, when: drinks, everyday: true },
  { path: ["material", "drying_temp_c"], label: t`Dried at`, unit: "°C", group: t`Habits`, help: t`As its maker says. A kitchen oven overshoots and softens spools, and is not for food afterwards.`, when: drinks, everyday: true },
  { path: ["material", "drying_h"], label: t`Dried for`, unit: "h", group: t`Habits`, when: drinks, everyday: true },
  { path: ["material", "min_bore_mm"], label: t`Least bore`, unit: "mm", group: t`Habits`, help: t`Filled plastics bridge in front of small bores.`, everyday: true },
];

const SPOOL: readonly ShelfField[] = [
  { path: ["left_g"], label: t`Left on it`, unit: "g", group: t`Filament`, everyday: true },
  { path: ["empty_g"], label: t`The empty spool weighs`, unit: "g", group: t`Filament`, help: t`Weigh an empty one of the same maker once.`, everyday: true },
  { path: ["opened_on"], label: t`Opened on`, group: t`Dryness`, kind: "date", everyday: true },
  { path: ["dried_on"], label: t`Dried on`, group: t`Dryness`, kind: "date", everyday: true },
  { path: ["dried_temp_c"], label: t`at`, unit: "°C", group: t`Dryness`, everyday: true },
  { path: ["dried_h"], label: t`for`, unit: "h", group: t`Dryness`, everyday: true },
  {
    path: ["kept"],
    label: t`Kept`,
    group: t`Dryness`,
    kind: "choice",
    options: [
      { value: "open", label: t`in the open` },
      { value: "sealed", label: t`sealed with desiccant` },
      { value: "dry_box", label: t`in a dry box` },
    ],
    everyday: true,
  },
];

const PURPOSE: readonly ShelfField[] = [
  { path: ["limits", "ridge_mm"], label: t`Highest step on slopes`, unit: "mm", group: t`Good enough means`, help: t`Layer height times the cosine of the slope, where it shows. On matte plastic a quarter more will do, on shiny a quarter less.`, everyday: true },
  { path: ["limits", "detail_mm"], label: t`Narrowest detail to keep`, unit: "mm", group: t`Good enough means`, help: t`What is narrower may be lost.`, everyday: true },
  { path: ["limits", "shell_mm"], label: t`Least shell`, unit: "mm", group: t`Good enough means`, help: t`Walls together.`, everyday: true },
  { path: ["limits", "infill_density"], label: t`Least infill`, unit: "%", group: t`Good enough means`, kind: "percent", help: t`Share of the inside that is plastic.`, everyday: true },
  { path: ["limits", "flow_margin"], label: t`Flow kept free`, unit: "%", group: t`Good enough means`, kind: "percent", help: t`Of the melt ceiling.`, everyday: true },
  { path: ["limits", "outer_speed_mm_s"], label: t`Fastest outer wall`, unit: "mm/s", group: t`Good enough means`, help: t`Where ripple would show.`, everyday: true },
];

export interface KindInfo {
  key: KindKey;
  title: string;
  one: string;
  lead: string;
  /** The key under which a row holds what describes it; its figures' sources are named without it. */
  holds: string | null;
  fields: readonly ShelfField[];
}

export const KINDS: readonly KindInfo[] = [
  { key: "machines", title: t`Machines`, one: t`machine`, holds: "printer", fields: MACHINE, lead: t`A time is as true as the machine's description. Type over what you know; what you do not know, ask its firmware.` },
  { key: "nozzles", title: t`Nozzles`, one: t`nozzle`, holds: "nozzle", fields: NOZZLE, lead: t`The bore sets heights and widths; metal and shape how fast it melts, and what it survives.` },
  { key: "materials", title: t`Materials`, one: t`material`, holds: "material", fields: MATERIAL, lead: t`Price, heat and habits. What a plastic needs at tops, bridges and fan becomes the default of every recipe in it.` },
  { key: "spools", title: t`Spools`, one: t`spool`, holds: null, fields: SPOOL, lead: t`With a spool's grams and dryness here, a print that runs short or bubbles is found before it is started.` },
  { key: "purposes", title: t`Purposes`, one: t`purpose`, holds: "limits", fields: PURPOSE, lead: t`What a part is for decides how good is good enough. Limits hold for every part of that purpose, and fill in what its recipes leave open. Empty sets none.` },
];

/** The dotted name under which a figure's source is told. */
export function sourcePath(kind: KindInfo, field: ShelfField): string {
  return (field.path[0] === kind.holds || field.path[0] === "wear" ? field.path.slice(1) : field.path).join(".");
}

/** What tells rows of a kind apart in the list, in a few words. */
export function summaryOf(kind: KindKey, row: ShelfRow, shelf: Shelf): string {
  switch (kind) {
    case "machines": {
      const { printer, nozzle_id } = row as Machine;
      const nozzle = shelf.nozzles.find((one) => one.id === nozzle_id)?.name;
      return `${printer.bed_mm?.x ?? 220} × ${printer.bed_mm?.y ?? 220} × ${printer.bed_mm?.z ?? 250} mm${nozzle ? `, ${nozzle}` : ""}`;
    }
    case "nozzles": {
      const { nozzle } = row as Nozzle;
      return `${nozzle.bore_mm ?? 0.4} mm, ${(nozzle.metal ?? "brass").replaceAll("_", " ")}`;
    }
    case "materials": {
      const { material } = row as Material;
      const habits = [material.abrasive && t`abrasive`, material.warp_prone && t`warps`, material.damp_prone && t`drinks`, material.ventilate && t`ventilate`].filter(Boolean);
      return [`${material.nozzle_temp_c ?? 210} °C`, ...habits].join(", ");
    }
    case "spools": {
      const spool = row as Spool;
      const material = shelf.materials.find((one) => one.id === spool.material_id)?.name ?? t`a removed material`;
      return t`${Math.round(spool.left_g)} g of ${material}`;
    }
    case "purposes": {
      const { limits } = row as Purpose;
      return limits.ridge_mm == null ? t`no limit on steps` : t`steps up to ${limits.ridge_mm} mm`;
    }
  }
}
