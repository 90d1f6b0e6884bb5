"""Every default of a recipe, with its reason.

What is the same for everybody is a :class:`Default` with its value; what follows from nozzle, machine, material or other
choices is one with the number that its rule works with, and a small function beside it. The sheet's explanations are the
sentences given here, filled in with the values; docs/formats.md is held to ``brief`` by a test. Defaults follow the
first convention of each topic in docs/method.md.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Generic, TypeVar

from meanbead.core.formulas.bead import bead_spacing_mm
from meanbead.core.model.recipe import (
    AdhesionKind,
    CopyOrder,
    InfillPattern,
    IroningKind,
    OverSparse,
    SeamPlace,
    ShortLayers,
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
    "layer_height_mm", 0.5, "Half the bore, on the machine's full motor steps where they are known.", "d/2"
)
FIRST_LAYER = Default("first_layer_height_mm", None, "The layer height.", "h")
VARIABLE_HEIGHT = Default("variable_height.kind", "even", "All even.", "even")
RIDGE_HEIGHTS = Default("variable_height.ridge_mm", 0.25, "A quarter of the layer height.", "h/4")
LOWEST_BORES = Default("variable_height.min_mm", 0.25, "A quarter of the bore.", "d/4")
HIGHEST_BORES = Default("variable_height.max_mm", 0.75, "Three quarters of the bore, the cautious ceiling.", "0.75 d")
LARGEST_STEP_MM = Default(
    "variable_height.max_step_mm", 0.04, "{:g} mm, or one motor step: smaller jumps do not show as bands."
)
FULL_STEPS = Default("variable_height.full_steps", None, "On where the machine's step height is known.")
OUTER_WIDTH_BORES = Default(
    "line_width_mm.outer_wall", 1.1, "{:g} bores: pressed against its neighbour without heaping up.", "1.1 d"
)
INNER_WIDTH = Default("line_width_mm.inner_wall", None, "The outer wall's.")
INFILL_WIDTH = Default("line_width_mm.infill", None, "The inner walls'.")
SOLID_WIDTH = Default("line_width_mm.solid", None, "The infill's.")
TOP_WIDTH = Default("line_width_mm.top", None, "The solid layers'.")
FIRST_LAYER_WIDTH = Default("line_width_mm.first_layer", None, "The outer wall's.")

ANY_HEIGHT_STEP_MM = 0.01
"""The grid of heights where the machine's motor step is not known."""


def layer_height_mm(bore_mm: float, z_step_mm: float | None) -> float:
    """The default height, mm: on the motor's steps, at least one."""
    step = z_step_mm or ANY_HEIGHT_STEP_MM
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


def outer_width_mm(bore_mm: float) -> float:
    """Width of the outer wall, mm."""
    return rounded(OUTER_WIDTH_BORES.value * bore_mm, 0.01)


# --- Shell -----------------------------------------------------------------------------------------------------------
SHELL_MM = Default("walls", 0.85, "As many as come nearest to {:g} mm of shell, whatever the nozzle.", "0.85 mm")
THIN_WALLS: Default[ThinWalls] = Default(
    "thin_walls", "variable", "They vary in width, so that thin detail is laid rather than lost.", "variable"
)
WALL_ORDER: Default[WallOrder] = Default(
    "wall_order", "inside_out", "From the inside out: the outer wall leans on the inner.", "inside_out"
)
SEAM: Default[SeamPlace] = Default("seam", "back", "At the back.", "back")
SPIRAL = Default("spiral", False, "Off.")
TOP_MM = Default("top_layers", 0.8, "As many as reach {:g} mm, two at least.", "0.8 mm")
BOTTOM_MM = Default("bottom_layers", 0.6, "As many as reach {:g} mm, two at least.", "0.6 mm")
TOP_THICKNESS = Default("skins.top_mm", None, "Not set: the count decides.")
BOTTOM_THICKNESS = Default("skins.bottom_mm", None, "Not set: the count decides.")
SKIN_PATTERN: Default[SkinPattern] = Default("skins.pattern", "lines", "Lines.", "lines")
SKIN_ANGLE_DEG = Default("skins.angle_deg", 45.0, "{:g}°.", "45")
OVER_SPARSE: Default[OverSparse] = Default(
    "skins.over_sparse", "by_gap", "As solid up to a gap of twice its width, then as bridges.", "by_gap"
)
SKIN_OVERLAP_MM = Default("skins.overlap_mm", 0.0, "None.", "0")
ONE_WAY = Default("skins.one_way", False, "Off.")
EXTRA_TOP = Default("skins.extra_top", False, "Off.")

MIN_SKIN_LAYERS = 2


def walls(inner_width_mm: float, height_mm: float, *, spiral: bool) -> int:
    """Walls that come nearest to the shell, at least one; a spiral has one."""
    return 1 if spiral else max(1, round(SHELL_MM.value / bead_spacing_mm(inner_width_mm, height_mm)))


def skin_layers(thickness: Default[float], height_mm: float) -> int:
    """Layers that come nearest to a thickness, at least :data:`MIN_SKIN_LAYERS`."""
    return max(MIN_SKIN_LAYERS, round(thickness.value / height_mm))


# --- Infill ----------------------------------------------------------------------------------------------------------
DENSITY = Default("infill.density", 0.15, "{percent:g} %: enough to carry the top of most parts.", "0.15")
PATTERN: Default[InfillPattern] = Default("infill.pattern", "grid", "Grid.", "grid")
LINES_SIDE_BY_SIDE = Default("infill.lines_side_by_side", 1, "One.", "1")
INFILL_ANGLE_DEG = Default("infill.angle_deg", 45.0, "{:g}°.", "45")
INFILL_OVERLAP_MM = Default("infill.overlap_mm", 0.0, "None.", "0")
JOIN = Default("infill.join", False, "Off.")
HEIGHT_RANGES = Default("height_ranges", (), "None.")

# --- Pace ------------------------------------------------------------------------------------------------------------
OUTER_WALL_MM_S = Default("speed_mm_s.outer_wall", 40.0, "{:g} mm/s: slow outside, fast inside.", "40")
INNER_WALL_MM_S = Default("speed_mm_s.inner_wall", 60.0, "{:g} mm/s.", "60")
INFILL_MM_S = Default("speed_mm_s.infill", 80.0, "{:g} mm/s.", "80")
SOLID_MM_S = Default("speed_mm_s.solid", 60.0, "{:g} mm/s.", "60")
TOP_SPEED = Default("speed_mm_s.top", None, "The slower of solid and outer wall.")
BRIDGE_MM_S = Default("speed_mm_s.bridge", 25.0, "{:g} mm/s.", "25")
SUPPORT_MM_S = Default("speed_mm_s.support", 60.0, "{:g} mm/s.", "60")
FIRST_LAYER_MM_S = Default("speed_mm_s.first_layer", 25.0, "{:g} mm/s.", "25")
TRAVEL_MM_S = Default("speed_mm_s.travel", 150.0, "{:g} mm/s.", "150")
PRINT_ACCELERATION = Default("acceleration_mm_s2.print", None, "What the machine's description says.")
OUTER_ACCELERATION = Default("acceleration_mm_s2.outer_wall", None, "That of printing.")
TRAVEL_ACCELERATION = Default("acceleration_mm_s2.travel", None, "What the machine's description says.")

# --- Heat and flow ---------------------------------------------------------------------------------------------------
NOZZLE_TEMP = Default("nozzle_temp_c", None, "The material's usual one.")
BED_TEMP = Default("bed_temp_c", None, "The material's usual one.")
MIN_LAYER_TIME_S = Default("cooling.min_layer_time_s", 8.0, "{:g} s.", "8")
MIN_SPEED_MM_S = Default("cooling.min_speed_mm_s", 10.0, "{:g} mm/s.", "10")
SHORT_LAYERS: Default[ShortLayers] = Default("cooling.short_layers", "slow", "Slowed only.", "slow")
FAN = Default("cooling.fan", 1.0, "Full.", "1")
BRIDGE_FAN = Default("cooling.bridge_fan", 1.0, "Full.", "1")
FLOW_RATIO = Default("flow_ratio", 1.0, "{:g}: just what the geometry asks for.", "1")
BRIDGE_FLOW_RATIO = Default("bridge_flow_ratio", 0.95, "{:g}: a little less pulls the strand taut.", "0.95")

# --- Travel ----------------------------------------------------------------------------------------------------------
TRAVEL: Default[TravelConvention] = Default("travel", "straight", "Straight.", "straight")
RETRACTION_MM = Default(
    "retraction.length_mm",
    {"direct": 0.8, "long_tube": 4.5},
    "By the drive: {0[direct]:g} mm direct, {0[long_tube]:g} mm through a long tube.",
)
RETRACTION_MM_S = Default(
    "retraction.speed_mm_s",
    {"direct": 35.0, "long_tube": 40.0},
    "By the drive: {0[direct]:g} or {0[long_tube]:g} mm/s.",
)
MIN_TRAVEL_MM = Default("retraction.min_travel_mm", 2.0, "{:g} mm.", "2")
Z_HOP_MM = Default("retraction.z_hop_mm", 0.0, "None.", "0")
WIPE_MM = Default("retraction.wipe_mm", 0.0, "None.", "0")

# --- Start -----------------------------------------------------------------------------------------------------------
ADHESION: Default[AdhesionKind] = Default(
    "adhesion.kind", "skirt", "A skirt: it primes the nozzle and shows the level before the part starts.", "skirt"
)
ADHESION_WIDTH_MM = Default(
    "adhesion.width_mm",
    {"brim": 6.0, "raft": 3.0},
    "{0[brim]:g} mm for a brim, {0[raft]:g} mm around a raft.",
    "6; raft 3",
)
SKIRT_LOOPS = Default("adhesion.loops", 1, "One.", "1")
SKIRT_DISTANCE_MM = Default("adhesion.distance_mm", 4.0, "{:g} mm.", "4")
BRIM_HOLES = Default("adhesion.holes", False, "Off.")
RAFT_LAYERS = Default("adhesion.layers", 3, "Three.", "3")
RAFT_LAYER_BORES = Default("adhesion.raft_layer_mm", 0.6, "{:g} bores.", "0.6 d")


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
SUPPORT_ANGLE_DEG = Default("supports.angle_deg", 50.0, "{:g}°.", "50")
SUPPORT_SPACING_MM = Default(
    "supports.spacing_mm",
    {"columns": 2.5, "trees": 4.0},
    "{0[columns]:g} mm for columns, {0[trees]:g} mm for trees.",
    "2.5; trees 4",
)
INTERFACE_LAYERS = Default("supports.interface_layers", 1, "One: it parts cleanly where three weld on.", "1")
GAP_LAYERS = Default("supports.gap_layers", 1, "One.", "1")
GAP_WIDTH = Default("supports.gap_mm", None, "One line's width.")
BED_ONLY = Default("supports.bed_only", False, "Off.")


def support_spacing_mm(kind: str) -> float:
    """Distance of the supports' lines, mm."""
    return SUPPORT_SPACING_MM.value["trees" if kind == "trees" else "columns"]


# --- Finish and plate ------------------------------------------------------------------------------------------------
IRONING: Default[IroningKind] = Default("ironing.kind", "none", "None.", "none")
IRONING_SPACING_BORES = Default("ironing.spacing_mm", 0.35, "{:g} bores.", "0.35 d")
IRONING_MM_S = Default("ironing.speed_mm_s", 30.0, "{:g} mm/s.", "30")
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
NOZZLE = Default("nozzle", None, "The one nearest to 0.4 mm.")
MATERIAL = Default("material", None, "The first on the shelf.")

DEFAULTS: dict[str, Default[object]] = {
    default.key: default for default in list(globals().values()) if isinstance(default, Default)
}
"""All defaults by key."""


def sentence_of(key: str) -> str:
    """A default as the sheet gives it, such as ``40 mm/s: slow outside, fast inside.``"""
    default = DEFAULTS[key]
    value = default.value
    return default.sentence.format(value, percent=round(100 * value, 6) if isinstance(value, float) else value)
