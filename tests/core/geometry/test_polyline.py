import unittest

import numpy as np
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from meanbead.core.geometry.polyline import needed_points, with_room
from tests.running.effort import cases

# Rising in x, so that the chord's segment is as near as its line.
curves = st.lists(st.floats(-3, 3), min_size=2, max_size=40).map(lambda y: np.column_stack([np.arange(len(y)), y]))


class Needed(unittest.TestCase):
    @settings(max_examples=cases(75, 3000), deadline=None)
    @given(curves, st.floats(0.01, 2))
    def test_what_is_left_out_lies_within_the_tolerance(self, curve: np.ndarray, tolerance: float) -> None:
        keep = needed_points(curve, tolerance)
        self.assertTrue(keep[0] and keep[-1])
        chords = shapely.linestrings(curve[keep])
        self.assertLessEqual(shapely.distance(chords, shapely.points(curve)).max(), tolerance + 1e-6)
        # As many as another's choice by the same rule leaves, but for ties.
        other = shapely.get_num_coordinates(
            shapely.simplify(shapely.linestrings(curve), tolerance, preserve_topology=False)
        )
        self.assertLessEqual(abs(int(keep.sum()) - int(other)), max(2, 0.2 * len(curve)))

    def test_a_third_coordinate_counts_as_much(self) -> None:
        curve = np.column_stack([np.arange(5.0), np.zeros(5), [0, 0, 1, 0, 0]])
        self.assertEqual(needed_points(curve, 0.3).tolist(), [True, True, True, True, True])
        self.assertEqual(needed_points(curve, 1.1).tolist(), [True, False, False, False, True])


class Room(unittest.TestCase):
    def test_rows_move_only_where_there_is_no_room_and_keep_what_counts(self) -> None:
        rows = np.arange(8.0).reshape(4, 2)
        self.assertTrue(np.shares_memory(with_room(rows, 2, 2), rows))
        longer = with_room(rows, 3, 14)
        self.assertEqual(longer.shape, (32, 2))
        np.testing.assert_array_equal(longer[:3], rows[:3])
        self.assertEqual(with_room(np.arange(3), 3, 1).tolist()[:3], [0, 1, 2])


if __name__ == "__main__":
    unittest.main()
