"""What a recipe's settings stand beside in whatever program one prepares prints with: how much may flow, what the machine's axes
allow, and the acceleration of every feature."""

from __future__ import annotations

from typing import Any

from meanbead.core.formulas.melt import melt_ceiling
from meanbead.core.model import Material, Nozzle, Printer, Recipe, Standards
from meanbead.core.recipe.reasons import Decider
from meanbead.core.recipe.resolve import USUAL, resolve
from meanbead.core.recipe.settings_sheet import Setting

__all__ = ["machine_sheet"]

_FLOW, _LIMITS, _BY_FEATURE = "Flow", "Machine limits", "Acceleration by feature"


def machine_sheet(
    recipe: Recipe, printer: Printer, nozzle: Nozzle, material: Material, standards: Standards = USUAL
) -> list[Setting]:
    """Rows that come after those of :func:`~meanbead.core.recipe.settings_sheet.settings_sheet`: the largest volumetric flow that is
    planned, mm3/s; the axes' speeds, accelerations and corner; and accelerations feature by feature, mm/s2."""
    plan = resolve(recipe, printer, nozzle, material, standards)
    ceiling = melt_ceiling(printer, nozzle, material, plan.nozzle_temp_c)
    flow = ceiling.skip_mm3_s if plan.above_melt == "run_on" else ceiling.plan_mm3_s
    why = f"What the hot end melts at {plan.nozzle_temp_c:g} °C, less the margin ({ceiling.source})."
    if plan.above_melt == "run_on":
        why = (
            f"From here on the drive may skip at {plan.nozzle_temp_c:g} °C ({ceiling.source}); the recipe keeps its speeds beyond "
            "that, too."
        )
    rows = [_row("max_flow_mm3_s", _FLOW, "Largest volumetric flow", "mm³/s", round(flow, 2), "machine", why)]
    for axis in "xyze":
        name = "filament" if axis == "e" else axis.upper()
        rows.append(
            _row(
                f"max_speed_mm_s.{axis}",
                _LIMITS,
                f"Largest speed, {name}",
                "mm/s",
                getattr(printer.max_speed_mm_s, axis),
                "machine",
                "As the machine is described on the shelf.",
            )
        )
    for axis in "xyze":
        name = "filament" if axis == "e" else axis.upper()
        rows.append(
            _row(
                f"max_acceleration_mm_s2.{axis}",
                _LIMITS,
                f"Largest acceleration, {name}",
                "mm/s²",
                getattr(printer.max_acceleration_mm_s2, axis),
                "machine",
                "As the machine is described on the shelf.",
            )
        )
    rows += _corner(printer)
    by_feature = {
        "outer_wall": ("outer wall", plan.outer_wall_acceleration_mm_s2),
        "inner_wall": ("inner walls", plan.print_acceleration_mm_s2),
        "infill": ("infill", plan.infill_acceleration_mm_s2),
        "solid": ("floors and solid layers", plan.print_acceleration_mm_s2),
        "top": ("tops", plan.print_acceleration_mm_s2),
        "bridge": ("bridges", plan.print_acceleration_mm_s2),
        "support": ("supports", plan.print_acceleration_mm_s2),
        "first_layer": ("first layer", plan.print_acceleration_mm_s2),
        "travel": ("travel", plan.travel_acceleration_mm_s2),
        "retract": ("pulling filament back", printer.acceleration_mm_s2.retract),
    }
    for key, (label, value) in by_feature.items():
        rows.append(
            _row(
                f"acceleration_by_feature_mm_s2.{key}",
                _BY_FEATURE,
                f"Acceleration, {label}",
                "mm/s²",
                value,
                "machine" if key == "retract" else "usual",
                "As it is planned and timed here.",
            )
        )
    return rows


def _corner(printer: Printer) -> list[Setting]:
    corner = printer.corner
    if corner.law == "junction_deviation":
        return [
            _row(
                "corner.deviation_mm",
                _LIMITS,
                "Junction deviation",
                "mm",
                corner.deviation_mm or 0.0,
                "machine",
                "How the firmware limits corners.",
            )
        ]
    return [
        _row(
            f"corner.jerk_mm_s.{axis}",
            _LIMITS,
            f"Jerk, {'filament' if axis == 'e' else axis.upper()}",
            "mm/s",
            getattr(corner.jerk, axis),
            "machine",
            "How the firmware limits corners.",
        )
        for axis in "xyze"
    ]


def _row(key: str, group: str, label: str, unit: str, value: Any, by: Decider, why: str) -> Setting:
    return Setting(
        key=key, group=group, label=label, unit=unit, value=value, shown=f"{value:.6g}", chosen=False, by=by, why=why
    )
