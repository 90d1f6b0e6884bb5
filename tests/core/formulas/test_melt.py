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
        small = melt_ceiling(PRINTER, Nozzle(bore_mm=0.2), PLA, 210)
        self.assertLess(small.knee_mm3_s, base / 2)
        self.assertEqual(small.bound, "push")

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
