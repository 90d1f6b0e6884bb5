"""From factors and levels to cells, and from a cell to its recipe."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from itertools import product

from meanbead.core.errors import RecipeError
from meanbead.core.formulas.bead import bead_spacing_mm
from meanbead.core.formulas.strength import shell_mm
from meanbead.core.model import Material, Nozzle, Printer, Recipe, Standards
from meanbead.core.model.base import Result
from meanbead.core.model.experiment import MAX_CELLS, CellLevels, Grid, Level
from meanbead.core.model.plan import Plan
from meanbead.core.recipe.adapt import adapted
from meanbead.core.recipe.choices import choices, with_value
from meanbead.core.recipe.resolve import USUAL, resolve

__all__ = ["SHARES", "Setup", "Varied", "cell_recipe", "check_grid", "grid_cells", "varied"]

SHARES: dict[str, tuple[str, str]] = {
    "height_share": ("Layer height", "of the bore"),
    "width_share": ("Line width", "of the bore"),
}
"""Factors that are shares of the bore: their label and unit."""

_ROWS = ("machine", "nozzle", "material")
_NOT = ("spool", "height_ranges")
_FINISH_MM = ("layer_height_mm", "height_share", "nozzle", "machine", "width_share", "line_width_mm")
_WIDTHS = ("outer_wall", "inner_wall", "infill", "solid", "top")


class Varied(Result):
    """A factor as people meet it."""

    key: str
    label: str
    unit: str
    kind: str


@dataclass(frozen=True)
class Setup:
    """What a grid starts from: a recipe with its machine, nozzle and plastic."""

    recipe: Recipe
    printer: Printer
    nozzle: Nozzle
    material: Material
    standards: Standards = USUAL


def varied(key: str) -> Varied:
    """A factor by its key. Raises :class:`RecipeError` for one that cannot vary."""
    if key in SHARES:
        label, unit = SHARES[key]
        return Varied(key=key, label=label, unit=unit, kind="number")
    choice = next((one for one in choices() if one.key == key), None)
    if choice is None or key in _NOT:
        raise RecipeError(f"{key!r:.60} cannot vary in a grid.", field="factors", remedy="Choose a row of the sheet.")
    return Varied(key=key, label=choice.label, unit=choice.unit, kind=choice.kind)


def grid_cells(grid: Grid) -> list[CellLevels]:
    """All cells: the product of the levels, the last factor fastest, without those left out; then those added."""
    keys = [factor.key for factor in grid.factors]
    rows = (dict(zip(keys, levels, strict=True)) for levels in product(*(factor.levels for factor in grid.factors)))
    found = [cell for cell in rows if cell not in grid.left_out]
    return found + [cell for cell in grid.added if cell not in found]


def check_grid(grid: Grid) -> None:
    """Raises :class:`RecipeError` for factors that cannot vary together, and grids too large to print."""
    keys = {factor.key for factor in grid.factors}
    for factor in grid.factors:
        varied(factor.key)
    for share, row in (("height_share", "layer_height_mm"), ("width_share", "line_width_mm.outer_wall")):
        if {share, row} <= keys:
            raise RecipeError(f"{share} and {row} set the same.", field="factors", remedy="Keep one of them.")
    count = len(grid_cells(grid))
    if not 1 <= count <= MAX_CELLS:
        raise RecipeError(
            f"The grid has {count} cells.", field="factors", remedy=f"Choose levels so that it has 1 to {MAX_CELLS}."
        )


def cell_recipe(setup: Setup, levels: Mapping[str, Level], grid: Grid, to: Setup | None = None) -> Recipe:
    """A cell's recipe: what the grid starts from with this cell's levels, and what is to stay equal in millimetres kept.

    ``to`` is the cell's own machine, nozzle and plastic, where those vary. Raises :class:`RecipeError` where the choices
    contradict each other, and pydantic's ValidationError for values out of bounds.
    """
    to = to or setup
    before = resolve(setup.recipe, setup.printer, setup.nozzle, setup.material, setup.standards)
    recipe = setup.recipe
    if to.nozzle.bore_mm != setup.nozzle.bore_mm:
        recipe = adapted(recipe, setup.printer, setup.nozzle, to.nozzle, setup.material, setup.standards)
    for key, level in levels.items():
        if key in _ROWS:
            continue
        if key in SHARES:
            recipe = _with_share(recipe, key, level, to)
        else:
            recipe = with_value(recipe, key, int(level) if _is_whole(key) and not isinstance(level, str) else level)
    recipe = with_value(recipe, "copies.count", grid.pieces if grid.pieces > 1 and grid.together else None)
    plan = resolve(recipe, to.printer, to.nozzle, to.material, to.standards)
    if any(key.startswith(_FINISH_MM) for key in levels):
        recipe = _kept(recipe, before, plan, levels, grid)
    resolve(recipe, to.printer, to.nozzle, to.material, to.standards)
    return recipe


def _is_whole(key: str) -> bool:
    return any(choice.key == key and choice.kind == "whole" for choice in choices())


def _with_share(recipe: Recipe, key: str, level: Level, to: Setup) -> Recipe:
    if isinstance(level, str) or not 0.05 <= level <= 3:
        raise RecipeError(f"{level!r} is no share of a bore.", field=key, remedy="Give one such as 0.6.")
    size = float(level) * to.nozzle.bore_mm
    if key == "height_share":
        step = to.printer.z_step_mm or 0.005
        return with_value(recipe, "layer_height_mm", round(max(1, round(size / step)) * step, 4))
    for line in _WIDTHS:
        recipe = with_value(recipe, f"line_width_mm.{line}", round(size, 3))
    return recipe


def _kept(recipe: Recipe, before: Plan, plan: Plan, levels: Mapping[str, Level], grid: Grid) -> Recipe:
    """Walls and skins by their millimetres, where their counts are no factor themselves."""
    shape, old = plan.shape, before.shape
    if grid.keep_shell and "walls" not in levels and old.walls:
        spacing = bead_spacing_mm(shape.width_mm.inner_wall, shape.layer_height_mm)
        walls = max(1, round((shell_mm(before) - shape.width_mm.outer_wall) / spacing) + 1)
        recipe = with_value(recipe, "walls", walls)
    if grid.keep_skins:
        for side, count in (("top_layers", old.top_layers), ("bottom_layers", old.bottom_layers)):
            if side not in levels and count:
                thick = max(1, round(count * old.layer_height_mm / shape.layer_height_mm))
                recipe = with_value(recipe, side, thick)
    return recipe
