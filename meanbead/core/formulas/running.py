"""What an hour of the machine costs: its electricity, and its wear.

Electricity, where the machine's average watts are not given: while it heats up both heaters run at full power; after that
they make good what nozzle and bed lose to the room, ``g (T - T0)``, and melt the plastic, ``V rho c (T - T0)``; motors,
fans and board take :data:`ELECTRONICS_W` throughout. Validity: within about a quarter for machines in the open; an
enclosed bed loses less. A meter at the plug tells, and its watts replace this.
"""

from __future__ import annotations

from dataclasses import dataclass

from meanbead.core.model.material import Material
from meanbead.core.model.printer import Printer

__all__ = ["ELECTRONICS_W", "MachineCost", "energy_kwh", "machine_cost"]

ELECTRONICS_W = 25.0
"""Motors that hold and move, fans, board and display. Typical."""

_J_PER_KWH = 3.6e6


@dataclass(frozen=True)
class MachineCost:
    """What a print costs beside its filament, in the workshop's money."""

    power: float
    wear: float


def energy_kwh(
    printer: Printer,
    nozzle_temp_c: float,
    bed_temp_c: float,
    heat_up_s: float,
    whole_s: float,
    filament_mm3: float,
    material: Material,
) -> float:
    """Electricity of a whole print, kWh: the machine's own average, or what its heaters take; see the module's text."""
    if printer.power_w is not None:
        return printer.power_w * whole_s / _J_PER_KWH
    room = printer.room_temp_c
    holding_w = printer.hotend.loss_w_k * max(nozzle_temp_c - room, 0.0)
    heating_w = printer.hotend.heater_w
    if printer.bed_heater.heater_w > 0:
        holding_w += printer.bed_heater.loss_w_k * max(bed_temp_c - room, 0.0)
        heating_w += printer.bed_heater.heater_w
    melting_j = filament_mm3 * material.density_g_cm3 / 1000 * material.specific_heat_j_g_k * (nozzle_temp_c - room)
    held_s = max(whole_s - heat_up_s, 0.0)
    return (heating_w * heat_up_s + holding_w * held_s + melting_j + ELECTRONICS_W * whole_s) / _J_PER_KWH


def machine_cost(
    printer: Printer,
    nozzle_temp_c: float,
    bed_temp_c: float,
    heat_up_s: float,
    whole_s: float,
    filament_mm3: float,
    material: Material,
) -> MachineCost:
    """Electricity at its price, and wear by the hour."""
    energy = energy_kwh(printer, nozzle_temp_c, bed_temp_c, heat_up_s, whole_s, filament_mm3, material)
    return MachineCost(power=energy * printer.price_per_kwh, wear=whole_s / 3600 * printer.wear_per_h)
