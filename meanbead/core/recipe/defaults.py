"""Every default of a recipe, with its reason.

What is the same for everybody is a :class:`Default` with its value; what follows from nozzle, machine, material or other
choices is one with the number that its rule works with, and a small function beside it. The sheet's explanations are the
sentences given here, filled in with the values; docs/formats.md is held to ``brief`` by a test. Where good practitioners
disagree the house's rules decide, and what a part is for bounds what they say.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Generic, TypeVar

from meanbead.core.formulas.bead import bead_area_mm2, bead_spacing_mm
from meanbead.core.model.house import HouseRules
from meanbead.core.model.material import Material
from meanbead.core.model.nozzle import FLAT_PER_BORE, Nozzle
from meanbead.core.model.printer import Printer
from meanbead.core.model.purpose import Limits
from meanbead.core.model.recipe import (
    AboveMelt,
    AdhesionKind,
    CopyOrder,
    InfillPattern,
    IroningKind,
    IroningPattern,
    OverSparse,
    SeamPlace,
    ShortLayers,
    SkinOrder,
    SkinPattern,
    SupportKind,
    ThinWalls,
    TravelConvention,
    WallOrder,
)

__all__ = ["DEFAULTS", "Default", "sentence_of"]

Value = TypeVar("Value")


@dataclass(frozen=True)
class Default(Generic[Value]):
    """The default of the choice at ``key``. ``sentence`` says it to people, with its reason where there is one; ``{}`` in
    it stands for ``value``. ``brief`` is how docs/formats.md gives it; empty where it gives none."""

    key: str
    value: Value
    sentence: str
    brief: str = ""


def rounded(value_mm: float, step_mm: float) -> float:
    """The nearest multiple of a step, mm."""
    return round(round(value_mm / step_mm) * step_mm, 6)


# --- Nozzle and bead -------------------------------------------------------------------------------------------------
LAYER_HEIGHT_BORES = Default(
    "layer_height_mm",
    0.5,
    "Half the bore, on the machine's full motor steps where they are known: far from both limits. For narrow lines less, so "
    "that they are still pressed.",
    "d/2",
)
NARROW_HEIGHT_BORES = 0.42
"""Layer height where the house lays lines narrower than the bore: at most half their width."""
FIRST_LAYER = Default("first_layer_height_mm", None, "The layer height: one height, one bead to get right.", "h")
VARIABLE_HEIGHT = Default("variable_height.kind", "even", "All even.", "even")
RIDGE_HEIGHTS = Default("variable_height.ridge_mm", 0.25, "A quarter of the layer height.", "h/4")
LOWEST_BORES = Default("variable_height.min_mm", 0.25, "A quarter of the bore.", "d/4")
HIGHEST_BORES = Default(
    "variable_height.max_mm", 0.75, "Three quarters of the bore, from where on the strand is pressed less.", "0.75 d"
)
LARGEST_STEP_MM = Default(
    "variable_height.max_step_mm", 0.04, "{:g} mm, or one motor step: smaller jumps do not show as bands."
)
FULL_STEPS = Default(
    "variable_height.full_steps", None, "On where the machine's step height is known: it costs nothing."
)
OUTER_WIDTH_BORES: Default[dict[str, float]] = Default(
    "line_width_mm.outer_wall",
    {"a_little_wider": 1.1, "as_bore": 1.0, "quarter_wider": 1.25, "wide_inside": 1.0, "wide": 1.5, "narrow": 0.85},
    "{0[a_little_wider]:g} bores, or as the house lays them: pressed against its neighbour without heaping up.",
    "1.1 d",
)
INNER_WIDTH_BORES = {"wide_inside": 1.5}
"""Where the house lays inner lines otherwise than outer ones, bores."""
INNER_WIDTH = Default("line_width_mm.inner_wall", None, "The outer wall's, unless the house lays wide lines inside.")
INFILL_WIDTH = Default("line_width_mm.infill", None, "The inner walls'.")
SOLID_WIDTH = Default("line_width_mm.solid", None, "The infill's.")
TOP_WIDTH = Default(
    "line_width_mm.top", None, "The solid layers', or the outer wall's where the house lays those wider."
)
FIRST_LAYER_WIDTH = Default("line_width_mm.first_layer", None, "The outer wall's.")

ANY_HEIGHT_STEP_MM = 0.01
"""The grid of heights where the machine's motor step is not known."""


def layer_height_mm(bore_mm: float, z_step_mm: float | None, house: HouseRules) -> float:
    """The default height, mm: on the motor's steps, at least one."""
    step = z_step_mm or ANY_HEIGHT_STEP_MM
    if house.line_width == "narrow":
        return max(math.floor(NARROW_HEIGHT_BORES * bore_mm / step + 1e-6) * step, step)
    return max(rounded(LAYER_HEIGHT_BORES.value * bore_mm, step), step)


def lowest_layer_mm(bore_mm: float, grid_mm: float) -> float:
    """The lowest height by slope, mm, on the grid; towards the inside, for a default may not lie beyond its bounds."""
    return max(round(math.ceil(LOWEST_BORES.value * bore_mm / grid_mm - 1e-6) * grid_mm, 6), grid_mm)


def highest_layer_mm(bore_mm: float, grid_mm: float, lowest_mm: float) -> float:
    """The highest height by slope, mm, on the grid; towards the inside, too."""
    return max(round(math.floor(HIGHEST_BORES.value * bore_mm / grid_mm + 1e-6) * grid_mm, 6), lowest_mm)


def ridge_mm(layer_mm: float) -> float:
    """How high steps on a slope may stand, mm."""
    return rounded(RIDGE_HEIGHTS.value * layer_mm, 0.005) or 0.01


def outer_width_mm(nozzle: Nozzle, house: HouseRules) -> float:
    """Width of the outer wall, mm: the house's, within what the nozzle's flat presses."""
    return _within_flat(OUTER_WIDTH_BORES.value[house.line_width], nozzle)


def inner_width_mm(outer_mm: float, nozzle: Nozzle, house: HouseRules) -> float:
    """Width of inner walls, mm."""
    bores = INNER_WIDTH_BORES.get(house.line_width)
    return outer_mm if bores is None else _within_flat(bores, nozzle)


def top_width_mm(outer_mm: float, solid_mm: float, house: HouseRules) -> float:
    """Width of top skin, mm: what is seen is laid like the outer wall."""
    return min(outer_mm, solid_mm) if house.line_width in INNER_WIDTH_BORES else solid_mm


def _within_flat(bores: float, nozzle: Nozzle) -> float:
    wide = bores * nozzle.bore_mm
    flat = nozzle.flat_mm or FLAT_PER_BORE * nozzle.bore_mm
    return rounded(wide, 0.01) if wide <= flat else math.floor(100 * flat + 1e-6) / 100


# --- Shell -----------------------------------------------------------------------------------------------------------
SHELL_MM = Default(
    "walls",
    0.8,
    "Two lines, or as many as reach {:g} mm of shell, or what the part is for asks: one line alone tears and leaks.",
    "2, and 0.8 mm",
)
THIN_WALLS: Default[ThinWalls] = Default(
    "thin_walls", "variable", "They vary in width, so that thin detail is laid rather than lost.", "variable"
)
WALL_ORDER: Default[WallOrder] = Default(
    "wall_order", "inside_out", "From the inside out: the outer wall leans on the inner.", "inside_out"
)
SEAM: Default[SeamPlace] = Default("seam", "back", "As the house has it: at the back, in one line.", "back")
SPIRAL = Default("spiral", False, "Off.")
TOP_MM = Default(
    "top_layers",
    0.8,
    "As many as reach {:g} mm, four at least (three from 0.32 mm on), one more at 10 % filling and below: fewer sag into its "
    "gaps.",
    "0.8 mm",
)
BOTTOM_MM = Default("bottom_layers", 0.6, "As many as reach {:g} mm, two at least: the bed holds it flat.", "0.6 mm")
TOP_THICKNESS = Default("skins.top_mm", None, "Not set: the count decides.")
BOTTOM_THICKNESS = Default("skins.bottom_mm", None, "Not set: the count decides.")
SKIN_PATTERN: Default[SkinPattern] = Default("skins.pattern", "lines", "Lines.", "lines")
TOP_PATTERN = Default("skins.top_pattern", None, "The skins'.")
FIRST_LAYER_PATTERN = Default("skins.first_layer_pattern", None, "The skins'.")
SKIN_ANGLE_DEG = Default("skins.angle_deg", 45.0, "{:g}°: both axes share the work.", "45")
SKIN_ANGLES_DEG = Default("skins.angles_deg", (), "None: each layer crosses the one below.")
OVER_SPARSE: Default[OverSparse] = Default(
    "skins.over_sparse", "by_gap", "As solid up to a gap of twice its width, then as bridges.", "by_gap"
)
SKIN_OVERLAP = Default("skins.overlap", 0.15, "{percent:g} % of a line: strokes bond to the walls.", "0.15")
SKIN_OVERLAP_MM = Default("skins.overlap_mm", None, "Not set: the share decides.")
DROP_NARROW_MM = Default("skins.drop_narrow_mm", 0.0, "None.", "0")
GROW_MM = Default("skins.grow_mm", 0.0, "None.", "0")
SKIN_ORDER: Default[SkinOrder] = Default(
    "skins.order",
    "sweep",
    "In order, so that no stroke comes back to an older edge; one way where the house has it.",
    "in order",
)
EXTRA_TOP = Default("skins.extra_top", False, "Off.")

LEAST_WALLS = 2
LEAST_BOTTOM_LAYERS = 2
LEAST_TOP_LAYERS = 4
LEAST_HIGH_TOP_LAYERS = 3
HIGH_LAYER_MM = 0.32
"""From this height on three layers are thick enough to close a top."""

SPARSE_DENSITY = 0.10
"""At this filling and below a top gets one layer more."""


def walls(outer_width_mm: float, inner_width_mm: float, height_mm: float, limits: Limits, *, spiral: bool) -> int:
    """Two lines, or what reaches the shell; a spiral has one."""
    if spiral:
        return 1
    shell = max(SHELL_MM.value, limits.shell_mm or 0.0)
    reached = 1 + (shell - outer_width_mm) / bead_spacing_mm(inner_width_mm, height_mm)
    return max(LEAST_WALLS, math.ceil(reached - 1e-6))


def bottom_layers(height_mm: float) -> int:
    """Layers of floor that reach their thickness."""
    return max(LEAST_BOTTOM_LAYERS, reaching(BOTTOM_MM.value, height_mm))


def top_layers(height_mm: float, density: float) -> int:
    """Layers of top that reach their thickness and close over the filling."""
    least = LEAST_HIGH_TOP_LAYERS if height_mm >= HIGH_LAYER_MM - 1e-9 else LEAST_TOP_LAYERS
    return max(least, reaching(TOP_MM.value, height_mm)) + (1 if density <= SPARSE_DENSITY + 1e-9 else 0)


def reaching(thickness_mm: float, height_mm: float) -> int:
    """Layers that make at least a thickness; a hundredth of a layer short still counts as reached."""
    return max(0, math.ceil(thickness_mm / height_mm - 0.01))


# --- Infill ----------------------------------------------------------------------------------------------------------
DENSITY = Default(
    "infill.density",
    0.15,
    "{percent:g} %, or what the part is for asks, or the house's way to strength: enough to carry the top of most parts.",
    "0.15",
)
DENSITY_BY_STRENGTH = {"more_walls": DENSITY.value, "denser": 0.2, "doubled_lines": 0.08, "adaptive": DENSITY.value}
"""Filling by the house's way to strength. Doubled lines at 8 % are 16 % of plastic, in cell walls twice as thick."""

PATTERN: Default[InfillPattern] = Default(
    "infill.pattern", "grid", "Grid, or adaptive where the house has it: its lines stand on each other.", "grid"
)
LINES_SIDE_BY_SIDE = Default("infill.lines_side_by_side", 1, "One, or two where the house doubles lines.", "1")
INFILL_ANGLE_DEG = Default("infill.angle_deg", 45.0, "{:g}°: both axes share the work.", "45")
INFILL_ANGLES_DEG = Default("infill.angles_deg", (), "None: one angle for all.")
INFILL_OVERLAP = Default("infill.overlap", 0.15, "{percent:g} % of a line: strokes bond to the walls.", "0.15")
INFILL_OVERLAP_MM = Default("infill.overlap_mm", None, "Not set: the share decides.")
JOIN = Default("infill.join", False, "Off.")
HEIGHT_RANGES = Default("height_ranges", (), "None.")

# --- Pace ------------------------------------------------------------------------------------------------------------
OUTER_WALL_MM_S = Default(
    "speed_mm_s.outer_wall",
    40.0,
    "{:g} mm/s, or the house's one pace; never faster than melts, or than what the part is for takes.",
    "40",
)
INNER_WALL_MM_S = Default("speed_mm_s.inner_wall", 60.0, "{:g} mm/s, or the house's one pace, or what melts.", "60")
INFILL_MM_S = Default("speed_mm_s.infill", 80.0, "{:g} mm/s, or the house's one pace, or what melts.", "80")
SOLID_MM_S = Default("speed_mm_s.solid", 60.0, "{:g} mm/s, or the house's one pace, or what melts.", "60")
ONE_PACE_MM_S = 50.0
"""The pace of all lines where the house lays them at one."""
NARROW_WALL_MM_S = 25.0
"""The pace of walls that are narrower than the bore: a pulled strand tears where the nozzle hurries."""
TOP_SPEED = Default("speed_mm_s.top", None, "The slowest of solid, outer wall and what suits the plastic there.")
BRIDGE_MM_S = Default(
    "speed_mm_s.bridge", 25.0, "{:g} mm/s, or what suits the plastic: the strand hardens while it hangs.", "25"
)
SUPPORT_MM_S = Default("speed_mm_s.support", 60.0, "{:g} mm/s, or what melts.", "60")
FIRST_LAYER_MM_S = Default("speed_mm_s.first_layer", 25.0, "{:g} mm/s, or what melts: slow sticks.", "25")
TRAVEL_MM_S = Default("speed_mm_s.travel", 150.0, "{:g} mm/s.", "150")
PRINT_ACCELERATION = Default("acceleration_mm_s2.print", None, "What the machine's description says.")
OUTER_ACCELERATION = Default(
    "acceleration_mm_s2.outer_wall", None, "That of printing, as far as this machine is known to show no ripple."
)
INFILL_ACCELERATION = Default("acceleration_mm_s2.infill", None, "That of printing.")
TRAVEL_ACCELERATION = Default("acceleration_mm_s2.travel", None, "What the machine's description says.")

# --- Heat and flow ---------------------------------------------------------------------------------------------------
NOZZLE_TEMP = Default(
    "nozzle_temp_c",
    None,
    "The plastic's usual one, by the house's rule more for a larger nozzle; within its window, hot end and lining.",
)
DEGREES_A_SIZE = 10.0
"""By how much a nozzle a size (0.2 mm) larger than :data:`USUAL_BORE_MM` is run hotter where the house does so."""
USUAL_BORE_MM = 0.4
SIZE_MM = 0.2
FIRST_NOZZLE_TEMP = Default("first_layer_nozzle_temp_c", None, "The plastic's own for it, or as the other layers.")
BED_TEMP = Default("bed_temp_c", None, "The plastic's usual one.")
FIRST_BED_TEMP = Default("first_layer_bed_temp_c", None, "The plastic's own for it, or as the other layers.")
MIN_LAYER_TIME_S = Default("cooling.min_layer_time_s", 8.0, "{:g} s.", "8")
MIN_SPEED_MM_S = Default("cooling.min_speed_mm_s", 10.0, "{:g} mm/s.", "10")
SHORT_LAYERS: Default[ShortLayers] = Default("cooling.short_layers", "slow", "Slowed only.", "slow")
FAN = Default("cooling.fan", None, "The most that suits the plastic.")
BRIDGE_FAN = Default("cooling.bridge_fan", None, "What suits the plastic there, else all of it.")
FAN_OFF_LAYERS = Default("cooling.fan_off_layers", None, "What the plastic wants, so that the first layers hold.")
ABOVE_MELT: Default[AboveMelt] = Default(
    "above_melt", "slow_down", "Slow down: all that is asked for comes out.", "slow_down"
)
FLOW_RATIO = Default("flow_ratio", 1.0, "{:g}: just what the geometry asks for.", "1")
BRIDGE_FLOW_RATIO = Default(
    "bridge_flow_ratio", 0.9, "{:g}, or what suits the plastic: a little less pulls the strand taut.", "0.9"
)


def nozzle_temp_c(material: Material, nozzle: Nozzle, printer: Printer, house: HouseRules) -> float:
    """The temperature to print at, degrees C: within the plastic's window as far as the hot end allows."""
    usual = material.nozzle_temp_c
    if house.temperature == "ten_a_size":
        usual += DEGREES_A_SIZE * (nozzle.bore_mm - USUAL_BORE_MM) / SIZE_MM
    usual = min(max(usual, material.nozzle_temp_min_c), material.nozzle_temp_max_c)
    most = printer.highest_nozzle_c
    return min(usual, most) if most >= material.nozzle_temp_min_c else usual


def melts_mm_s(
    speed_mm_s: float, width_mm: float, height_mm: float, flow_mm3_s: float, *, spread: bool = False
) -> float:
    """A speed, or the highest whole one at which a line takes no more than a flow. ``spread`` lines come out up to a
    twelfth larger, to fit their region."""
    area = bead_area_mm2(max(width_mm, height_mm), height_mm) / (SPREAD_TO_FIT if spread else 1.0)
    if flow_mm3_s <= 0 or area * speed_mm_s <= flow_mm3_s:
        return speed_mm_s
    return min(speed_mm_s, max(math.floor(flow_mm3_s / area), 1.0))


SPREAD_TO_FIT = 0.92
"""Lines of skins are spread to fit their region and come out up to a twelfth larger: speeds leave room for that."""


def paces_mm_s(house: HouseRules) -> dict[str, float]:
    """The house's speeds by feature, mm/s."""
    one = ONE_PACE_MM_S if house.pace == "one_pace" else None
    usual = {
        "outer_wall": OUTER_WALL_MM_S.value,
        "inner_wall": INNER_WALL_MM_S.value,
        "infill": INFILL_MM_S.value,
        "solid": SOLID_MM_S.value,
    }
    paces = {feature: one or speed for feature, speed in usual.items()}
    if house.line_width == "narrow":
        paces |= {wall: min(paces[wall], NARROW_WALL_MM_S) for wall in ("outer_wall", "inner_wall")}
    return paces


# --- Travel ----------------------------------------------------------------------------------------------------------
TRAVEL: Default[TravelConvention] = Default(
    "travel",
    "inside",
    "Over the part, where nothing has to be retracted; straight where the house retracts at every hop.",
    "inside",
)
RETRACTION_MM = Default(
    "retraction.length_mm",
    {"direct": 0.8, "long_tube": 4.5},
    "What a pull tower told; else by the drive: {0[direct]:g} mm direct, {0[long_tube]:g} mm through a long tube.",
)
RETRACTION_MM_S = Default(
    "retraction.speed_mm_s",
    {"direct": 35.0, "long_tube": 40.0},
    "By the drive: {0[direct]:g} or {0[long_tube]:g} mm/s.",
)
MIN_TRAVEL_MM = Default("retraction.min_travel_mm", 2.0, "{:g} mm, or every hop where the house has it.", "2")
Z_HOP_MM = Default("retraction.z_hop_mm", 0.0, "None.", "0")
WIPE_MM = Default("retraction.wipe_mm", 0.0, "None.", "0")

# --- Start -----------------------------------------------------------------------------------------------------------
ADHESION: Default[AdhesionKind] = Default(
    "adhesion.kind",
    "skirt",
    "A skirt: it primes the nozzle and shows the level before the part starts. A brim for plastic that warps in the open; a "
    "raft on a bad bed where the house lays one.",
    "skirt",
)
ADHESION_WIDTH_MM = Default(
    "adhesion.width_mm",
    {"brim": 6.0, "raft": 3.0},
    "{0[brim]:g} mm for a brim, {0[raft]:g} mm around a raft.",
    "6; raft 3",
)
SKIRT_LOOPS = Default("adhesion.loops", 3, "{:g}: one to see the level, one to adjust, one to confirm.", "3")
SKIRT_DISTANCE_MM = Default("adhesion.distance_mm", 4.0, "{:g} mm.", "4")
BRIM_HOLES = Default("adhesion.holes", False, "Off.")
RAFT_LAYERS = Default("adhesion.layers", 3, "Three.", "3")
RAFT_LAYER_BORES = Default("adhesion.raft_layer_mm", 0.6, "{:g} bores.", "0.6 d")


def adhesion(material: Material, printer: Printer, house: HouseRules) -> AdhesionKind:
    """The start on the bed, before the part itself is known."""
    if house.adhesion == "raft" and (printer.bed_surface != "flat" or printer.bed_heater.heater_w == 0):
        return "raft"
    if material.warp_prone and (house.adhesion == "brim_for_warp" or not printer.enclosed):
        return "brim"
    return ADHESION.value


def adhesion_width_mm(kind: str | None) -> float:
    """Width of a brim, or of a raft's margin, mm."""
    return ADHESION_WIDTH_MM.value["raft" if kind == "raft" else "brim"]


def raft_layer_mm(bore_mm: float) -> float:
    """Height of a raft's layers, mm."""
    return rounded(RAFT_LAYER_BORES.value * bore_mm, 0.01)


# --- Supports --------------------------------------------------------------------------------------------------------
SUPPORTS: Default[SupportKind] = Default(
    "supports.kind", "none", "None: an orientation that needs none is cheapest.", "none"
)
SUPPORT_ANGLE_DEG = Default("supports.angle_deg", None, "What this bead prints clean on this machine.")
SUPPORT_SPACING_MM = Default(
    "supports.spacing_mm", 4.0, "{:g} mm: closer ones take long, and hold on when they are to come off.", "4"
)
INTERFACE_LAYERS = Default(
    "supports.interface_layers", 1, "One: a single sheet peels off, a stack of them is a plate.", "1"
)
GAP_LAYERS = Default("supports.gap_layers", 1, "One.", "1")
GAP_WIDTH = Default("supports.gap_mm", None, "One line's width.")
BED_ONLY = Default("supports.bed_only", False, "Off.")


def support_angle_deg(clean_deg: float) -> float:
    """From which overhang on supports stand, degrees from upright: just under what the bead prints clean."""
    return float(max(5, min(85, math.floor(clean_deg + 1e-6))))


# --- Finish and plate ------------------------------------------------------------------------------------------------
IRONING: Default[IroningKind] = Default(
    "ironing.kind", "none", "None, or the topmost faces where the house irons: it takes long on broad faces.", "none"
)
IRONING_PATTERN: Default[IroningPattern] = Default("ironing.pattern", "lines", "Lines.", "lines")
IRONING_SPACING_BORES = Default(
    "ironing.spacing_mm", 0.25, "{:g} × nozzle: fine, so that each pass melts the ridge of the one before.", "0.25 d"
)
IRONING_MM_S = Default("ironing.speed_mm_s", 18.0, "{:g} mm/s: slow enough to melt the top again.", "18")
IRONING_FLOW = Default("ironing.flow", 0.15, "{percent:g} %.", "0.15")
IRONING_INSET_LINES = Default("ironing.inset_mm", 0.5, "Half a line.")
COPIES = Default("copies.count", 1, "One.", "1")
COPY_ORDER: Default[CopyOrder] = Default("copies.order", "by_layer", "Layer by layer.", "by_layer")
COPY_GAP_MM = Default(
    "copies.gap_mm",
    {"by_layer": 5.0, "one_by_one": 40.0},
    "{0[by_layer]:g} mm, or {0[one_by_one]:g} mm one by one.",
    "5; one by one 40",
)


def ironing_spacing_mm(bore_mm: float) -> float:
    """Distance of the ironing's lines, mm."""
    return rounded(IRONING_SPACING_BORES.value * bore_mm, 0.01)


def ironing_inset_mm(top_width_mm: float) -> float:
    """How far ironing stays inside its region, mm."""
    return rounded(IRONING_INSET_LINES.value * top_width_mm, 0.01)


def copy_gap_mm(order: str | None) -> float:
    """Room between copies, mm: one by one the head has to pass."""
    return COPY_GAP_MM.value["one_by_one" if order == "one_by_one" else "by_layer"]


# --- Shelf -----------------------------------------------------------------------------------------------------------
MACHINE = Default("machine", None, "The first on the shelf.")
NOZZLE = Default("nozzle", None, "The house's everyday nozzle, or the one that the machine holds.")
MATERIAL = Default("material", None, "The first on the shelf.")
SPOOL = Default("spool", None, "The one that the machine holds, or the fullest of the material.")

DEFAULTS: dict[str, Default[object]] = {
    default.key: default for default in list(globals().values()) if isinstance(default, Default)
}
"""All defaults by key."""


def sentence_of(key: str) -> str:
    """A default as the sheet gives it, such as ``40 mm/s: slow outside, fast inside.``"""
    default = DEFAULTS[key]
    value = default.value
    return default.sentence.format(value, percent=round(100 * value, 6) if isinstance(value, float) else value)
