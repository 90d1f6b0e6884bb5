"""Typical plastics and machines, full-step heights and dryness."""

from __future__ import annotations

import itertools
import unittest
from datetime import date, timedelta

from hypothesis import given
from hypothesis import strategies as st

from meanbead.core.formulas.melt import melt_ceiling
from meanbead.core.model import Material, Nozzle, Printer, Spool
from meanbead.core.model.house import HouseRules
from meanbead.core.model.printer import ZScrew
from meanbead.core.shelf import Answers, dryness, full_step_heights, typical_plastics, typical_printer
from meanbead.core.shelf.wizard import HOTENDS

TODAY = date(2026, 5, 20)
THIRSTY = Material(name="Nylon", damp_prone=True, open_hours=48, drying_temp_c=75, drying_h=10)


class Plastics(unittest.TestCase):
    def test_each_is_typical_named_once_and_within_its_own_window(self) -> None:
        names = [plastic.name for plastic in typical_plastics()]
        self.assertEqual(len(names), len(set(names)))
        self.assertGreaterEqual(len(names), 15)
        for plastic in typical_plastics():
            self.assertEqual(plastic.source, "typical")
            self.assertLess(plastic.flow_temp_c, plastic.nozzle_temp_min_c)

    def test_what_can_hurt_or_wear_is_marked(self) -> None:
        for plastic in typical_plastics():
            name = plastic.name.lower()
            filled = "with carbon" in name
            self.assertEqual(plastic.abrasive, filled, name)
            styrenic = name in ("abs", "asa", "hips") or "abs" in name
            self.assertTrue(
                plastic.ventilate or not (styrenic or filled or "nylon" in name or "carbonate" in name), name
            )
            if plastic.damp_prone:
                self.assertTrue(plastic.open_hours and plastic.drying_temp_c and plastic.drying_h, name)
                # Dried well below where it would soften on the spool.
                self.assertLess(plastic.drying_temp_c or 0, plastic.nozzle_temp_min_c - 100)


class MeltsByKind(unittest.TestCase):
    def test_the_kinds_of_hot_end_lie_where_practice_has_them(self) -> None:
        expected = {"short_lined": (8, 12), "short": (8, 12), "long": (15, 25), "split": (25, 40)}
        for kind, (low, high) in expected.items():
            printer = Printer(hotend=HOTENDS[kind])  # type: ignore[index]
            knee = melt_ceiling(printer, Nozzle(), Material(), 215).knee_mm3_s
            self.assertTrue(low <= knee <= high, f"{kind}: {knee:.1f}")

    def test_split_channels_may_be_the_nozzles_own(self) -> None:
        long = Printer(hotend=HOTENDS["long"])
        plain, split = (
            melt_ceiling(long, Nozzle(shape=shape), Material(), 215).knee_mm3_s for shape in ("plain", "split_flow")
        )
        self.assertGreater(split, 1.4 * plain)
        known = melt_ceiling(long, Nozzle(), Material(max_flow_mm3_s=6.5), 215)
        self.assertEqual((known.plan_mm3_s, known.bound, known.source), (6.5, "known", "set"))
        idle = melt_ceiling(long, Nozzle(), Material(max_flow_mm3_s=200), 215)
        self.assertNotEqual(idle.bound, "known")


class Wizard(unittest.TestCase):
    def test_every_answer_shows_in_the_description(self) -> None:
        frames = ("light_bed", "stiff_bed", "gantry", "coupled_gantry")
        for frame, hotend, drive in itertools.product(frames, HOTENDS, ("direct", "long_tube")):
            printer = typical_printer(Answers.model_validate({"frame": frame, "hotend": hotend, "drive": drive}))
            self.assertEqual((printer.drive, printer.hotend), (drive, HOTENDS[hotend]))
            self.assertEqual(printer.limits_source, "typical")
            # What it prints at shows clean, and the axes have more.
            self.assertLessEqual(printer.acceleration_mm_s2.print, printer.clean_acceleration)
            self.assertGreaterEqual(printer.max_acceleration_mm_s2.x, 2 * printer.clean_acceleration)
        stiffer = [typical_printer(Answers.model_validate({"frame": frame})).clean_acceleration for frame in frames]
        self.assertEqual(stiffer, sorted(stiffer))
        self.assertEqual(stiffer[0], 800)

    def test_a_bed_without_heat_draws_nothing_and_a_larger_one_more(self) -> None:
        cold = typical_printer(Answers(heated=False))
        large = typical_printer(Answers.model_validate({"bed_mm": {"x": 440, "y": 220, "z": 250}}))
        self.assertEqual(cold.bed_heater.heater_w, 0)
        self.assertAlmostEqual(
            large.bed_heater.heater_w / typical_printer(Answers()).bed_heater.heater_w, 2, delta=0.01
        )


class FullSteps(unittest.TestCase):
    @given(st.sampled_from([2.0, 4.0, 8.0, 10.0]), st.sampled_from([200, 400]), st.sampled_from([1.0, 2.5, 4.0]))
    def test_the_step_is_lead_over_steps_and_gearing(self, lead: float, steps: int, gearing: float) -> None:
        screw = ZScrew(lead_mm=lead, steps_per_turn=steps, gearing=gearing)
        printer = Printer.model_validate({"z_screw": screw.model_dump(), "z_step_mm": 0.5})
        self.assertAlmostEqual(printer.z_step_mm or 0, lead / (steps * gearing), places=6)

    @given(st.sampled_from([0.01, 0.02, 0.025, 0.04, 0.05, 0.3]), st.floats(0.15, 1.2))
    def test_all_heights_and_no_other_from_a_quarter_of_the_bore_to_the_ceiling(self, step: float, bore: float) -> None:
        nozzle = Nozzle(bore_mm=round(bore, 2))
        for school, ceiling in (("four_fifths", 0.8), ("three_quarters", 0.75)):
            house = HouseRules.model_validate({"layer_height_ceiling": school})
            told = {height.steps for height in full_step_heights(Printer(z_step_mm=step), nozzle, house)}
            low, high = 0.25 * nozzle.bore_mm, ceiling * nozzle.bore_mm
            expected = {k for k in range(1, 200) if low - 1e-6 * step <= k * step <= high + 1e-6 * step}
            self.assertEqual(told, expected)

    def test_an_unknown_step_has_none(self) -> None:
        self.assertEqual(full_step_heights(Printer(), Nozzle(), HouseRules()), [])


class Dryness(unittest.TestCase):
    def state(self, days: int | None, material: Material = THIRSTY, **known: object) -> str:
        on = None if days is None else TODAY - timedelta(days=days)
        return dryness(material, Spool.model_validate({"dried_on": on} | known), TODAY).state

    def test_it_wears_off_by_the_plastics_own_hours(self) -> None:
        self.assertEqual([self.state(days) for days in (0, 1, 2, 3)], ["dry", "dry", "doubtful", "damp"])

    def test_desiccant_and_a_dry_box_keep_it_longer(self) -> None:
        self.assertEqual([self.state(9, kept=kept) for kept in ("open", "sealed", "dry_box")], ["damp", "dry", "dry"])
        self.assertEqual([self.state(25, kept=kept) for kept in ("open", "sealed", "dry_box")], ["damp", "damp", "dry"])

    def test_a_drying_that_was_too_short_or_cool_is_doubted(self) -> None:
        self.assertEqual(self.state(0, dried_h=4), "doubtful")
        self.assertEqual(self.state(0, dried_temp_c=55), "doubtful")
        self.assertEqual(self.state(0, dried_h=9, dried_temp_c=74), "dry")
        # Weakly dried and long ago is damp like any other.
        self.assertEqual(self.state(30, dried_h=4), "damp")
        told = dryness(THIRSTY, Spool(dried_on=TODAY, dried_h=4), TODAY)
        self.assertEqual(told.sentence, "It was dried today, but for 4 h only, and it takes about 10 h.")

    def test_a_day_knows_nothing_of_a_later_drying(self) -> None:
        self.assertEqual([self.state(days) for days in (-1, -2, -30)], ["dry", "unknown", "unknown"])
        told = dryness(THIRSTY, Spool(dried_on=TODAY + timedelta(days=3)), TODAY)
        self.assertRegex(
            told.sentence, rf"it was dried only later, on {TODAY + timedelta(days=3)}: how dry it was is not known"
        )

    def test_what_drinks_slowly_hardly_matters_and_what_nobody_said_is_not_known(self) -> None:
        self.assertEqual(self.state(400, Material()), "hardly_matters")
        self.assertEqual(self.state(None), "unknown")
        # Opened after it was dried counts from the opening.
        self.assertEqual(self.state(30, opened_on=TODAY - timedelta(days=1)), "dry")

    @given(st.integers(0, 400), st.integers(1, 400), st.sampled_from(["open", "sealed", "dry_box"]))
    def test_no_spool_dries_by_lying_there(self, days: int, later: int, kept: str) -> None:
        order = ["dry", "doubtful", "damp"]
        now, then = (order.index(self.state(age, kept=kept)) for age in (days, days + later))
        self.assertLessEqual(now, then)
