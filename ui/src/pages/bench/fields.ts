import type { Recipe, RecipeColumn, Shelf } from "../../api/client";
import { parseNumber, plain } from "../../lib/format";
import { rangesText, typedRanges } from "./ranges";

/** What a cell can hold. */
export type CellValue = number | string | boolean;

/** A choice: one row of the sheet. */
export interface Field {
  key: string;
  label: string;
  unit: string;
  group: string;
  /** What it does and what it costs, in a sentence or two. */
  explain: string;
  kind: "number" | "whole" | "percent" | "choice" | "yesno" | "ranges" | "machine" | "nozzle" | "material";
  options?: readonly Option[];
  /** Rows that people change every day; the others are folded away until they are asked for, or set. */
  everyday: boolean;
}

export interface Option {
  value: string;
  label: string;
}

type Path = readonly [keyof Recipe] | readonly [keyof Recipe, string];

function row(
  everyday: boolean,
  group: string,
  key: string,
  label: string,
  unit: string,
  explain: string,
  kind: Field["kind"] | readonly (string | readonly [string, string])[] = "number",
): Field {
  if (typeof kind === "string") return { key, label, unit, group, explain, kind, everyday };
  const options = kind.map((one) => (typeof one === "string" ? { value: one, label: one } : { value: one[0], label: one[1] }));
  return { key, label, unit, group, explain, kind: "choice", options, everyday };
}

const YES_NO: readonly Option[] = [
  { value: "true", label: "yes" },
  { value: "false", label: "no" },
];

/** Rows in the order in which people decide. Keys are dotted names in the recipe. */
export const FIELDS: readonly Field[] = [
  row(true, "With", "machine", "Machine", "", "Its accelerations, corners and hot end bound every time on this sheet.", "machine"),
  row(true, "With", "nozzle", "Nozzle", "", "The bore sets the range of heights and widths; what is left open follows it.", "nozzle"),
  row(true, "With", "material", "Material", "", "Price, weight, and how fast it melts.", "material"),
  row(true, "Bead", "layer_height_mm", "Layer height", "mm", "Fewer, higher layers save time about as 1/height, until flow, cooling or small moves take over. Higher layers show steps on slopes. Usual range: a quarter to three quarters of the bore."),
  row(true, "Bead", "first_layer_height_mm", "First layer", "mm", "Higher forgives an uneven bed; lower shows less at the edge."),
  row(false, "Bead", "variable_height.kind", "Layer heights", "", "By slope: thin layers only where the surface leans enough to show steps, high ones where it stands upright.", [["even", "all even"], ["by_slope", "by slope"]]),
  row(false, "Bead", "variable_height.ridge_mm", "Highest ridge", "mm", "How high the steps on a slope may stand. Smaller means thinner layers on domes. Counts when heights go by slope."),
  row(false, "Bead", "variable_height.min_mm", "Lowest layer", "mm", "Heights by slope stay above this. A quarter of the bore is usual."),
  row(false, "Bead", "variable_height.max_mm", "Highest layer", "mm", "Heights by slope stay below this. Three quarters of the bore is the cautious bound."),
  row(false, "Bead", "variable_height.max_step_mm", "Step between layers", "mm", "By how much neighbouring layers may differ; large jumps show as bands."),
  row(false, "Bead", "variable_height.full_steps", "Full motor steps", "", "Heights only at whole steps of the Z motor, where each layer lands exactly. Needs the step height in the machine's description.", "yesno"),
  row(true, "Bead", "line_width_mm.outer_wall", "Line width", "mm", "About the bore to a quarter more. Wider means fewer strokes but more flow for the same speed. Inner lines follow unless they are set."),
  row(false, "Bead", "line_width_mm.inner_wall", "Line width, inner walls", "mm", "Not seen, so it may be wide. Left open it follows the outer wall's."),
  row(true, "Bead", "line_width_mm.infill", "Line width, infill", "mm", "On large parts wide inner lines save much; on small ones hardly anything."),
  row(false, "Bead", "line_width_mm.solid", "Line width, solid", "mm", "Floors and solid layers inside. Left open it follows the infill's."),
  row(false, "Bead", "line_width_mm.top", "Line width, top skin", "mm", "Narrow lines lie closer and look smoother. Left open it follows the solid layers'."),
  row(false, "Bead", "line_width_mm.first_layer", "Line width, first layer", "mm", "Wider sticks better."),
  row(true, "Shell", "walls", "Walls", "lines", "Count of lines round each outline. Keep the shell's thickness when you change the nozzle: two thin lines are about one thick one.", "whole"),
  row(false, "Shell", "thin_walls", "Thin features", "", "Varying width lays a wall too thin for two lines as one or two of just its thickness. Fixed lays whole loops or nothing: they heap up, or detail is lost.", [["variable", "vary in width"], ["fixed", "fixed width"]]),
  row(false, "Shell", "wall_order", "Wall order", "", "From the inside out the outer wall has something to lean on; from the outside in it is truer to size, and overhangs suffer.", [["inside_out", "inside out"], ["outside_in", "outside in"]]),
  row(false, "Shell", "seam", "Seam", "", "Where loops begin: hidden at the back or at the sharpest corner, wherever the nozzle is nearest, or scattered, which costs travel.", [["back", "at the back"], ["corner", "at a corner"], ["nearest", "nearest"], ["scattered", "scattered"]]),
  row(false, "Shell", "spiral", "Spiral", "", "One wall that climbs without a break above the floor: no seam, no travel, no lid. The part must have one outline on each layer.", "yesno"),
  row(true, "Shell", "top_layers", "Top layers", "layers", "Too few over sparse infill sag and show the pattern. Each costs time and grams.", "whole"),
  row(true, "Shell", "bottom_layers", "Bottom layers", "layers", "The floor. 0.6 mm is usual.", "whole"),
  row(false, "Shell", "skins.top_mm", "Top thickness", "mm", "Instead of a count: as many layers as reach it."),
  row(false, "Shell", "skins.bottom_mm", "Bottom thickness", "mm", "Instead of a count: as many layers as reach it."),
  row(false, "Shell", "skins.pattern", "Skin strokes", "", "Lines lift between strokes, zigzag lays the turns too, concentric follows the outline.", ["lines", "zigzag", "concentric"]),
  row(false, "Shell", "skins.angle_deg", "Skin angle", "°", "Direction of the first layer's strokes; each layer crosses the one below."),
  row(false, "Shell", "skins.overlap_mm", "Skin overlap", "mm", "How far skin strokes reach into the walls. Bonds better, and heaps up if it is too much."),
  row(true, "Infill", "infill.density", "Infill", "%", "Share of the inside that is plastic. Above about 40 % more walls are the better way to strength.", "percent"),
  row(true, "Infill", "infill.pattern", "Pattern", "", "Lines turn by 90° each layer; a grid lays both directions in every layer. Triangles and cubic lay three. Adaptive is dense only near the surface. Gyroid and honeycomb bend, so acceleration counts more.", ["grid", "lines", "triangles", "cubic", "adaptive", "honeycomb", "gyroid", "concentric"]),
  row(true, "Infill", "infill.line_multiplier", "Lines side by side", "", "Two or three lines in the place of each one, at the same cell: far stiffer cell walls for less plastic than a much denser filling. For straight patterns.", "whole"),
  row(false, "Infill", "infill.angle_deg", "Infill angle", "°", "Direction of the first family of lines."),
  row(false, "Infill", "infill.overlap_mm", "Infill overlap", "mm", "How far infill reaches into the walls."),
  row(false, "Infill", "height_ranges", "Height ranges", "", "Other infill, walls or skins from one height to another, such as: 0-5: infill 50, walls 4; 20-30: infill 0. Keys: infill, walls, top, bottom.", "ranges"),
  row(true, "Pace", "speed_mm_s.outer_wall", "Outer wall", "mm/s", "Shows most. Slower hides ripple; on small parts speed hardly matters, acceleration does."),
  row(true, "Pace", "speed_mm_s.inner_wall", "Inner walls", "mm/s", "Not seen: as fast as the hot end melts and the frame stays quiet."),
  row(true, "Pace", "speed_mm_s.infill", "Infill speed", "mm/s", "Not seen. The melt ceiling usually binds here first."),
  row(true, "Pace", "speed_mm_s.solid", "Solid", "mm/s", "Floors and solid layers inside. Top skin is slower: the lesser of this and the outer wall."),
  row(false, "Pace", "speed_mm_s.top", "Top skin", "mm/s", "The lines that are seen from above."),
  row(false, "Pace", "speed_mm_s.bridge", "Bridges", "mm/s", "Strands over air: slow, so that they are pulled taut."),
  row(false, "Pace", "speed_mm_s.first_layer", "First layer speed", "mm/s", "Slow sticks."),
  row(true, "Pace", "speed_mm_s.travel", "Travel", "mm/s", "Moves without plastic, between strokes."),
  row(false, "Pace", "acceleration_mm_s2.print", "Acceleration", "mm/s²", "On small and detailed parts this decides the time, not speed. The frame decides how much still looks clean."),
  row(false, "Pace", "acceleration_mm_s2.outer_wall", "Acceleration, outer wall", "mm/s²", "Lower rings less after corners."),
  row(false, "Pace", "acceleration_mm_s2.travel", "Acceleration, travel", "mm/s²", "Nothing shows, so it may be higher."),
  row(true, "Heat", "nozzle_temp_c", "Nozzle temperature", "°C", "Hotter melts faster, and oozes and strings more. Stay within the material's window and the hot end's limit."),
  row(false, "Heat", "bed_temp_c", "Bed temperature", "°C", "Costs heat-up time before the print, none in it."),
  row(false, "Heat", "cooling.min_layer_time_s", "Shortest layer", "s", "A layer that ends sooner is slowed down, then waited for: it has to set before the next."),
  row(false, "Heat", "cooling.min_speed_mm_s", "Slowest pace", "mm/s", "How far small layers are slowed before the nozzle waits."),
  row(false, "Heat", "cooling.fan", "Fan", "%", "Costs no time.", "percent"),
  row(false, "Heat", "cooling.bridge_fan", "Fan at bridges", "%", "Costs no time. More holds strands straighter.", "percent"),
  row(false, "Heat", "flow_ratio", "Flow ratio", "", "Plastic laid against plastic computed. Measure before you change it."),
  row(false, "Heat", "bridge_flow_ratio", "Flow ratio, bridges", "", "A little less lets strands be pulled taut."),
  row(false, "Travel", "travel", "Travel way", "", "Inside: round corners rather than across gaps, so that nothing is pulled back and no string shows. Straight: the shortest way, with a pull.", ["straight", "inside"]),
  row(false, "Travel", "retraction.min_travel_mm", "Pull back from", "mm", "Shortest travel with a retraction. Over a mesh of holes, pulling at every hop can double a print's time."),
  row(false, "Travel", "retraction.length_mm", "Pull length", "mm", "Long tubes need more."),
  row(false, "Travel", "retraction.speed_mm_s", "Pull speed", "mm/s", "Faster strings less, until the drive grinds."),
  row(false, "Travel", "retraction.z_hop_mm", "Lift", "mm", "Lifts over what is printed while travelling. Z is slow, so it costs."),
  row(false, "Travel", "retraction.wipe_mm", "Wipe", "mm", "Pulls on the way back along the stroke just laid."),
  row(true, "Start", "adhesion.kind", "Start with", "", "A skirt primes the nozzle. A brim holds plastics that warp, small footprints and tall parts. A raft bridges a bad bed, at a price. Brims and rafts have to be cut off: mind eyes and fingers.", ["skirt", "brim", "raft", ["none", "nothing"]]),
  row(true, "Start", "adhesion.width_mm", "Brim", "mm", "5 to 8 mm is usual. Of a raft it is how far it stands out. A skirt has none."),
  row(true, "Start", "adhesion.loops", "Skirt", "loops", "Loops round the part that prime the nozzle and show whether the bed is level. One to three.", "whole"),
  row(false, "Start", "adhesion.distance_mm", "Skirt distance", "mm", "From the part to the innermost loop."),
  row(false, "Start", "adhesion.holes", "Brim in holes", "", "Holds more, and takes longer to trim.", "yesno"),
  row(false, "Start", "adhesion.layers", "Raft layers", "layers", "Counts only when the start is a raft.", "whole"),
  row(false, "Start", "adhesion.raft_layer_mm", "Raft layer height", "mm", "High layers bridge more of an uneven bed."),
  row(false, "Supports", "supports.kind", "Supports", "", "What stands under overhangs. Choose an orientation that needs none first. Columns carry broad undersides, trees touch less. They have to be cut off: mind eyes and fingers.", [["none", "none"], ["columns", "columns"], ["trees", "trees"]]),
  row(false, "Supports", "supports.angle_deg", "Overhang limit", "°", "From upright. What leans further gets support; 45 to 60° by machine and cooling."),
  row(false, "Supports", "supports.spacing_mm", "Spacing", "mm", "Between lines of columns, or tips of trees."),
  row(false, "Supports", "supports.interface_layers", "Interface", "layers", "Dense layers between support and part. One usually parts cleanly where three weld on.", "whole"),
  row(false, "Supports", "supports.gap_layers", "Gap above", "layers", "Empty layers between support and part.", "whole"),
  row(false, "Supports", "supports.gap_mm", "Gap beside", "mm", "Distance from upright faces."),
  row(false, "Supports", "supports.bed_only", "From the bed only", "", "Nothing stands on the part, so nothing scars it; overhangs above other faces stay unsupported.", "yesno"),
  row(false, "Supports", "speed_mm_s.support", "Support speed", "mm/s", "Looks do not count here."),
  row(false, "Finish", "skins.one_way", "One-way top", "", "All top strokes in one direction: no visible returns, more travel.", "yesno"),
  row(false, "Finish", "skins.extra_top", "One more top layer", "", "Hides the pattern below.", "yesno"),
  row(false, "Finish", "ironing.kind", "Ironing", "", "A second pass over tops with hardly any plastic. On broad flats it can add half the print's time.", [["none", "none"], ["topmost", "topmost faces"], ["all_tops", "all top faces"]]),
  row(false, "Finish", "ironing.spacing_mm", "Ironing spacing", "mm", "Time is area over spacing times speed."),
  row(false, "Finish", "ironing.speed_mm_s", "Ironing speed", "mm/s", "Slow enough to smooth, fast enough not to burn."),
  row(false, "Finish", "ironing.flow", "Ironing flow", "%", "Share of the plastic that would fill the spacing.", "percent"),
  row(false, "Finish", "ironing.inset_mm", "Ironing inset", "mm", "Keeps off the edge, where plastic would be pushed over."),
  row(false, "Plate", "copies.count", "Copies", "", "On one plate. Several at once give small layers time to cool.", "whole"),
  row(false, "Plate", "copies.order", "Copies in turn", "", "Layer by layer travels between them; one after the other risks nothing but the head's room: check that it clears finished ones.", [["by_layer", "layer by layer"], ["one_by_one", "one by one"]]),
  row(false, "Plate", "copies.gap_mm", "Gap between copies", "mm", "One after the other the head has to fit between."),
];

/** The fields to show: everyday ones, those of opened groups, and whatever some column has set. */
export function shownFields(columns: readonly RecipeColumn[], opened: ReadonlySet<string>): Field[] {
  return FIELDS.filter(
    (field) =>
      field.everyday || opened.has(field.group) || columns.some((column) => chosen(column, field) !== undefined),
  );
}

function pathOf(field: Field): Path {
  return field.key.split(".") as unknown as Path;
}

/** The value at a field in a recipe; undefined where it is left open. Ranges as their text. */
export function valueIn(recipe: Recipe | undefined, field: Field): CellValue | undefined {
  const [first, second] = pathOf(field);
  const top = recipe?.[first];
  const value: unknown = second === undefined ? top : (top as Record<string, unknown> | null | undefined)?.[second];
  if (field.kind === "ranges") {
    const ranges = recipe?.height_ranges ?? [];
    return ranges.length > 0 ? rangesText(ranges) : undefined;
  }
  return typeof value === "number" || typeof value === "string" || typeof value === "boolean" ? value : undefined;
}

/** A recipe with one field set, or left open with null. */
export function withValue(recipe: Recipe, field: Field, value: CellValue | null): Recipe {
  const [first, second] = pathOf(field);
  if (field.kind === "ranges") return { ...recipe, height_ranges: typedRanges(String(value ?? "")) };
  if (second === undefined) return { ...recipe, [first]: value };
  return { ...recipe, [first]: { ...(recipe[first] as object), [second]: value } };
}

/** What is set in a column for a field, in the recipe's own unit. */
export function chosen(column: RecipeColumn, field: Field): CellValue | undefined {
  if (field.kind === "machine") return column.machine_id;
  if (field.kind === "nozzle") return column.nozzle_id;
  if (field.kind === "material") return column.material_id;
  return valueIn(column.choices, field);
}

/** What a column will really be printed with: the choice, or what follows from the others. */
export function effective(column: RecipeColumn, field: Field): CellValue | undefined {
  return chosen(column, field) ?? valueIn(column.preview?.effective, field);
}

/** Rows that say what is printed with, which a replayed file needs, too. */
export function isShelf(field: Field): boolean {
  return field.kind === "machine" || field.kind === "nozzle" || field.kind === "material";
}

export function isPick(field: Field): boolean {
  return ["choice", "yesno", "machine", "nozzle", "material"].includes(field.kind);
}

/** What was picked, in the recipe's own kind. */
export function pickedValue(text: string, field: Field): number | string | boolean {
  return field.kind === "yesno" ? text === "true" : text;
}

/** Options of a row that is picked from a list. */
export function optionsOf(field: Field, shelf: Shelf | undefined): { value: string; label: string }[] {
  const named = (rows: { id: number; name: string }[] | undefined) =>
    (rows ?? []).map((row) => ({ value: String(row.id), label: row.name }));
  if (field.kind === "machine") return named(shelf?.machines);
  if (field.kind === "nozzle") return named(shelf?.nozzles);
  if (field.kind === "material") return named(shelf?.materials);
  return [...(field.kind === "yesno" ? YES_NO : (field.options ?? []))];
}

/** A value as it stands in a cell, without its unit. */
export function shownValue(value: CellValue | undefined, field: Field, shelf: Shelf | undefined): string {
  if (value === undefined) return "";
  if (isPick(field)) return optionsOf(field, shelf).find((option) => option.value === String(value))?.label ?? "";
  if (typeof value !== "number") return String(value);
  return field.kind === "percent" ? plain(value * 100) : plain(value);
}

/** What was typed, in the recipe's own unit. Throws a sentence when it is no number. */
export function typedValue(text: string, field: Field): number | string | null {
  if (text.trim() === "") return null;
  if (field.kind === "ranges") return rangesText(typedRanges(text));
  const value = parseNumber(text);
  if (Number.isNaN(value)) throw new Error(`“${text}” is not a number. Type one such as 0.2, or clear the cell for the default.`);
  if (field.kind === "whole" && !Number.isInteger(value)) throw new Error("Type a whole number.");
  return field.kind === "percent" ? value / 100 : value;
}
