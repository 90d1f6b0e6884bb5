import math
import unittest

from hypothesis import given
from hypothesis import strategies as st
from shapely import LineString

from meanbead.core.errors import RecipeError
from meanbead.core.formulas.bead import (
    bead_area_mm2,
    bead_spacing_mm,
    filament_length_mm,
    filament_mass_g,
    speed_for_flow_mm_s,
    width_for_spacing_mm,
)

heights = st.floats(0.05, 1.0)
widths = st.floats(1.0, 3.0)


class BeadArea(unittest.TestCase):
    @given(heights, widths)
    def test_is_the_area_of_a_stadium_drawn_by_a_geometry_library(self, height: float, width: float) -> None:
        # A stadium is a segment of length w - h, thickened by h / 2; 512 sides per quarter leave 1e-6 of error.
        drawn = LineString([(0, 0), (width - height, 0)]).buffer(height / 2, quad_segs=512).area
        self.assertAlmostEqual(bead_area_mm2(width, height) / drawn, 1.0, places=5)

    def test_of_a_round_strand_is_a_circle(self) -> None:
        self.assertAlmostEqual(bead_area_mm2(0.4, 0.4), math.pi * 0.04)

    def test_refuses_a_strand_narrower_than_high(self) -> None:
        with self.assertRaises(RecipeError) as caught:
            bead_area_mm2(0.2, 0.3)
        self.assertEqual(caught.exception.field, "line_width_mm")
        self.assertIn("0.3 mm wide", str(caught.exception))

    def test_refuses_what_is_narrower_by_a_hair(self) -> None:
        with self.assertRaises(RecipeError):
            bead_area_mm2(0.3 - 1e-6, 0.3)
        self.assertAlmostEqual(bead_area_mm2(0.3 - 1e-12, 0.3), math.pi * 0.0225)

    def test_refuses_a_height_of_nothing(self) -> None:
        with self.assertRaises(RecipeError):
            bead_area_mm2(0.4, 0)


class BeadSpacing(unittest.TestCase):
    @given(heights, widths)
    def test_fills_a_layer_exactly(self, height: float, width: float) -> None:
        self.assertAlmostEqual(bead_spacing_mm(width, height) * height, bead_area_mm2(width, height))

    @given(heights, widths)
    def test_goes_back_to_the_width(self, height: float, width: float) -> None:
        self.assertAlmostEqual(width_for_spacing_mm(bead_spacing_mm(width, height), height), width)


class Filament(unittest.TestCase):
    def test_a_metre_of_1_75_mm_pla_weighs_three_grams(self) -> None:
        # Published everywhere on spools: about 335 m to the kilogram.
        volume = math.pi * 1.75**2 / 4 * 1000
        self.assertAlmostEqual(filament_mass_g(volume, 1.24), 2.98, places=2)
        self.assertAlmostEqual(filament_length_mm(volume, 1.75), 1000)

    def test_a_cubic_centimetre_weighs_its_density(self) -> None:
        self.assertAlmostEqual(filament_mass_g(1000.0, 1.24), 1.24, places=12)

    def test_flow_and_speed_are_each_others_inverse(self) -> None:
        self.assertAlmostEqual(speed_for_flow_mm_s(8.0, 0.08), 100)
