"""Carry a recipe over to another nozzle, or make one of a short line of text."""

from __future__ import annotations

import re

from meanbead.core.errors import RecipeError
from meanbead.core.formulas.bead import bead_spacing_mm
from meanbead.core.formulas.strength import shell_mm
from meanbead.core.model import Material, Nozzle, Printer, Recipe, Standards
from meanbead.core.model.estimate import Result
from meanbead.core.recipe.resolve import USUAL, resolve

__all__ = ["ShortLine", "adapted", "short_line"]

_WIDTHS = ("outer_wall", "inner_wall", "infill", "solid", "top", "first_layer")


def adapted(
    recipe: Recipe, printer: Printer, old: Nozzle, new: Nozzle, material: Material, standards: Standards = USUAL
) -> Recipe:
    """The recipe for another nozzle: the shell's thickness in millimetres stays, and height and width keep their ratio
    to the bore, heights on the machine's full motor steps where they are known.

    Only what the recipe sets is carried; what is left open follows the new nozzle by itself. Walls and skins are set,
    for their counts have to change to keep their thickness.
    """
    plan = resolve(recipe, printer, old, material, standards)
    ratio = new.bore_mm / old.bore_mm
    step = printer.z_step_mm or 0.01
    height = _stepped(plan.shape.layer_height_mm * ratio, step)
    widths = plan.shape.width_mm
    shell = shell_mm(plan)
    scaled = {name: round(getattr(widths, name) * ratio, 3) for name in _WIDTHS}
    spacing = bead_spacing_mm(scaled["inner_wall"], height)
    walls = max(1, round((shell - scaled["outer_wall"]) / spacing) + 1) if plan.shape.walls else 0
    content = recipe.model_dump(exclude_none=True)
    content.update(
        nozzle_diameter_mm=None,
        layer_height_mm=height,
        walls=walls,
        top_layers=_count(plan.shape.top_layers, plan.shape.layer_height_mm, height),
        bottom_layers=_count(plan.shape.bottom_layers, plan.shape.layer_height_mm, height),
    )
    if recipe.first_layer_height_mm is not None:
        content["first_layer_height_mm"] = _stepped(recipe.first_layer_height_mm * ratio, step)
    asked = {name: scaled[name] for name in _WIDTHS if getattr(recipe.line_width_mm, name) is not None}
    content["line_width_mm"] = asked
    if recipe.variable_height.kind is not None:
        heights = recipe.variable_height.model_dump(exclude_none=True)
        for name in ("min_mm", "max_mm"):
            if name in heights:
                heights[name] = _stepped(heights[name] * ratio, step)
        content["variable_height"] = heights
    return Recipe.model_validate(content)


def _count(layers: int, old_mm: float, new_mm: float) -> int:
    return max(1, round(layers * old_mm / new_mm)) if layers else 0


def _stepped(value: float, step: float) -> float:
    return round(max(1, round(value / step)) * step, 4)


class ShortLine(Result):
    """A bead in three numbers, mm: nozzle, layer height, line width. What was not said is None."""

    bore_mm: float
    layer_height_mm: float | None
    line_width_mm: float | None


def short_line(text: str) -> ShortLine:
    """Read a line such as ``0.6 / 0.28 / 0.7``: nozzle, layer height, line width, split by anything but digits.

    Raises :class:`RecipeError` where it says no such numbers, or in an order that cannot be.
    """
    numbers = [float(digits.replace(",", ".")) for digits in re.findall(r"\d+(?:[.,]\d+)?|[.,]\d+", text)]
    if not 1 <= len(numbers) <= 3:
        raise RecipeError(
            f"“{text.strip():.40}” does not say a bead.",
            field="line",
            remedy="Write nozzle / layer height / line width in millimetres, such as 0.6 / 0.28 / 0.7.",
        )
    bore, height, width = (*numbers, None, None)[:3]
    assert bore is not None
    if not 0.1 <= bore <= 2.0 or (height is not None and height > bore):
        raise RecipeError(
            f"A {bore:g} mm nozzle with layers of {height or 0:g} mm cannot be.",
            field="line",
            remedy="The nozzle comes first, then the layer height, then the line width.",
        )
    return ShortLine(bore_mm=bore, layer_height_mm=height, line_width_mm=width)
