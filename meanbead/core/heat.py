"""Heating up: nozzle and bed as lumps of heat.

One lump of capacity ``C`` heated by ``P`` and losing ``g`` per kelvin follows ``C dT/dt = P - g (T - T0)``, so it
reaches ``T`` after ``t = -(C/g) ln(1 - g (T - T0) / P)``. Valid while the lump is nearly even in temperature.
"""

from __future__ import annotations

import math

from meanbead.core.errors import RecipeError
from meanbead.core.vocabulary.printer import Printer


def heat_up_time_s(rise_k: float, power_w: float, capacity_j_k: float, loss_w_k: float) -> float:
    """Time to warm a lump by ``rise_k``, s; infinite when the power cannot hold that temperature."""
    if rise_k <= 0:
        return 0.0
    reach = loss_w_k * rise_k / power_w if power_w > 0 else math.inf
    if reach >= 1:
        return math.inf
    return -(capacity_j_k / loss_w_k) * math.log1p(-reach)


def machine_heat_up_s(printer: Printer, nozzle_temp_c: float, bed_temp_c: float) -> float:
    """Time until bed and nozzle are both hot, s, when they heat at the same time.

    Raises :class:`RecipeError` when a heater is too weak for the temperature asked for.
    """
    hotend, bed, room = printer.hotend, printer.bed_heater, printer.room_temp_c
    nozzle_s = heat_up_time_s(nozzle_temp_c - room, hotend.heater_w, hotend.heat_capacity_j_k, hotend.loss_w_k)
    if math.isinf(nozzle_s):
        raise RecipeError(
            f"The heater ({hotend.heater_w:g} W) cannot reach {nozzle_temp_c:g} °C.",
            field="nozzle_temp_c",
            remedy="Lower the temperature, or check the heater's watts in the machine's description.",
        )
    if bed.heater_w == 0:
        return nozzle_s
    bed_s = heat_up_time_s(bed_temp_c - room, bed.heater_w, bed.heat_capacity_j_k, bed.loss_w_k)
    if math.isinf(bed_s):
        raise RecipeError(
            f"The bed heater ({bed.heater_w:g} W) cannot reach {bed_temp_c:g} °C.",
            field="bed_temp_c",
            remedy="Lower the bed temperature, or check the bed's watts in the machine's description.",
        )
    return max(nozzle_s, bed_s)
