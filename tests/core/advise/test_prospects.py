"""What recipes known from a sample may still be: by hand, and against the definition written out."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from meanbead.core.advise.prospects import Shares, promises, wider


class WhatSamplesAreOffBy(unittest.TestCase):
    @given(st.lists(st.builds(Shares, st.floats(0, 0.5), st.floats(0, 0.5)), max_size=8))
    def test_is_the_worst_seen_and_half_as_much_again(self, seen: list[Shares]) -> None:
        found = Shares()
        for was_off in [None, *seen, None]:
            found = wider(found, was_off)
        self.assertEqual(found.time, 1.5 * max((one.time for one in seen), default=0.0))
        self.assertEqual(found.grams, 1.5 * max((one.grams for one in seen), default=0.0))


class Promises(unittest.TestCase):
    @given(
        st.lists(st.tuples(st.integers(1, 30), st.integers(1, 30)), min_size=1, max_size=8),
        st.lists(st.tuples(st.integers(1, 30), st.integers(1, 30)), min_size=1, max_size=8),
        st.floats(0, 0.3),
    )
    def test_whoever_promises_nothing_cannot_beat_the_line(
        self, line: list[tuple[int, int]], points: list[tuple[int, int]], share: float
    ) -> None:
        whole, known = np.array(line, dtype=np.float64), np.array(points, dtype=np.float64)
        for point, promise in zip(known, promises(whole, known, share * known), strict=True):
            best = point * (1 - share) + 0.01 * point
            settled = any((layer <= best + 1e-6).all() for layer in whole)
            beats = not any((layer <= point * (1 + share) + 1e-6).all() for layer in whole)
            if promise == 0:
                self.assertTrue(settled)
                self.assertFalse(beats)
            else:
                self.assertFalse(any((layer <= np.minimum(best, point * (1 + share)) - 1e-6).all() for layer in whole))

    @given(
        st.lists(st.tuples(st.floats(-9, 9), st.floats(-9, 9)), min_size=1, max_size=6),
        st.lists(st.tuples(st.floats(-9, 9), st.floats(-9, 9)), min_size=1, max_size=6),
        st.floats(0, 0.3),
    )
    def test_is_how_far_the_nearest_of_the_line_would_have_to_move(
        self, line: list[tuple[float, float]], points: list[tuple[float, float]], share: float
    ) -> None:
        whole, known = np.array(line), np.array(points)
        bounds = share * np.abs(known)
        for point, bound, promise in zip(known, bounds, promises(whole, known, bounds), strict=True):
            size = np.maximum(np.abs(point), 1e-12)
            moves = [float(np.max((one - (point - bound)) / size)) for one in whole]
            if promise > 1e-9:
                self.assertAlmostEqual(promise, min(moves), delta=1e-9 * max(1.0, abs(min(moves))))

    def test_the_best_promise_comes_first(self) -> None:
        found = promises(np.array([[10.0, 10.0]]), np.array([[9.0, 10.0], [5.0, 10.0], [20.0, 20.0]]), np.zeros((3, 2)))
        self.assertGreater(found[1], found[0])
        self.assertEqual(found[2], 0.0)
