"""Nothing narrower than a line stays open between walls, and nothing is laid twice: sheets and cups of any thickness, by what
crosses a section of them."""

import unittest
from typing import Any

import manifold3d
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from meanbead.core.formulas.bead import SIDE_LOSS, bead_spacing_mm
from meanbead.core.part.solid import Solid
from meanbead.core.strokes import Feature, Strokes
from tests.core.strokes.test_widths import planned
from tests.running.effort import cases
from tests.support.solids import box, solid_of

BOTTOM, MIDDLE, TOP = 1, 6, 11
HALF_MM = 12.0


def share_across(strokes: Strokes, layer: int, thick_mm: float) -> float:
    """Plastic within 12 mm of a sheet's middle over what the sheet holds there, less the rounded sides of its faces."""
    rows = (strokes.layer == layer) & ~strokes.is_travel
    x0, x1 = strokes.start_xy[rows, 0], strokes.end_xy[rows, 0]
    low, high = np.minimum(x0, x1), np.maximum(x0, x1)
    inside = np.minimum(high, HALF_MM) - np.maximum(low, -HALF_MM)
    upright = high - low < 1e-9
    part = np.where(upright, np.abs(low) < HALF_MM, np.maximum(inside, 0.0) / np.where(upright, 1.0, high - low))
    height = float(strokes.layers.height_mm[layer])
    laid = float((part * strokes.length_mm[rows] * strokes.area_mm2[rows]).sum()) / height
    return laid / (2 * HALF_MM * (thick_mm - SIDE_LOSS * height))


def cup(thin_mm: float, thick_mm: float, height_mm: float = 12.0) -> Solid:
    """A cup without a floor, whose wall grows thicker towards its rim."""
    outside = manifold3d.Manifold.cylinder(height_mm, 14, 14, 128)
    return solid_of(outside - manifold3d.Manifold.cylinder(height_mm, 14 - thin_mm, 14 - thick_mm, 128))


class Sheets(unittest.TestCase):
    @settings(max_examples=cases(60, 3000), deadline=None)
    @given(
        st.sampled_from([0.25, 0.4, 0.6, 1.0]),
        st.integers(1, 4),
        st.sampled_from([0.0, 0.08, 0.3, 1.0]),
        st.floats(0.5, 6.0),
    )
    def test_a_wall_is_full_as_long_as_less_than_a_line_is_left(
        self, bore: float, walls: int, density: float, thick: float
    ) -> None:
        line = bead_spacing_mm(1.1 * bore, bore / 2)
        lines = (thick - SIDE_LOSS * bore / 2) / line
        if lines < 0.62:
            return  # nothing fits: see test_thin
        sheet = planned(box(40, thick, 6 * bore), bore, walls=walls, infill={"density": density})
        for layer in (BOTTOM, TOP):
            self.assertAlmostEqual(share_across(sheet, layer, thick), 1, delta=0.02, msg=f"layer {layer}")
        if lines - 2 * walls < 0.99 or density == 1.0:
            share = share_across(sheet, MIDDLE, thick)
            self.assertGreater(share, 0.995)
            self.assertLess(share, 1.02)
            self.assertEqual(sheet.areas.void_mm2[MIDDLE], 0)

    def test_lines_of_other_widths_leave_nothing_open_either(self) -> None:
        """Narrow outside, wide inside, infill wider still: the strip is below an infill line for long."""
        widths = {"outer_wall": 0.5, "inner_wall": 0.85, "solid": 0.66, "infill": 0.9}
        loss = 0.3 * SIDE_LOSS
        for walls, taken in ((1, 2 * (0.5 - loss)), (2, 2 * (0.5 + 0.85 - 2 * loss))):
            for left in np.arange(0.03, 0.82, 0.079):
                thick = taken + float(left) + loss
                sheet = planned(box(40, thick, 3.6), 0.6, walls=walls, infill={"density": 0.1}, line_width_mm=widths)
                self.assertAlmostEqual(
                    share_across(sheet, MIDDLE, thick), 1, delta=0.01, msg=f"{walls} walls, {left:.2f}"
                )

    def test_a_strip_wider_than_a_line_keeps_its_infill(self) -> None:
        line = bead_spacing_mm(0.44, 0.2)
        thick = 5.5 * line + 0.2 * SIDE_LOSS
        sheet = planned(box(40, thick, 2.4), walls=2, infill={"density": 0.15})
        rows = (sheet.layer == MIDDLE) & ~sheet.is_travel
        self.assertNotIn(int(Feature.SOLID), sheet.feature[rows].tolist())
        self.assertLess(share_across(sheet, MIDDLE, thick), 0.9)


class Cups(unittest.TestCase):
    def check(self, **keys: Any) -> int:
        thin, thick, height = 1.3, 2.9, 12.0
        made = planned(cup(thin, thick, height), layer_height_mm=0.2, top_layers=0, bottom_layers=0, **keys)
        line, full = bead_spacing_mm(0.44, 0.2), 0
        for layer in range(2, len(made.layers) - 2):
            wall = thin + (thick - thin) * float(made.layers.middle_mm[layer]) / height - 0.2 * SIDE_LOSS
            if wall / line - 2 * made_walls(keys) >= 0.97:
                continue
            rows = (made.layer == layer) & ~made.is_travel
            laid = float((made.length_mm * made.area_mm2)[rows].sum()) / 0.2
            ring = np.pi * (2 * (14 - 0.1 * SIDE_LOSS) - wall) * wall
            self.assertAlmostEqual(laid / ring, 1, delta=0.012, msg=f"layer {layer}, a wall of {wall / line:.2f} lines")
            full += 1
        return full

    def test_a_wall_that_grows_thicker_shows_no_groove_round_its_rim(self) -> None:
        self.assertGreater(self.check(walls=2, infill={"density": 0.15}), 20)
        self.assertGreater(self.check(walls=3, infill={"density": 0.0}), 40)


def made_walls(keys: dict[str, Any]) -> int:
    return int(keys["walls"])


class Wedges(unittest.TestCase):
    def test_strokes_are_as_wide_as_the_strip_where_they_are(self) -> None:
        """A wall that grows from 0.5 to 1.3 mm over 40 mm: each stroke by the wall's own width at its middle."""
        wedge = manifold3d.CrossSection([[(-20, -0.25), (20, -0.65), (20, 0.65), (-20, 0.25)]])
        made = planned(solid_of(wedge.extrude(2.4)), walls=1, infill={"density": 0.0})
        rows = (made.layer == MIDDLE) & (made.feature == Feature.THIN_WALL) & (made.length_mm > 0.1)
        middle = (made.start_xy[rows] + made.end_xy[rows]) / 2
        x0 = float(np.min(np.minimum(made.start_xy[:, 0], made.end_xy[:, 0])[made.layer == MIDDLE]))
        wall = 0.5 + 0.8 * (middle[:, 0] - x0) / 40 - 0.2 * SIDE_LOSS
        own = made.width_mm[rows] - 0.2 * SIDE_LOSS
        strokes = np.round(wall / own)
        self.assertEqual(set(strokes.tolist()), {1.0, 2.0})
        np.testing.assert_allclose(own * strokes, wall, rtol=0.06)


if __name__ == "__main__":
    unittest.main()
