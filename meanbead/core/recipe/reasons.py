"""Why a key of a recipe has the value that it has: chosen, or left to house, purpose, plastic, machine or usual practice."""

from __future__ import annotations

from typing import Literal

from meanbead.core.model.house import HouseRules
from meanbead.core.model.material import Material
from meanbead.core.model.printer import Printer
from meanbead.core.model.recipe import Recipe
from meanbead.core.model.standards import Standards
from meanbead.core.recipe.choices import value_at
from meanbead.core.recipe.defaults import DENSITY, OUTER_WALL_MM_S, SHELL_MM, sentence_of

__all__ = ["HOUSE_KEYS", "Decider", "decided_by", "deciders", "why"]

Decider = Literal["choice", "house", "purpose", "plastic", "machine", "usual"]

HOUSE_KEYS: dict[str, str] = {
    "line_width_mm.outer_wall": "line_width",
    "line_width_mm.inner_wall": "line_width",
    "line_width_mm.infill": "line_width",
    "line_width_mm.solid": "line_width",
    "line_width_mm.top": "line_width",
    "nozzle_temp_c": "temperature",
    "infill.density": "strength",
    "infill.pattern": "strength",
    "infill.lines_side_by_side": "strength",
    "speed_mm_s.outer_wall": "pace",
    "speed_mm_s.inner_wall": "pace",
    "speed_mm_s.infill": "pace",
    "speed_mm_s.solid": "pace",
    "skins.order": "smooth_top",
    "ironing.kind": "smooth_top",
    "adhesion.kind": "adhesion",
    "seam": "seam",
    "retraction.min_travel_mm": "retraction",
}
"""Which matter of the house decides a key that is left open."""

_PLASTIC = {
    "bed_temp_c": "bed_temp_c",
    "first_layer_nozzle_temp_c": "first_layer_nozzle_temp_c",
    "first_layer_bed_temp_c": "first_layer_bed_temp_c",
    "cooling.fan": "fan_max",
    "cooling.bridge_fan": "bridge_fan",
    "cooling.fan_off_layers": "fan_off_layers",
    "speed_mm_s.top": "top_speed_mm_s",
    "speed_mm_s.bridge": "bridge_speed_mm_s",
    "bridge_flow_ratio": "bridge_flow_ratio",
}
_MACHINE = (
    "supports.angle_deg",
    "acceleration_mm_s2.print",
    "acceleration_mm_s2.outer_wall",
    "acceleration_mm_s2.infill",
    "acceleration_mm_s2.travel",
    "retraction.length_mm",
    "retraction.speed_mm_s",
)
_PURPOSE = {"walls": "shell_mm", "infill.density": "infill_density", "speed_mm_s.outer_wall": "outer_speed_mm_s"}
_USUAL = HouseRules()
_BOUND = {"shell_mm": SHELL_MM.value, "infill_density": DENSITY.value, "outer_speed_mm_s": OUTER_WALL_MM_S.value}
"""Purposes decide only where they ask for more (or, of a speed, less) than usual."""


def decided_by(key: str, recipe: Recipe, printer: Printer, material: Material, standards: Standards) -> Decider:
    """Who or what decides a key. The house counts where its school is another than the usual one."""
    if value_at(recipe, key) not in (None, ()):
        return "choice"
    topic = HOUSE_KEYS.get(key)
    if topic is not None and getattr(standards.house, topic) != getattr(_USUAL, topic):
        return "house"
    limit = _PURPOSE.get(key)
    if limit is not None and _asks(limit, standards):
        return "purpose"
    if key in _PLASTIC and getattr(material, _PLASTIC[key]) is not None:
        return "plastic"
    if key == "nozzle_temp_c" or (key == "adhesion.kind" and material.warp_prone):
        return "plastic"
    if key in _MACHINE or (key == "layer_height_mm" and printer.z_step_mm is not None):
        return "machine"
    return "usual"


def _asks(limit: str, standards: Standards) -> bool:
    value = getattr(standards.limits, limit)
    if value is None:
        return False
    return bool(value < _BOUND[limit] if limit == "outer_speed_mm_s" else value > _BOUND[limit])


_LEAD = {
    "house": "By house rule. ",
    "purpose": "By what the part is for. ",
    "plastic": "By the plastic. ",
    "machine": "By the machine. ",
}


def why(key: str, recipe: Recipe, printer: Printer, material: Material, standards: Standards) -> str:
    """Where a key's value comes from, in a sentence."""
    decider = decided_by(key, recipe, printer, material, standards)
    return "Chosen." if decider == "choice" else _LEAD.get(decider, "") + sentence_of(key)


def deciders(recipe: Recipe, printer: Printer, material: Material, standards: Standards) -> dict[str, Decider]:
    """Keys that house or purpose decide in this recipe, and which of the two."""
    keys = dict.fromkeys((*HOUSE_KEYS, *_PURPOSE))
    found = {key: decided_by(key, recipe, printer, material, standards) for key in keys}
    return {key: decider for key, decider in found.items() if decider in ("house", "purpose")}
