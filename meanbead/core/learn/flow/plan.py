"""Plan a flow test: which flows, how much filament for each, how long it takes, and what to mind."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from meanbead.core.errors import MeanBeadError
from meanbead.core.formulas.bead import filament_area_mm2
from meanbead.core.formulas.heat import machine_heat_up_s
from meanbead.core.formulas.melt import melt_ceiling
from meanbead.core.model.flow_test import FlowStep, FlowTestPlan
from meanbead.core.model.material import Material
from meanbead.core.model.nozzle import Nozzle
from meanbead.core.model.printer import PTFE_LIMIT_C, Printer

__all__ = ["COLLECT_S", "WANTED_SHARE", "flows_to_try", "plan_flow_test", "settle_mm"]

WANTED_SHARE = 0.01
"""A weight should tell 1 %: the strand weighs at least a hundred of the scale's steps."""

LEAST_MM = 200.0
"""A cut that is off by 2 mm should not cost more than the scale does."""

COLLECT_S = 40.0
"""Typical time to cut a strand off, look at it and lay it down."""

PURGE_MM = 40.0
STEPS = 9
FIRST_SHARE, LAST_SHARE = 0.5, 1.75


def flows_to_try(knee_mm3_s: float, steps: int = STEPS) -> list[float]:
    """Flows from half of a knee to well beyond where a typical one may really be, each step wider than the one before, mm3/s."""
    ratio = (LAST_SHARE / FIRST_SHARE) ** (1 / (steps - 1))
    flows = [FIRST_SHARE * knee_mm3_s * ratio**step for step in range(steps)]
    return sorted({round(flow * 2) / 2 if flow >= 10 else round(flow, 1) for flow in flows})


def settle_mm(printer: Printer) -> float:
    """Filament fed before the measured length, mm: twice the melt zone, so that what is measured has met the new flow only."""
    return max(30.0, 2 * printer.hotend.melt_zone_mm)


def plan_flow_test(
    printer: Printer,
    nozzle: Nozzle,
    material: Material,
    temps_c: Sequence[float],
    *,
    fan: float = 0.0,
    scale_g: float = 0.01,
    flows_mm3_s: Sequence[float] | Mapping[float, Sequence[float]] | None = None,
) -> FlowTestPlan:
    """What to run at each temperature, coldest first.

    Flows start at half of the knee that is thought to be there now and grow by equal ratios; ``flows_mm3_s`` are used as given
    instead, for all temperatures or by temperature. Raises :class:`MeanBeadError` for a temperature beyond the plastic, the lining or the hot end, and for a flow
    that the drive cannot feed.
    """
    if not temps_c:
        raise MeanBeadError("Give at least one temperature.", field="temps_c")
    for temp in temps_c:
        _check(printer, material, temp)
    area = filament_area_mm2(printer.filament_diameter_mm)
    length = max(LEAST_MM, scale_g / WANTED_SHARE / (area * material.density_g_cm3 / 1000))
    length = math.ceil(length / 10 - 1e-9) * 10.0
    fastest = printer.max_speed_mm_s.e * area
    steps, notes = [], []
    for temp in sorted(set(temps_c)):
        ceiling = melt_ceiling(printer, nozzle, material, temp)
        if ceiling.knee_mm3_s <= 0:
            raise MeanBeadError(
                f"{material.name} does not melt at {temp:g} °C in this hot end.", field="temps_c", remedy="Test hotter."
            )
        given = flows_mm3_s.get(temp, ()) if isinstance(flows_mm3_s, Mapping) else flows_mm3_s
        flows = sorted(set(given)) if given else flows_to_try(ceiling.knee_mm3_s)
        fed = [flow for flow in flows if flow <= fastest * (1 + 1e-9)]
        if not fed:
            raise MeanBeadError(
                f"The drive feeds {printer.max_speed_mm_s.e:g} mm/s at most, that is {fastest:.1f} mm³/s.",
                field="flows_mm3_s",
                remedy="Give lower flows.",
            )
        if len(fed) < len(flows):
            notes.append(f"Flows above {fastest:.1f} mm³/s are left out: the drive cannot feed them.")
        steps += [_step(printer, material, temp, flow, length) for flow in fed]
    first = melt_ceiling(printer, nozzle, material, min(temps_c))
    fed_mm = PURGE_MM + sum(step.settle_mm + step.length_mm for step in steps)
    heat_s = machine_heat_up_s(printer, max(temps_c), 0.0)
    return FlowTestPlan(
        steps=steps,
        fan=fan,
        expected_mm3_s=first.knee_mm3_s,
        expected_source=first.basis or first.source,
        filament_mm=fed_mm,
        filament_g=fed_mm * area * material.density_g_cm3 / 1000,
        time_s=heat_s + sum(step.time_s for step in steps),
        scale_g=scale_g,
        cautions=_cautions(printer, material, temps_c),
        notes=notes,
    )


def _step(printer: Printer, material: Material, temp_c: float, flow_mm3_s: float, length_mm: float) -> FlowStep:
    area = filament_area_mm2(printer.filament_diameter_mm)
    speed, settle = flow_mm3_s / area, settle_mm(printer)
    return FlowStep(
        temp_c=temp_c,
        flow_mm3_s=flow_mm3_s,
        speed_mm_s=speed,
        settle_mm=settle,
        length_mm=length_mm,
        expected_g=length_mm * area * material.density_g_cm3 / 1000,
        time_s=(settle + length_mm) / speed + COLLECT_S,
    )


def _check(printer: Printer, material: Material, temp_c: float) -> None:
    hotend = printer.hotend
    if hotend.lining == "ptfe" and temp_c > PTFE_LIMIT_C:
        raise MeanBeadError(
            f"{temp_c:g} °C is too hot for a hot end lined with PTFE: above about {PTFE_LIMIT_C:g} °C the lining gives off "
            "toxic fumes.",
            field="temps_c",
            remedy=f"Test at {PTFE_LIMIT_C:g} °C at most.",
        )
    if temp_c > hotend.max_temp_c:
        raise MeanBeadError(
            f"{temp_c:g} °C is above this hot end's limit of {hotend.max_temp_c:g} °C.",
            field="temps_c",
            remedy="Test lower. Never raise a firmware limit or defeat thermal-runaway protection.",
        )
    if not material.nozzle_temp_min_c <= temp_c <= material.nozzle_temp_max_c:
        raise MeanBeadError(
            f"{temp_c:g} °C is outside {material.name}'s window of {material.nozzle_temp_min_c:g} to "
            f"{material.nozzle_temp_max_c:g} °C.",
            field="temps_c",
            remedy="Test within the window.",
        )


def _cautions(printer: Printer, material: Material, temps_c: Sequence[float]) -> list[str]:
    cautions = [
        "Stay at the machine for the whole test; hot plastic and the nozzle burn. Cut with pliers, not with fingers.",
        "Never wrap the heater block beyond what its maker allows, and never defeat thermal-runaway protection to make a "
        "block hold its temperature.",
    ]
    if material.ventilate:
        cautions.append(
            f"{material.name}: ventilate the room, more than for a print: much plastic is melted in a short time."
        )
    else:
        cautions.append("Ventilate the room: much plastic is melted in a short time.")
    if printer.hotend.lining == "ptfe" and max(temps_c) > PTFE_LIMIT_C - 15:
        cautions.append(f"PTFE lining: {PTFE_LIMIT_C:g} °C is the end, whatever the test shows.")
    return cautions
