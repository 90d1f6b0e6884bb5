import math
import unittest

from meanbead.core.errors import RecipeError
from meanbead.core.formulas.heat import (
    TOUCHABLE_C,
    cool_down_time_s,
    heat_up_time_s,
    machine_cool_down_s,
    machine_heat_up_s,
)
from meanbead.core.model import Printer


class HeatUp(unittest.TestCase):
    def test_agrees_with_small_steps_of_the_heat_balance(self) -> None:
        rise, power, capacity, loss = 188.0, 40.0, 15.0, 0.08
        temperature, seconds, step = 0.0, 0.0, 0.001
        while temperature < rise:
            temperature += step * (power - loss * temperature) / capacity
            seconds += step
        self.assertAlmostEqual(heat_up_time_s(rise, power, capacity, loss), seconds, places=1)

    def test_without_losses_it_is_energy_over_power(self) -> None:
        self.assertAlmostEqual(heat_up_time_s(100, 50, 20, 1e-9), 100 * 20 / 50, places=4)

    def test_bounds(self) -> None:
        self.assertEqual(heat_up_time_s(0, 40, 15, 0.08), 0)
        self.assertTrue(math.isinf(heat_up_time_s(600, 40, 15, 0.08)))
        self.assertTrue(math.isinf(heat_up_time_s(10, 0, 15, 0.08)))

    def test_machine_waits_for_the_slower_of_both(self) -> None:
        printer = Printer()
        self.assertGreater(machine_heat_up_s(printer, 210, 100), machine_heat_up_s(printer, 210, 55))
        no_bed = Printer.model_validate({"bed_heater": {"heater_w": 0}})
        self.assertLess(machine_heat_up_s(no_bed, 210, 55), machine_heat_up_s(printer, 210, 55))

    def test_bed_first_takes_the_sum_of_both(self) -> None:
        habits = [Printer.model_validate({"heating": habit}) for habit in ("together", "bed_first")]
        together, in_turn = (machine_heat_up_s(entry, 210, 60) for entry in habits)
        hotend, bed = habits[0].hotend, habits[0].bed_heater
        nozzle_s = heat_up_time_s(188, hotend.heater_w, hotend.heat_capacity_j_k, hotend.loss_w_k)
        bed_s = heat_up_time_s(38, bed.heater_w, bed.heat_capacity_j_k, bed.loss_w_k)
        self.assertAlmostEqual(together, max(nozzle_s, bed_s))
        self.assertAlmostEqual(in_turn, nozzle_s + bed_s)

    def test_weak_heaters_are_named(self) -> None:
        for keys, temps, field in (
            ({"hotend": {"heater_w": 10}}, (250, 60), "nozzle_temp_c"),
            ({"bed_heater": {"heater_w": 60}}, (210, 100), "bed_temp_c"),
        ):
            with self.assertRaises(RecipeError) as caught:
                machine_heat_up_s(Printer.model_validate(keys), *temps)
            self.assertEqual(caught.exception.field, field)


class CoolDown(unittest.TestCase):
    def test_agrees_with_small_steps_of_the_heat_balance(self) -> None:
        above, seconds, step = 188.0, 0.0, 0.005
        while above > 23.0:
            above -= step * 0.08 * above / 15
            seconds += step
        self.assertAlmostEqual(cool_down_time_s(188, 23, 15, 0.08), seconds, delta=0.3)

    def test_a_machine_is_cool_when_its_last_part_is(self) -> None:
        for nozzle_c, bed_c, room_c in ((250, 50, 22), (200, 110, 22), (240, 80, 38), (240, 80, 60)):
            printer = Printer(room_temp_c=room_c)
            rest_k = 5.0 if room_c > TOUCHABLE_C - 5 else 45.0 - room_c
            hotend, bed = printer.hotend, printer.bed_heater
            nozzle_s = hotend.heat_capacity_j_k / hotend.loss_w_k * math.log((nozzle_c - room_c) / rest_k)
            bed_s = bed.heat_capacity_j_k / bed.loss_w_k * math.log((bed_c - room_c) / rest_k)
            self.assertAlmostEqual(machine_cool_down_s(printer, nozzle_c, bed_c), max(nozzle_s, bed_s, 0.0), places=6)
        unheated = Printer.model_validate({"bed_heater": {"heater_w": 0}})
        alone = cool_down_time_s(210 - 22, 23, unheated.hotend.heat_capacity_j_k, unheated.hotend.loss_w_k)
        self.assertAlmostEqual(machine_cool_down_s(unheated, 210, 110), alone, places=6)

    def test_never_runs_backwards_and_waits_for_the_slower(self) -> None:
        self.assertEqual(cool_down_time_s(10, 20, 15, 0.08), 0)
        hot = machine_cool_down_s(Printer(), 210, 100)
        self.assertGreater(hot, machine_cool_down_s(Printer(), 210, 60))
        self.assertTrue(math.isfinite(machine_cool_down_s(Printer(room_temp_c=55), 210, 60)))
