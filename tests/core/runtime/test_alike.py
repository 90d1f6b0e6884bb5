"""What is alike is found, and what is not is never taken for it."""

from __future__ import annotations

import unittest

import numpy as np
import shapely

from meanbead.core.runtime.alike import alike, equal_elements, parts_of, places_of_new, ranges, shared


def regions(*shapes: shapely.Geometry) -> np.ndarray:
    made = np.empty(len(shapes), dtype=object)
    made[:] = shapes
    return made


class Alike(unittest.TestCase):
    def test_objects_are_alike_where_they_are_one(self) -> None:
        one, twin = shapely.box(0, 0, 1, 1), shapely.box(0, 0, 1, 1)
        first, which = alike(regions(one, twin, one), np.array([1.0, 1.0, 1.0]))
        self.assertEqual((first.tolist(), which.tolist()), ([0, 1], [0, 1, 0]))

    def test_numbers_part_what_objects_join(self) -> None:
        one = shapely.box(0, 0, 1, 1)
        first, which = alike(regions(one, one, one), np.array([[1, 2], [1, 3], [1, 2]]))
        self.assertEqual((first.tolist(), which.tolist()), ([0, 1], [0, 1, 0]))

    def test_equal_geometries_are_found_by_their_bytes(self) -> None:
        many = regions(*(shapely.box(0, 0, 1 + k % 3, 1) for k in range(12)))
        first, which = equal_elements(many)
        self.assertEqual(first.tolist(), [0, 1, 2])
        self.assertEqual(which.tolist(), [k % 3 for k in range(12)])
        self.assertEqual(len({id(one) for one in shared(many)}), 3)

    def test_same_area_and_corners_is_not_enough(self) -> None:
        many = regions(*(shapely.box(k, 0, k + 1, 1) for k in range(12)))
        self.assertEqual(len(equal_elements(many)[0]), 12)

    def test_parts_of_one_object_are_one_object(self) -> None:
        two = shapely.multipolygons([shapely.box(0, 0, 1, 1), shapely.box(2, 0, 3, 1)])
        parts, source = parts_of(regions(two, shapely.Polygon(), shapely.box(5, 5, 6, 6), two))
        self.assertEqual(source.tolist(), [0, 0, 1, 2, 3, 3] if len(parts) == 6 else [0, 0, 2, 3, 3])
        self.assertIs(parts[0], parts[-2])
        self.assertIs(parts[1], parts[-1])

    def test_new_names_stand_where_they_came_first(self) -> None:
        self.assertEqual(places_of_new(["a", "b", "a", "c", "b"], {"b": 0}), {"a": 0, "c": 3})
        self.assertEqual(places_of_new(["a", "a"], {"a"}), {})

    def test_ranges(self) -> None:
        self.assertEqual(ranges(np.array([5, 0, 9]), np.array([2, 0, 3])).tolist(), [5, 6, 9, 10, 11])
        self.assertEqual(ranges(np.empty(0, np.int64), np.empty(0, np.int64)).tolist(), [])
