import math
import unittest

import numpy as np
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from meanbead.core.formulas.bead import SIDE_LOSS
from meanbead.core.geometry.offsets import inset
from meanbead.core.strokes import Feature, plan_strokes
from meanbead.core.strokes.thin import FREE_END_WIDTHS, ThinStrokes, strips_of, thin_strokes
from tests.core.strokes.test_planner import HEIGHT, SPACING, WIDTH, length_of, shape_of, volume_of
from tests.running.effort import cases
from tests.support.solids import block, box, cylinder, solid_of

S = 0.4


def middles(*regions: shapely.Geometry, depth: float = S) -> ThinStrokes:
    array, spacing, deep = np.array(regions, dtype=object), np.full(len(regions), S), np.full(len(regions), depth)
    return thin_strokes(strips_of(array, spacing, inset(array, deep), deep), array, spacing, deep)


def lengths(made: ThinStrokes) -> list[float]:
    found = []
    for k in range(len(made.source)):
        points = made.points[made.offsets[k] : made.offsets[k + 1]]
        points = np.vstack([points, points[:1]]) if made.closed[k] else points
        found.append(float(np.hypot(*np.diff(points, axis=0).T).sum()))
    return found


class Middles(unittest.TestCase):
    @settings(max_examples=cases(15, 600), deadline=None)
    @given(st.floats(0.62 * S, 1.45 * S), st.floats(0, math.pi), st.floats(5, 30))
    def test_a_bar_is_one_stroke_of_its_own_width(self, thick: float, angle: float, long: float) -> None:
        bar = shapely.affinity.rotate(shapely.box(0, 0, long, thick), angle, use_radians=True)
        made = middles(bar)
        self.assertEqual(len(made.source), 1)
        np.testing.assert_allclose(made.width_mm, thick, rtol=2e-3)
        # Its round ends fill the last quarter of a width.
        self.assertAlmostEqual(lengths(made)[0], long - 2 * FREE_END_WIDTHS * thick, delta=0.01)

    @settings(max_examples=cases(15, 600), deadline=None)
    @given(st.floats(1.55 * S, 2.55 * S), st.floats(0, math.pi), st.floats(5, 30))
    def test_a_broad_bar_is_one_way_round_of_half_its_width(self, thick: float, angle: float, long: float) -> None:
        made = middles(shapely.affinity.rotate(shapely.box(0, 0, long, thick), angle, use_radians=True), depth=1.3 * S)
        self.assertEqual(made.closed.tolist(), [True])
        np.testing.assert_allclose(made.width_mm, thick / 2, rtol=5e-3)
        # As a loop of that width would, it fills the bar to its last corner.
        self.assertAlmostEqual(lengths(made)[0] * thick / 2 / (long * thick), 1, delta=0.01)

    def test_a_broad_bar_is_two_strokes_a_half_each(self) -> None:
        made = middles(shapely.box(0, 0, 12, 1.8 * S))
        np.testing.assert_allclose(made.width_mm, 0.9 * S, rtol=1e-3)
        np.testing.assert_allclose(np.sort(np.unique(made.points[:, 1].round(6))), [0.45 * S, 1.35 * S], atol=1e-3)

    @settings(max_examples=cases(7, 300), deadline=None)
    @given(st.floats(3, 40), st.floats(0.65 * S, 1.4 * S))
    def test_a_ring_is_one_closed_stroke_on_its_middle_circle(self, radius: float, thick: float) -> None:
        circle = shapely.Point(0, 0)
        made = middles(circle.buffer(radius, 96).difference(circle.buffer(radius - thick, 96)))
        self.assertEqual((len(made.source), bool(made.closed[0])), (1, True))
        self.assertAlmostEqual(lengths(made)[0] / (2 * math.pi * (radius - thick / 2)), 1, delta=0.005)

    def test_a_taper_is_as_wide_as_the_strip_at_each_point(self) -> None:
        made = middles(shapely.Polygon([(0, -0.1), (0, 0.1), (20, 0.28), (20, -0.28)]))
        expected = 0.2 + 0.36 * made.points[:, 0] / 20
        np.testing.assert_allclose(made.width_mm, expected, atol=0.004)

    def test_a_fork_keeps_all_three_arms(self) -> None:
        made = middles(shapely.union_all([shapely.box(0, 0, 10, 0.5), shapely.box(4.75, 0, 5.25, 6)]))
        self.assertEqual(len(made.source), 3)
        self.assertAlmostEqual(sum(lengths(made)), 15.5, delta=1.2)

    def test_wide_and_hair_thin_regions_have_none(self) -> None:
        made = middles(shapely.box(0, 0, 10, 3), shapely.box(0, 0, 10, 0.5 * S))
        self.assertEqual(len(made.source), 0)

    def test_equal_strips_give_equal_strokes(self) -> None:
        bar, other = shapely.box(0, 0, 10, 0.5), shapely.box(0, 0, 6, 0.45)
        made = middles(bar, other, bar)
        first, again = (made.points[made.offsets[k] : made.offsets[k + 1]] for k in (0, 2))
        self.assertEqual(made.source.tolist(), [0, 1, 2])
        np.testing.assert_array_equal(first, again)


class Schools(unittest.TestCase):
    def test_a_thin_wall_is_filled_truly_by_the_one_and_twice_by_the_other(self) -> None:
        thick = 1.4 * SPACING + HEIGHT * SIDE_LOSS
        plate = box(40, thick, 2)
        volume = 40 * (thick - HEIGHT * SIDE_LOSS) * 2
        variable, fixed = (plan_strokes(plate, shape_of(thin_walls=school)) for school in ("variable", "fixed"))
        self.assertAlmostEqual(volume_of(variable) / volume, 1, delta=0.03)
        self.assertGreater(volume_of(fixed) / volume, 1.35)
        # What is laid beyond the wall is said to be.
        over = float((fixed.areas.overfilled_mm2 * HEIGHT).sum())
        self.assertAlmostEqual(volume_of(fixed) - over, volume, delta=0.01 * volume)

    def test_what_is_too_thin_is_reported_as_lost(self) -> None:
        fin = solid_of(block(20, 20, 2) + block(10, 0.25, 2, (20, 10, 0)))
        for school in ("variable", "fixed"):
            strokes = plan_strokes(fin, shape_of(thin_walls=school))
            lost = strokes.areas.lost_mm2
            np.testing.assert_allclose(lost, 10 * (0.25 - HEIGHT * SIDE_LOSS), rtol=0.05)

    def test_plastic_never_exceeds_what_is_asked_by_more_than_is_said(self) -> None:
        shapes = (cylinder(4, 2), box(30, 1.1, 2), solid_of(block(12, 0.9, 2) + block(0.9, 12, 2)))
        for solid in shapes:
            for school in ("variable", "fixed"):
                strokes = plan_strokes(solid, shape_of(thin_walls=school, infill={"density": 1.0}))
                areas = strokes.areas
                np.testing.assert_array_less(areas.laid_mm2, areas.asked_mm2 + areas.overfilled_mm2 + 1e-6)
                np.testing.assert_allclose(
                    areas.laid_mm2, areas.asked_mm2 + areas.overfilled_mm2 - areas.lost_mm2, atol=1e-6
                )
                self.assertAlmostEqual(float(areas.laid_mm2.sum()) * HEIGHT, volume_of(strokes), places=5)

    def test_the_last_wall_takes_up_the_sliver_that_is_left(self) -> None:
        thick = 2 * (2 * SPACING) + 0.9 * SPACING + HEIGHT * SIDE_LOSS
        ring = solid_of(cylinder(20, 2).manifold - cylinder(20 - thick, 6).manifold.translate((0, 0, -2)))
        strokes = plan_strokes(ring, shape_of(walls=3, top_layers=0, bottom_layers=0))
        self.assertEqual(length_of(strokes, Feature.INFILL), 0)
        own = np.abs(strokes.width_mm - 0.9 * SPACING - HEIGHT * SIDE_LOSS) < 0.01
        rows = (strokes.feature == Feature.INNER_WALL) & own
        np.testing.assert_allclose(strokes.width_mm[rows], 0.9 * SPACING + HEIGHT * SIDE_LOSS, atol=0.01)
        self.assertAlmostEqual(
            float(strokes.length_mm[rows].sum()) / (10 * 2 * math.pi * (20 - thick / 2)), 1, delta=0.01
        )
        self.assertGreater(WIDTH, strokes.width_mm[rows].max())
