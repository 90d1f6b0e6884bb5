import type { Recipe, RecipeColumn, Shelf } from "../../api/client";
import { parseNumber, plain } from "../../lib/format";

/** A choice: one row of the sheet. */
export interface Field {
  key: string;
  label: string;
  unit: string;
  group: string;
  /** What it does and what it costs, in a sentence or two. */
  explain: string;
  kind: "number" | "whole" | "percent" | "pattern" | "adhesion" | "machine" | "nozzle" | "material";
}

type Path = readonly [keyof Recipe] | readonly [keyof Recipe, string];

function number(key: string, label: string, unit: string, group: string, explain: string, kind: Field["kind"] = "number") {
  return { key, label, unit, group, explain, kind } satisfies Field;
}

/** Rows in the order in which people decide. Keys are dotted names in the recipe. */
export const FIELDS: readonly Field[] = [
  number("machine", "Machine", "", "With", "Its accelerations, corners and hot end bound every time on this sheet.", "machine"),
  number("nozzle", "Nozzle", "", "With", "The bore sets the range of heights and widths; what is left open follows it.", "nozzle"),
  number("material", "Material", "", "With", "Price, weight, and how fast it melts.", "material"),
  number(
    "layer_height_mm",
    "Layer height",
    "mm",
    "Bead",
    "Fewer, higher layers save time about as 1/height, until flow, cooling or small moves take over. Higher layers show steps on slopes. Usual range: a quarter to three quarters of the bore.",
  ),
  number("first_layer_height_mm", "First layer", "mm", "Bead", "Higher forgives an uneven bed; lower shows less at the edge."),
  number(
    "line_width_mm.outer_wall",
    "Line width",
    "mm",
    "Bead",
    "About the bore to a quarter more. Wider means fewer strokes but more flow for the same speed. Inner lines follow unless they are set.",
  ),
  number("line_width_mm.infill", "Line width, infill", "mm", "Bead", "On large parts wide inner lines save much; on small ones hardly anything."),
  number("walls", "Walls", "lines", "Shell", "Count of lines round each outline. Keep the shell's thickness when you change the nozzle: two thin lines are about one thick one.", "whole"),
  number("top_layers", "Top layers", "layers", "Shell", "Too few over sparse infill sag and show the pattern. Each costs time and grams.", "whole"),
  number("bottom_layers", "Bottom layers", "layers", "Shell", "The floor. 0.6 mm is usual.", "whole"),
  number("infill.density", "Infill", "%", "Infill", "Share of the inside that is plastic. Above about 40 % more walls are the better way to strength.", "percent"),
  number("infill.pattern", "Pattern", "", "Infill", "Lines turn by 90° each layer; a grid lays both directions in every layer. Triangles and cubic lay three. Gyroid and honeycomb bend, so acceleration counts more.", "pattern"),
  number("infill.line_multiplier", "Lines side by side", "", "Infill", "Two or three lines in the place of each one, at the same cell: far stiffer cell walls for less plastic than a much denser filling. For straight patterns.", "whole"),
  number("speed_mm_s.outer_wall", "Outer wall", "mm/s", "Pace", "Shows most. Slower hides ripple; on small parts speed hardly matters, acceleration does."),
  number("speed_mm_s.inner_wall", "Inner walls", "mm/s", "Pace", "Not seen: as fast as the hot end melts and the frame stays quiet."),
  number("speed_mm_s.infill", "Infill speed", "mm/s", "Pace", "Not seen. The melt ceiling usually binds here first."),
  number("speed_mm_s.solid", "Solid", "mm/s", "Pace", "Floors and solid layers inside. Top skin is slower: the lesser of this and the outer wall."),
  number("speed_mm_s.travel", "Travel", "mm/s", "Pace", "Moves without plastic, between strokes."),
  number("nozzle_temp_c", "Nozzle temperature", "°C", "Heat", "Hotter melts faster, and oozes and strings more. Stay within the material's window and the hot end's limit."),
  number("adhesion.kind", "Start with", "", "Start", "A skirt primes the nozzle. A brim holds plastics that warp, small footprints and tall parts; it has to be trimmed: mind eyes and fingers.", "adhesion"),
  number("adhesion.width_mm", "Brim", "mm", "Start", "5 to 8 mm is usual. It counts only when the start is a brim."),
  number("adhesion.loops", "Skirt", "loops", "Start", "Loops round the part that prime the nozzle and show whether the bed is level. One to three.", "whole"),
];

export const PATTERNS = [
  { value: "grid", label: "grid" },
  { value: "lines", label: "lines" },
  { value: "triangles", label: "triangles" },
  { value: "cubic", label: "cubic" },
  { value: "honeycomb", label: "honeycomb" },
  { value: "gyroid", label: "gyroid" },
  { value: "concentric", label: "concentric" },
] as const;

export const STARTS = [
  { value: "skirt", label: "skirt" },
  { value: "brim", label: "brim" },
  { value: "none", label: "nothing" },
] as const;

function pathOf(field: Field): Path {
  return field.key.split(".") as unknown as Path;
}

/** The value at a field in a recipe; undefined where it is left open. */
export function valueIn(recipe: Recipe | undefined, field: Field): number | string | undefined {
  const [first, second] = pathOf(field);
  const top = recipe?.[first];
  const value: unknown = second === undefined ? top : (top as Record<string, unknown> | null | undefined)?.[second];
  return typeof value === "number" || typeof value === "string" ? value : undefined;
}

/** A recipe with one field set, or left open with null. */
export function withValue(recipe: Recipe, field: Field, value: number | string | null): Recipe {
  const [first, second] = pathOf(field);
  if (second === undefined) return { ...recipe, [first]: value };
  return { ...recipe, [first]: { ...(recipe[first] as object), [second]: value } };
}

/** What is set in a column for a field, in the recipe's own unit. */
export function chosen(column: RecipeColumn, field: Field): number | string | undefined {
  if (field.kind === "machine") return column.machine_id;
  if (field.kind === "nozzle") return column.nozzle_id;
  if (field.kind === "material") return column.material_id;
  return valueIn(column.choices, field);
}

/** What a column will really be printed with: the choice, or what follows from the others. */
export function effective(column: RecipeColumn, field: Field): number | string | undefined {
  return chosen(column, field) ?? valueIn(column.preview?.effective, field);
}

export function isPick(field: Field): boolean {
  return field.kind === "pattern" || field.kind === "adhesion" || field.kind === "machine" || field.kind === "nozzle" || field.kind === "material";
}

/** Options of a row that is picked from a list. */
export function optionsOf(field: Field, shelf: Shelf | undefined): { value: string; label: string }[] {
  const named = (rows: { id: number; name: string }[] | undefined) =>
    (rows ?? []).map((row) => ({ value: String(row.id), label: row.name }));
  if (field.kind === "machine") return named(shelf?.machines);
  if (field.kind === "nozzle") return named(shelf?.nozzles);
  if (field.kind === "material") return named(shelf?.materials);
  return field.kind === "adhesion" ? [...STARTS] : [...PATTERNS];
}

/** A value as it stands in a cell, without its unit. */
export function shownValue(value: number | string | undefined, field: Field, shelf: Shelf | undefined): string {
  if (value === undefined) return "";
  if (isPick(field)) return optionsOf(field, shelf).find((option) => option.value === String(value))?.label ?? "";
  if (typeof value === "string") return value;
  return field.kind === "percent" ? plain(value * 100) : plain(value);
}

/** What was typed, in the recipe's own unit. Throws a sentence when it is no number. */
export function typedValue(text: string, field: Field): number | null {
  if (text.trim() === "") return null;
  const value = parseNumber(text);
  if (Number.isNaN(value)) throw new Error(`“${text}” is not a number. Type one such as 0.2, or clear the cell for the default.`);
  if (field.kind === "whole" && !Number.isInteger(value)) throw new Error("Type a whole number.");
  return field.kind === "percent" ? value / 100 : value;
}
