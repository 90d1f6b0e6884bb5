import math
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from meanbead.core.formulas.melt import (
    centre_excess,
    fourier_for_excess,
    heater_bound_mm3_s,
    melt_ceiling,
    temperature_for_flow_c,
)
from meanbead.core.model import Material, Nozzle, Printer
from meanbead.core.model.measured import KnownFlow

PRINTER, NOZZLE, PLA = Printer(), Nozzle(), Material()


def centre_by_finite_differences(fourier: float, rings: int = 200) -> float:
    """Radial heat equation in a cylinder, wall held at 0, start at 1; explicit steps. Slow, and shares no formula."""
    r = (np.arange(rings) + 0.5) / rings
    dr = 1.0 / rings
    temperature = np.ones(rings)
    dt = 0.2 * dr**2
    inner, outer = r - dr / 2, r + dr / 2
    for _ in range(round(fourier / dt)):
        right = np.append(temperature[1:], -temperature[-1])  # mirror: the wall itself is 0
        left = np.append(temperature[0], temperature[:-1])
        flux = outer * (right - temperature) - inner * (temperature - left)
        temperature = temperature + dt / dr**2 * flux / r
    return float(temperature[0])


class Conduction(unittest.TestCase):
    def test_series_agrees_with_a_finite_difference_solution(self) -> None:
        for fourier in (0.02, 0.1, 0.3):
            self.assertAlmostEqual(centre_excess(fourier), centre_by_finite_differences(fourier, 80), places=3)

    def test_one_term_of_the_textbook_chart(self) -> None:
        # Heisler's one-term approximation for an infinite cylinder: 1.602 exp(-5.783 Fo), good above Fo = 0.2.
        for fourier in (0.25, 0.5, 1.0):
            self.assertAlmostEqual(centre_excess(fourier), 1.6020 * math.exp(-5.7832 * fourier), delta=0.001)

    @given(st.floats(0.01, 0.95))
    def test_inverse(self, excess: float) -> None:
        self.assertAlmostEqual(centre_excess(fourier_for_excess(excess)), excess, places=7)

    def test_inverse_refuses_what_never_happens(self) -> None:
        for excess in (0.0, 1.0, 1.5):
            with self.assertRaises(ValueError):
                fourier_for_excess(excess)


class Ceiling(unittest.TestCase):
    def test_a_plain_hot_end_melts_about_ten(self) -> None:
        # A 12 mm melt zone and a 0.4 brass bore are known for 8 to 12 mm3/s of PLA near 210 degrees.
        self.assertTrue(8 < melt_ceiling(PRINTER, NOZZLE, PLA, 210).knee_mm3_s < 12)

    def test_order_of_the_three_limits(self) -> None:
        ceiling = melt_ceiling(PRINTER, NOZZLE, PLA, 210)
        self.assertAlmostEqual(ceiling.plan_mm3_s, 0.9 * ceiling.knee_mm3_s)
        self.assertLess(ceiling.knee_mm3_s, ceiling.skip_mm3_s)
        self.assertEqual(ceiling.source, "typical")

    @given(st.floats(185, 260), st.floats(1, 30))
    def test_hotter_melts_more(self, temp: float, step: float) -> None:
        strong = Printer.model_validate({"hotend": {"heater_w": 400}})
        first, second = (melt_ceiling(strong, NOZZLE, PLA, t).knee_mm3_s for t in (temp, temp + step))
        self.assertGreater(second, first)

    def test_longer_zone_better_metal_larger_bore_melt_more(self) -> None:
        base = melt_ceiling(PRINTER, NOZZLE, PLA, 210).knee_mm3_s
        long = Printer.model_validate({"hotend": {"melt_zone_mm": 21}})
        split = Printer.model_validate({"hotend": {"channels": 3}})
        self.assertGreater(melt_ceiling(long, NOZZLE, PLA, 210).knee_mm3_s, base)
        self.assertGreater(melt_ceiling(split, NOZZLE, PLA, 210).knee_mm3_s, base)
        self.assertGreater(melt_ceiling(PRINTER, Nozzle(bore_mm=0.6), PLA, 210).knee_mm3_s, base)
        self.assertGreater(melt_ceiling(PRINTER, Nozzle(metal="plated_copper"), PLA, 210).knee_mm3_s, base)
        self.assertLess(melt_ceiling(PRINTER, Nozzle(metal="stainless_steel"), PLA, 210).knee_mm3_s, base)

    def test_bores_hardly_matter_to_where_one_hot_end_begins_to_fall(self) -> None:
        base = melt_ceiling(PRINTER, NOZZLE, PLA, 210).knee_mm3_s
        knees = [melt_ceiling(PRINTER, Nozzle(bore_mm=bore), PLA, 210).knee_mm3_s for bore in (0.25, 0.6, 0.8, 1.0)]
        self.assertEqual(knees, sorted(knees))
        self.assertGreater(knees[0], 0.85 * base)
        self.assertLess(knees[-1], 1.15 * base)
        # A soft plastic is pushed rather than melted, and there the bore tells.
        soft = Material(push_limit_mm3_s=5)
        narrow = melt_ceiling(PRINTER, Nozzle(bore_mm=0.2), soft, 210)
        self.assertLess(narrow.knee_mm3_s, 0.65 * melt_ceiling(PRINTER, NOZZLE, soft, 210).knee_mm3_s)
        self.assertEqual(narrow.bound, "push")

    def test_what_somebody_knows_raises_as_well_as_lowers(self) -> None:
        usual = melt_ceiling(PRINTER, NOZZLE, PLA, PLA.nozzle_temp_c)
        for flow in (3.0, 31.0):
            known = KnownFlow(material=PLA.name, bore_mm=0.4, flow_mm3_s=flow)
            told = Printer(known_flows=(known,))
            found = melt_ceiling(told, NOZZLE, PLA, PLA.nozzle_temp_c)
            self.assertEqual((found.plan_mm3_s, found.source), (flow, "set"))
            # Hotter it moves as the typical figure does.
            hotter = melt_ceiling(told, NOZZLE, PLA, 225).plan_mm3_s / flow
            self.assertAlmostEqual(hotter, melt_ceiling(PRINTER, NOZZLE, PLA, 225).knee_mm3_s / usual.knee_mm3_s)
            for other in (Nozzle(bore_mm=0.6), Nozzle(bore_mm=0.4)):
                where = PLA if other.bore_mm == 0.6 else PLA.model_copy(update={"name": "Another"})
                self.assertEqual(melt_ceiling(told, other, where, 210), melt_ceiling(PRINTER, other, where, 210))
        both = (
            KnownFlow(material=PLA.name, bore_mm=0.4, flow_mm3_s=8),
            KnownFlow(material=PLA.name, bore_mm=0.4, flow_mm3_s=9, metal="brass"),
        )
        self.assertEqual(melt_ceiling(Printer(known_flows=both), NOZZLE, PLA, PLA.nozzle_temp_c).plan_mm3_s, 9)

    def test_a_typical_ceiling_is_a_guess_within_two_fifths(self) -> None:
        found = melt_ceiling(PRINTER, NOZZLE, PLA, 210)
        self.assertAlmostEqual(found.high_mm3_s / found.knee_mm3_s, 1.4)
        self.assertAlmostEqual(found.knee_mm3_s / found.low_mm3_s, 1.4)

    def test_a_weak_heater_binds(self) -> None:
        weak = Printer.model_validate({"hotend": {"heater_w": 19}})
        ceiling = melt_ceiling(weak, NOZZLE, PLA, 210)
        self.assertEqual(ceiling.bound, "heater")
        # By hand: (19 - 0.08 x 188) W / (0.00124 g/mm3 x 1.9 J/gK x 188 K).
        by_hand = (19 - 0.08 * 188) / (0.00124 * 1.9 * 188)
        self.assertAlmostEqual(heater_bound_mm3_s(weak, PLA, 210), by_hand)
        self.assertAlmostEqual(ceiling.knee_mm3_s, by_hand)

    def test_nothing_melts_in_the_cold(self) -> None:
        self.assertEqual(melt_ceiling(PRINTER, NOZZLE, PLA, 140).bound, "too_cold")
        self.assertEqual(melt_ceiling(PRINTER, NOZZLE, PLA, 140).knee_mm3_s, 0)
        self.assertEqual(heater_bound_mm3_s(PRINTER, PLA, 10), 0)

    @given(st.floats(2, 9))
    def test_temperature_for_a_flow_inverts_the_ceiling(self, flow: float) -> None:
        temp = temperature_for_flow_c(PRINTER, NOZZLE, PLA, flow, 280)
        assert temp is not None
        self.assertAlmostEqual(melt_ceiling(PRINTER, NOZZLE, PLA, temp).plan_mm3_s, flow, places=4)

    def test_no_temperature_for_too_much(self) -> None:
        self.assertIsNone(temperature_for_flow_c(PRINTER, NOZZLE, PLA, 80, 280))
