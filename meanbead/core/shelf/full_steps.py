"""Layer heights that land on whole motor steps, up to a nozzle's ceiling."""

from __future__ import annotations

import math

from meanbead.core.model.base import Result
from meanbead.core.model.house import HouseRules
from meanbead.core.model.nozzle import Nozzle
from meanbead.core.model.printer import Printer
from meanbead.core.rules.bead import LOWEST_PER_BORE
from meanbead.core.rules.rule_input import CEILING_BORES

__all__ = ["StepHeight", "full_step_heights"]


class StepHeight(Result):
    """A height of so many full motor steps, mm, and as a share of the bore."""

    height_mm: float
    steps: int
    bores: float


def full_step_heights(printer: Printer, nozzle: Nozzle, house: HouseRules) -> list[StepHeight]:
    """Every height on whole steps from a quarter of the bore to the house's ceiling; none where the step is not known."""
    step = printer.z_step_mm
    if step is None:
        return []
    low, high = LOWEST_PER_BORE * nozzle.bore_mm, CEILING_BORES[house.layer_height_ceiling] * nozzle.bore_mm
    first, last = math.ceil(low / step - 1e-6), math.floor(high / step + 1e-6)
    return [
        StepHeight(height_mm=round(count * step, 5), steps=count, bores=count * step / nozzle.bore_mm)
        for count in range(max(first, 1), last + 1)
    ]
