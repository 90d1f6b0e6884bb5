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
  { value: "true", label: "yes" },
  { value: "false", label: "no" },
] as const;

const AXES = ["x", "y", "z", "e"] as const;
const axisName = (axis: string) => (axis === "e" ? "filament" : axis.toUpperCase());

const axes = (top: string, label: string, unit: string): ShelfField[] =>
  AXES.map((axis) => ({ path: ["printer", top, axis], label: `${label} ${axisName(axis)}`, unit, group: "Limits" }));

const deviates = (row: Machine) => row.printer.corner?.law === "junction_deviation";
const jerks = (row: Machine) => !deviates(row);

const MACHINE: readonly ShelfField[] = [
  { path: ["printer", "bed_mm", "x"], label: "Width", unit: "mm", group: "Room and bed", everyday: true },
  { path: ["printer", "bed_mm", "y"], label: "Depth", unit: "mm", group: "Room and bed", everyday: true },
  { path: ["printer", "bed_mm", "z"], label: "Height", unit: "mm", group: "Room and bed", everyday: true },
  {
    path: ["printer", "enclosed"],
    label: "Walls round it",
    group: "Room and bed",
    kind: "yesno",
    options: YES_NO,
    help: "Plastics that warp want a chamber. Never wrap a machine beyond what its maker allows.",
    everyday: true,
  },
  {
    path: ["printer", "bed_surface"],
    label: "Bed",
    group: "Room and bed",
    kind: "choice",
    options: [
      { value: "flat", label: "flat" },
      { value: "uneven", label: "uneven" },
      { value: "damaged", label: "damaged" },
    ],
    everyday: true,
  },
  {
    path: ["printer", "bed_heater", "heater_w"],
    label: "Bed heater",
    unit: "W",
    group: "Room and bed",
    help: "0 where the bed is not heated.",
    everyday: true,
  },
  {
    path: ["printer", "kinematics"],
    label: "What moves",
    group: "Frame and drive",
    kind: "choice",
    options: [
      { value: "bed_moving", label: "the bed" },
      { value: "gantry", label: "a gantry" },
      { value: "coupled_gantry", label: "a gantry, motors shared" },
    ],
    everyday: true,
  },
  {
    path: ["printer", "drive"],
    label: "Drive",
    group: "Frame and drive",
    kind: "choice",
    options: [
      { value: "direct", label: "at the nozzle" },
      { value: "long_tube", label: "long tube" },
    ],
    everyday: true,
  },
  { path: ["printer", "filament_diameter_mm"], label: "Filament", unit: "mm", group: "Frame and drive" },
  {
    path: ["printer", "clean_acceleration_mm_s2"],
    label: "No ripple up to",
    unit: "mm/s²",
    group: "Frame and drive",
    help: "The highest acceleration at which outer walls show none: the last clean band of a test block. Empty takes a typical one.",
    everyday: true,
  },
  {
    path: ["printer", "overhang_limit_deg"],
    label: "Clean overhang up to",
    unit: "°",
    group: "Frame and drive",
    help: "From upright, with beads half as high as wide: the steepest of a printed fan that is still clean.",
    everyday: true,
  },
  { path: ["printer", "bridge_span_mm"], label: "Longest clean bridge", unit: "mm", group: "Frame and drive", help: "What a bridge ladder told; empty takes a typical 30." },
  { path: ["printer", "pull_length_mm"], label: "Pull without strings", unit: "mm", group: "Frame and drive", help: "The least pull of the towers that left none; empty goes by the drive." },
  { path: ["printer", "narrow_line_speed_mm_s"], label: "Narrow lines up to", unit: "mm/s", group: "Frame and drive", help: "How fast walls narrower than the bore come out whole; empty takes a typical 25." },
  { path: ["printer", "drive_steps_per_mm"], label: "Drive, steps per mm", group: "Frame and drive", help: "As its firmware reports them (M92 E). The flow lab says what they should be." },
  { path: ["printer", "z_screw", "lead_mm"], label: "Lead of the Z screw", unit: "mm a turn", group: "Z" , help: "How far one turn lifts: printed on the screw or in the machine's papers. With it the full step is worked out.", everyday: true },
  { path: ["printer", "z_screw", "steps_per_turn"], label: "Motor steps a turn", group: "Z", kind: "whole", when: (row: Machine) => row.printer.z_screw != null, help: "200 for most motors, 400 for fine ones." },
  { path: ["printer", "z_screw", "gearing"], label: "Motor turns a screw turn", group: "Z", when: (row: Machine) => row.printer.z_screw != null },
  { path: ["printer", "z_screw", "microsteps"], label: "Microsteps", group: "Z", kind: "whole", when: (row: Machine) => row.printer.z_screw != null },
  { path: ["printer", "z_step_mm"], label: "Full step of Z", unit: "mm", group: "Z", when: (row: Machine) => row.printer.z_screw == null, help: "A layer that ends on a whole step repeats exactly.", everyday: true },
  {
    path: ["printer", "hotend", "lining"],
    label: "Lining",
    group: "Hot end",
    kind: "choice",
    options: [
      { value: "ptfe", label: "PTFE" },
      { value: "all_metal", label: "all metal" },
    ],
    everyday: true,
  },
  { path: ["printer", "hotend", "melt_zone_mm"], label: "Melt zone", unit: "mm", group: "Hot end", help: "The heated length that filament passes: about 12 short, 21 long. A flow test replaces the guess.", everyday: true },
  { path: ["printer", "hotend", "channels"], label: "Melt channels", group: "Hot end", kind: "whole", everyday: true },
  { path: ["printer", "hotend", "max_temp_c"], label: "Hottest", unit: "°C", group: "Hot end", everyday: true },
  { path: ["printer", "hotend", "heater_w"], label: "Heater", unit: "W", group: "Hot end" },
  { path: ["printer", "acceleration_mm_s2", "print"], label: "Acceleration, printing", unit: "mm/s²", group: "Pace", everyday: true },
  { path: ["printer", "acceleration_mm_s2", "travel"], label: "Acceleration, travel", unit: "mm/s²", group: "Pace", everyday: true },
  { path: ["printer", "acceleration_mm_s2", "retract"], label: "Acceleration, retraction", unit: "mm/s²", group: "Pace" },
  {
    path: ["printer", "acceleration_mm_s2", "wipe"],
    label: "Wipes run as",
    group: "Pace",
    kind: "choice",
    options: [
      { value: "print", label: "printing" },
      { value: "travel", label: "travel" },
    ],
  },
  {
    path: ["printer", "corner", "law"],
    label: "Corner law",
    group: "Pace",
    kind: "choice",
    options: [
      { value: "jerk", label: "jerk" },
      { value: "junction_deviation", label: "junction deviation" },
    ],
    everyday: true,
  },
  { path: ["printer", "corner", "deviation_mm"], label: "Deviation", unit: "mm", group: "Pace", when: deviates, everyday: true },
  {
    path: ["printer", "corner", "curve_limit"],
    label: "Curves of short moves",
    group: "Pace",
    kind: "yesno",
    options: [
      { value: "true", label: "held back" },
      { value: "false", label: "as corners" },
    ],
    when: deviates,
  },
  ...AXES.map(
    (axis): ShelfField => ({
      path: ["printer", "corner", "jerk_mm_s", axis],
      label: `Jerk ${axisName(axis)}`,
      unit: "mm/s",
      group: "Pace",
      when: jerks,
      everyday: axis === "x" || axis === "y",
    }),
  ),
  ...axes("max_speed_mm_s", "Top speed", "mm/s"),
  ...axes("max_acceleration_mm_s2", "Top acceleration", "mm/s²"),
  {
    path: ["printer", "start_time_s"],
    label: "Start routine",
    unit: "s",
    group: "Start and cost",
    help: "Beside heating: homing, probing, purging. The start text below, where there is one, says it instead.",
    when: (row: Machine) => !row.printer.start_gcode?.trim(),
    everyday: true,
  },
  {
    path: ["printer", "heating"],
    label: "Heats",
    group: "Start and cost",
    kind: "choice",
    options: [
      { value: "together", label: "bed and nozzle" },
      { value: "bed_first", label: "bed, then nozzle" },
    ],
    when: (row: Machine) => !row.printer.start_gcode?.trim(),
  },
  {
    path: ["printer", "power_w"],
    label: "Draws on average",
    unit: "W",
    group: "Start and cost",
    help: "Read from a meter at the plug. Empty works it out from heaters and losses. The price of a kilowatt-hour stands under House rules.",
    everyday: true,
  },
  { path: ["printer", "wear_per_h"], label: "Wear an hour costs", group: "Start and cost", help: "Parts that wear, and what it was bought for, spread over its hours.", everyday: true },
];

const splits = (row: Nozzle) => row.nozzle.shape === "split_flow";

const NOZZLE: readonly ShelfField[] = [
  { path: ["nozzle", "bore_mm"], label: "Bore", unit: "mm", group: "Nozzle", everyday: true },
  {
    path: ["nozzle", "metal"],
    label: "Metal",
    group: "Nozzle",
    kind: "choice",
    options: [
      { value: "brass", label: "brass" },
      { value: "plated_copper", label: "plated copper" },
      { value: "hardened_steel", label: "hardened steel" },
      { value: "stainless_steel", label: "stainless steel" },
      { value: "hard_tip", label: "brass, hard tip" },
    ],
    help: "Filled plastics want hardened steel or a hard tip. Stainless steel is tough, not hard.",
    everyday: true,
  },
  {
    path: ["nozzle", "shape"],
    label: "Inner shape",
    group: "Nozzle",
    kind: "choice",
    options: [
      { value: "plain", label: "plain" },
      { value: "long_melt", label: "long melt zone" },
      { value: "split_flow", label: "split channels" },
    ],
    everyday: true,
  },
  { path: ["nozzle", "channels"], label: "Channels", group: "Nozzle", kind: "whole", when: splits, help: "1 where their number is not known: three are common.", everyday: true },
  { path: ["nozzle", "flat_mm"], label: "Flat round the bore", unit: "mm", group: "Nozzle", help: "Its diameter: lines wider than it are not pressed. Empty takes two and a half bores.", everyday: true },
  { path: ["wear", "hours"], label: "Hours run", unit: "h", group: "Wear", everyday: true },
  { path: ["wear", "abrasive_h"], label: "Of them abrasive", unit: "h", group: "Wear", everyday: true },
  { path: ["wear", "abrasive_g"], label: "Abrasive plastic run", unit: "g", group: "Wear", everyday: true },
  { path: ["wear", "worn_by"], label: "Thought worn by", group: "Wear", kind: "date", help: "When its lines came out wide and rough, or by when it is to be looked at.", everyday: true },
];

const flag = (key: string, label: string, help: string): ShelfField => ({
  path: ["material", key],
  label,
  group: "Habits",
  kind: "yesno",
  options: YES_NO,
  help,
  everyday: true,
});
const drinks = (row: Material) => row.material.damp_prone === true;

const MATERIAL: readonly ShelfField[] = [
  { path: ["material", "name"], label: "Plastic", group: "Plastic and price", kind: "text", everyday: true },
  { path: ["material", "colour"], label: "Colour", group: "Plastic and price", kind: "text", everyday: true },
  {
    path: ["material", "gloss"],
    label: "Gloss",
    group: "Plastic and price",
    kind: "choice",
    options: [
      { value: "matte", label: "matte" },
      { value: "satin", label: "satin" },
      { value: "shiny", label: "shiny" },
    ],
    help: "Shiny plastic shows steps more, matte less: the ridge that a purpose allows goes by it.",
    everyday: true,
  },
  { path: ["material", "density_g_cm3"], label: "Density", unit: "g/cm³", group: "Plastic and price", everyday: true },
  { path: ["material", "spool_price"], label: "A spool costs", group: "Plastic and price", everyday: true },
  { path: ["material", "spool_g"], label: "and holds", unit: "g", group: "Plastic and price", everyday: true },
  { path: ["material", "nozzle_temp_c"], label: "Nozzle", unit: "°C", group: "Heat", everyday: true },
  { path: ["material", "first_layer_nozzle_temp_c"], label: "Nozzle, first layer", unit: "°C", group: "Heat", help: "Empty: as the others.", everyday: true },
  { path: ["material", "bed_temp_c"], label: "Bed", unit: "°C", group: "Heat", everyday: true },
  { path: ["material", "first_layer_bed_temp_c"], label: "Bed, first layer", unit: "°C", group: "Heat", help: "Empty: as the others.", everyday: true },
  { path: ["material", "nozzle_temp_min_c"], label: "Coldest", unit: "°C", group: "Heat", help: "The window that its maker gives.", everyday: true },
  { path: ["material", "nozzle_temp_max_c"], label: "Hottest", unit: "°C", group: "Heat", everyday: true },
  { path: ["material", "fan_min"], label: "Fan at least", unit: "%", group: "Fan and pace", kind: "percent", everyday: true },
  { path: ["material", "fan_max"], label: "Fan at most", unit: "%", group: "Fan and pace", kind: "percent", everyday: true },
  { path: ["material", "bridge_fan"], label: "Fan at bridges", unit: "%", group: "Fan and pace", kind: "percent", everyday: true },
  { path: ["material", "fan_off_layers"], label: "Fan off for the first", unit: "layers", group: "Fan and pace", kind: "whole", everyday: true },
  { path: ["material", "top_speed_mm_s"], label: "Top skin at", unit: "mm/s", group: "Fan and pace", help: "Sticky plastics tear when tops are laid fast. Empty: as usual.", everyday: true },
  { path: ["material", "bridge_speed_mm_s"], label: "Bridges at", unit: "mm/s", group: "Fan and pace", everyday: true },
  { path: ["material", "bridge_flow_ratio"], label: "Flow at bridges", group: "Fan and pace" },
  { path: ["material", "max_flow_mm3_s"], label: "Largest flow known", unit: "mm³/s", group: "Flow", help: "What is known to come out well, whatever the hot end. Empty: the hot end decides.", everyday: true },
  { path: ["material", "push_limit_mm3_s"], label: "Push limit, 0.4 mm", unit: "mm³/s", group: "Flow", help: "What a drive can push through a 0.4 mm bore of well-molten plastic." },
  { path: ["material", "flow_temp_c"], label: "Soft from", unit: "°C", group: "Flow" },
  { path: ["material", "diffusivity_mm2_s"], label: "Heat spreads at", unit: "mm²/s", group: "Flow" },
  { path: ["material", "specific_heat_j_g_k"], label: "Specific heat", unit: "J/(g K)", group: "Flow" },
  flag("abrasive", "Abrasive", "Fibres and powders file soft nozzles open."),
  flag("warp_prone", "Warps", "Corners lift: a brim in the open, better a chamber."),
  flag("ventilate", "Ventilate", "Its fumes and particles should not be breathed: the maker's safety sheet decides."),
  flag("damp_prone", "Drinks", "It takes up water from the air within hours or days."),
  { path: ["material", "open_hours"], label: "May lie open", unit: "h", group: "Habits", when: drinks, everyday: true },
  { path: ["material", "drying_temp_c"], label: "Dried at", unit: "°C", group: "Habits", help: "As its maker says. A kitchen oven overshoots and softens spools, and is not for food afterwards.", when: drinks, everyday: true },
  { path: ["material", "drying_h"], label: "Dried for", unit: "h", group: "Habits", when: drinks, everyday: true },
  { path: ["material", "min_bore_mm"], label: "Least bore", unit: "mm", group: "Habits", help: "Filled plastics bridge in front of small bores.", everyday: true },
];

const SPOOL: readonly ShelfField[] = [
  { path: ["left_g"], label: "Left on it", unit: "g", group: "Filament", everyday: true },
  { path: ["empty_g"], label: "The empty spool weighs", unit: "g", group: "Filament", help: "Weigh an empty one of the same maker once.", everyday: true },
  { path: ["opened_on"], label: "Opened on", group: "Dryness", kind: "date", everyday: true },
  { path: ["dried_on"], label: "Dried on", group: "Dryness", kind: "date", everyday: true },
  { path: ["dried_temp_c"], label: "at", unit: "°C", group: "Dryness", everyday: true },
  { path: ["dried_h"], label: "for", unit: "h", group: "Dryness", everyday: true },
  {
    path: ["kept"],
    label: "Kept",
    group: "Dryness",
    kind: "choice",
    options: [
      { value: "open", label: "in the open" },
      { value: "sealed", label: "sealed with desiccant" },
      { value: "dry_box", label: "in a dry box" },
    ],
    everyday: true,
  },
];

const PURPOSE: readonly ShelfField[] = [
  { path: ["limits", "ridge_mm"], label: "Highest step on slopes", unit: "mm", group: "Good enough means", help: "Layer height times the cosine of the slope, where it shows. On matte plastic a quarter more will do, on shiny a quarter less.", everyday: true },
  { path: ["limits", "detail_mm"], label: "Narrowest detail to keep", unit: "mm", group: "Good enough means", help: "What is narrower may be lost.", everyday: true },
  { path: ["limits", "shell_mm"], label: "Least shell", unit: "mm", group: "Good enough means", help: "Walls together.", everyday: true },
  { path: ["limits", "infill_density"], label: "Least infill", unit: "%", group: "Good enough means", kind: "percent", help: "Share of the inside that is plastic.", everyday: true },
  { path: ["limits", "flow_margin"], label: "Flow kept free", unit: "%", group: "Good enough means", kind: "percent", help: "Of the melt ceiling.", everyday: true },
  { path: ["limits", "outer_speed_mm_s"], label: "Fastest outer wall", unit: "mm/s", group: "Good enough means", help: "Where ripple would show.", everyday: true },
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
  { key: "machines", title: "Machines", one: "machine", holds: "printer", fields: MACHINE, lead: "A time is as true as the machine's description. Type over what you know; what you do not know, ask its firmware." },
  { key: "nozzles", title: "Nozzles", one: "nozzle", holds: "nozzle", fields: NOZZLE, lead: "The bore sets heights and widths; metal and shape how fast it melts, and what it survives." },
  { key: "materials", title: "Materials", one: "material", holds: "material", fields: MATERIAL, lead: "Price, heat and habits. What a plastic needs at tops, bridges and fan becomes the default of every recipe in it." },
  { key: "spools", title: "Spools", one: "spool", holds: null, fields: SPOOL, lead: "With a spool's grams and dryness here, a print that runs short or bubbles is found before it is started." },
  { key: "purposes", title: "Purposes", one: "purpose", holds: "limits", fields: PURPOSE, lead: "What a part is for decides how good is good enough. Limits hold for every part of that purpose, and fill in what its recipes leave open. Empty sets none." },
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
      const habits = [material.abrasive && "abrasive", material.warp_prone && "warps", material.damp_prone && "drinks", material.ventilate && "ventilate"].filter(Boolean);
      return [`${material.nozzle_temp_c ?? 210} °C`, ...habits].join(", ");
    }
    case "spools": {
      const spool = row as Spool;
      const material = shelf.materials.find((one) => one.id === spool.material_id)?.name ?? "a removed material";
      return `${Math.round(spool.left_g)} g of ${material}`;
    }
    case "purposes": {
      const { limits } = row as Purpose;
      return limits.ridge_mm == null ? "no limit on steps" : `steps up to ${limits.ridge_mm} mm`;
    }
  }
}
