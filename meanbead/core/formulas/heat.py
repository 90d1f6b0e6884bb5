"""Heating up and cooling down: nozzle and bed as lumps of heat.

One lump of capacity ``C`` heated by ``P`` and losing ``g`` per kelvin follows ``C dT/dt = P - g (T - T0)``, so it
reaches ``T`` after ``t = -(C/g) ln(1 - g (T - T0) / P)``; without power it falls from ``T`` to ``T1`` in
``t = (C/g) ln((T - T0) / (T1 - T0))``. Valid while the lump is nearly even in temperature.
"""

from __future__ import annotations

import math

from meanbead.core.errors import RecipeError
from meanbead.core.model.printer import Printer

__all__ = ["TOUCHABLE_C", "cool_down_time_s", "heat_up_time_s", "machine_cool_down_s", "machine_heat_up_s"]

TOUCHABLE_C = 45.0
"""Surfaces up to about here can be touched, and most plastics let go of the bed."""


def heat_up_time_s(rise_k: float, power_w: float, capacity_j_k: float, loss_w_k: float) -> float:
    """Time to warm a lump by ``rise_k``, s; infinite when the power cannot hold that temperature."""
    if rise_k <= 0:
        return 0.0
    reach = loss_w_k * rise_k / power_w if power_w > 0 else math.inf
    if reach >= 1:
        return math.inf
    return -(capacity_j_k / loss_w_k) * math.log1p(-reach)


def machine_heat_up_s(printer: Printer, nozzle_temp_c: float, bed_temp_c: float) -> float:
    """Time until bed and nozzle are both hot, s: the slower one's where both heat at once, the sum of both where the
    machine's habit is to heat the bed first. (The bed then cools nothing; what the warm bed does for the nozzle is left
    out.)

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
    return bed_s + nozzle_s if printer.heating == "bed_first" else max(nozzle_s, bed_s)


def cool_down_time_s(from_k: float, to_k: float, capacity_j_k: float, loss_w_k: float) -> float:
    """Time for an unheated lump to fall from ``from_k`` to ``to_k`` kelvin above the room, s; ``to_k`` above 0."""
    return capacity_j_k / loss_w_k * math.log(from_k / to_k) if from_k > to_k else 0.0


def machine_cool_down_s(printer: Printer, nozzle_temp_c: float, bed_temp_c: float) -> float:
    """Time until nozzle and bed have fallen to :data:`TOUCHABLE_C`, or near the room if that is warmer, s.

    Without a part fan or a draught, so an upper guess for nozzles; a caution, not a permission to touch.
    """
    room = printer.room_temp_c
    rest_k = max(TOUCHABLE_C - room, 5.0)
    lumps = [(nozzle_temp_c, printer.hotend.heat_capacity_j_k, printer.hotend.loss_w_k)]
    if printer.bed_heater.heater_w > 0:
        lumps.append((bed_temp_c, printer.bed_heater.heat_capacity_j_k, printer.bed_heater.loss_w_k))
    return max(cool_down_time_s(temp - room, rest_k, capacity, loss) for temp, capacity, loss in lumps)
