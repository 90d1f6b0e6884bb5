"""What an hour costs, against sums by hand."""

from __future__ import annotations

import unittest

from hypothesis import given
from hypothesis import strategies as st

from meanbead.core.estimate import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.formulas.running import ELECTRONICS_W, energy_kwh, machine_cost
from meanbead.core.model import Material, Printer, Recipe
from tests.support.solids import box


class Running(unittest.TestCase):
    def test_a_metered_machine_takes_its_watts_for_the_whole_time(self) -> None:
        printer = Printer(power_w=150, price_per_kwh=0.4, wear_per_h=0.25)
        cost = machine_cost(printer, 215, 60, 200, 7200, 30_000, Material())
        self.assertAlmostEqual(cost.power, 0.150 * 2 * 0.4)
        self.assertAlmostEqual(cost.wear, 0.5)

    def test_heaters_losses_plastic_and_motors_add_up(self) -> None:
        printer = Printer.model_validate(
            {
                "room_temp_c": 20,
                "hotend": {"heater_w": 40, "loss_w_k": 0.1},
                "bed_heater": {"heater_w": 200, "loss_w_k": 1.0},
            }
        )
        plastic = Material(density_g_cm3=1.25, specific_heat_j_g_k=2.0)
        joule = 240 * 300 + (0.1 * 200 + 1.0 * 40) * (3900 - 300) + 10_000 * 1.25e-3 * 2.0 * 200 + ELECTRONICS_W * 3900
        self.assertAlmostEqual(energy_kwh(printer, 220, 60, 300, 3900, 10_000, plastic), joule / 3.6e6)
        cold = printer.model_copy(update={"bed_heater": printer.bed_heater.model_copy(update={"heater_w": 0})})
        self.assertLess(energy_kwh(cold, 220, 60, 300, 3900, 10_000, plastic), joule / 3.6e6 / 2)

    @given(st.floats(0.05, 3), st.floats(0, 5))
    def test_an_estimate_tells_each_line_and_their_sum(self, per_kwh: float, per_h: float) -> None:
        printer = Printer(price_per_kwh=per_kwh, wear_per_h=per_h)
        found = ENGINE.estimate(PrintJob(BLOCK, Recipe(), printer, material=Material(spool_price=18, spool_g=750)), 6)
        self.assertAlmostEqual(found.filament_cost, found.filament_g * 18 / 750)
        self.assertAlmostEqual(found.wear_cost, found.whole_time_s / 3600 * per_h)
        self.assertAlmostEqual(found.cost, found.filament_cost + found.power_cost + found.wear_cost)


ENGINE, BLOCK = Engine(), box(16, 12, 5)
