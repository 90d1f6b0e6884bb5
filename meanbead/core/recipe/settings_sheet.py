"""A recipe as one list of settings to type into whatever program one prepares prints with: neutral names, with units."""

from __future__ import annotations

import csv
import io
from typing import Any

from meanbead.core.model import Material, Nozzle, Printer, Recipe, Standards
from meanbead.core.model.estimate import Result
from meanbead.core.recipe.choices import Choice, choices, value_at
from meanbead.core.recipe.reasons import Decider, decided_by, why
from meanbead.core.recipe.resolve import USUAL, resolve

__all__ = ["ONLY_WITH", "Setting", "as_csv", "harmless", "settings_sheet"]

ONLY_WITH = {
    "variable_height": ("variable_height.kind", "by_slope"),
    "supports": ("supports.kind", ("columns", "trees")),
    "ironing": ("ironing.kind", ("topmost", "all_tops")),
    "speed_mm_s.support": ("supports.kind", ("columns", "trees")),
    "adhesion.width_mm": ("adhesion.kind", ("brim", "raft")),
    "adhesion.loops": ("adhesion.kind", "skirt"),
    "adhesion.distance_mm": ("adhesion.kind", "skirt"),
    "adhesion.holes": ("adhesion.kind", "brim"),
    "adhesion.layers": ("adhesion.kind", "raft"),
    "adhesion.raft_layer_mm": ("adhesion.kind", "raft"),
    "ironing.speed_mm_s": ("ironing.kind", ("topmost", "all_tops")),
}
"""Settings that mean something only where another one has a certain value; elsewhere the sheet leaves them out."""


class Setting(Result):
    """One line of the sheet. ``value`` is in ``unit``, a share in percent; ``chosen`` tells it from a default, and ``why``
    says where it comes from: ``by`` whom or what, and in a sentence."""

    key: str
    group: str
    label: str
    unit: str
    value: float | int | bool | str
    shown: str
    chosen: bool
    by: Decider
    why: str


def settings_sheet(
    recipe: Recipe, printer: Printer, nozzle: Nozzle, material: Material, standards: Standards = USUAL
) -> list[Setting]:
    """Everything that a recipe comes to, in the order of the sheet, without what plays no part in it."""
    plan = resolve(recipe, printer, nozzle, material, standards).as_recipe()
    rows = [
        Setting(
            key="nozzle_diameter_mm",
            group="Nozzle and bead",
            label="Nozzle bore",
            unit="mm",
            value=nozzle.bore_mm,
            shown=f"{nozzle.bore_mm:g}",
            chosen=True,
            by="choice",
            why="The nozzle that is fitted.",
        )
    ]
    for choice in choices():
        value = value_at(plan, choice.key)
        if (
            choice.kind in ("machine", "nozzle", "material", "spool")
            or value is None
            or not _plays_a_part(choice.key, plan)
        ):
            continue
        if choice.kind == "ranges":
            if not value:
                continue
            value = "; ".join(_range_text(height_range.model_dump(exclude_none=True)) for height_range in value)
        if choice.kind == "angles":
            if not value:
                continue
            value = "; ".join(f"{angle:g}" for angle in value)
        number = round(value * 100, 4) if choice.kind == "percent" else value
        rows.append(
            Setting(
                key=choice.key,
                group=choice.group,
                label=choice.label,
                unit=choice.unit,
                value=number,
                shown=_shown(number, choice),
                chosen=value_at(recipe, choice.key) not in (None, ()),
                by=decided_by(choice.key, recipe, printer, material, standards),
                why=why(choice.key, recipe, printer, material, standards),
            )
        )
    return rows


def as_csv(rows: list[Setting]) -> str:
    """The sheet as CSV with a header; one line a setting."""
    buffer = io.StringIO()
    writer = csv.writer(buffer)
    writer.writerow(["group", "setting", "value", "unit", "chosen", "key", "why"])
    for row in rows:
        cells = [row.group, row.label, row.shown, row.unit, "chosen" if row.chosen else "default", row.key, row.why]
        writer.writerow([harmless(cell) for cell in cells])
    return buffer.getvalue()


def harmless(cell: str) -> str:
    """A cell that no spreadsheet takes for a formula: names that people give stand in some, and ``=`` at the start of one
    would be computed (OWASP, CSV injection). Numbers with a sign stay numbers."""
    if cell[:1] not in tuple("=+-@\t\r"):
        return cell
    try:
        float(cell)
    except ValueError:
        return f"'{cell}"
    return cell


def _plays_a_part(key: str, plan: Recipe) -> bool:
    for prefix, (other, requested) in ONLY_WITH.items():
        if (key == prefix or key.startswith(f"{prefix}.")) and key != other:
            has = value_at(plan, other)
            if has not in (requested if isinstance(requested, tuple) else (requested,)):
                return False
    return True


def _shown(value: Any, choice: Choice) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return f"{value:.6g}"
    return next((option.label for option in choice.options if option.value == value), str(value))


def _range_text(height_range: dict[str, Any]) -> str:
    names = {"infill_density": "infill", "walls": "walls", "top_layers": "top", "bottom_layers": "bottom"}
    what = [
        f"{names[key]} {value * 100:g} %" if key == "infill_density" else f"{names[key]} {value:g}"
        for key, value in height_range.items()
        if key in names
    ]
    return f"{height_range['from_mm']:g} to {height_range['to_mm']:g} mm: {', '.join(what)}"
