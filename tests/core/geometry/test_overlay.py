import unittest

import numpy as np
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from meanbead.core.geometry.overlay import difference, intersection, together, without
from tests.running.effort import cases

# Crosses itself: the geometry library refuses to overlay it.
BOW = shapely.Polygon([(0, 0), (4, 4), (4, 0), (0, 4)])
BOX = shapely.box(0, 0, 4, 4)

corner = st.tuples(st.integers(0, 6), st.integers(0, 6))
rings = st.lists(corner, min_size=3, max_size=7, unique=True).map(shapely.Polygon)


class Overlay(unittest.TestCase):
    def test_what_the_library_refuses_is_mended(self) -> None:
        with self.assertRaises(shapely.GEOSException):
            shapely.intersection(BOW, shapely.box(1, 1, 3, 5))
        bows, boxes = np.array([BOW, BOX], dtype=object), np.array([BOX, BOX], dtype=object)
        np.testing.assert_allclose(shapely.area(intersection(bows, boxes)), [8, 16])
        np.testing.assert_allclose(shapely.area(difference(boxes, bows)), [8, 0])
        self.assertAlmostEqual(without(BOX, BOW).area, 8)
        self.assertAlmostEqual(together(BOX, BOW).area, 16)

    @settings(max_examples=cases(30, 1200), deadline=None)
    @given(rings, rings)
    def test_areas_add_up_for_any_pair(self, one: shapely.Polygon, other: shapely.Polygon) -> None:
        pair = [np.array([ring], dtype=object) for ring in (one, other)]
        own = shapely.make_valid(one).area
        both, rest = (float(shapely.area(f(*pair))[0]) for f in (intersection, difference))
        self.assertAlmostEqual(both + rest, own, places=6)
        self.assertAlmostEqual(together(one, other).area, rest + shapely.make_valid(other).area, places=6)
