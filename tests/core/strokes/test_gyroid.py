import math
import unittest
from itertools import pairwise

import contourpy
import numpy as np

from meanbead.core.strokes.gyroid import gyroid_curves
from meanbead.core.strokes.patterns import CHORD_MM, GYROID_LENGTH

TURN = 2 * math.pi
HEIGHTS = np.arange(48) * TURN / 48 + 0.01


def field(x: np.ndarray, y: np.ndarray, z: np.ndarray | float) -> np.ndarray:
    return np.sin(x) * np.cos(y) + np.sin(y) * np.cos(z) + np.sin(z) * np.cos(x)


def traced_length(z: float) -> float:
    """The section's length in one period by the tracer of a plotting library."""
    x = np.linspace(0, TURN, 301)
    lines = contourpy.contour_generator(x, x, field(x[None, :], x[:, None], z)).lines(0.0)
    return sum(float(np.hypot(*np.diff(line, axis=0).T).sum()) for line in lines)  # type: ignore[misc, type-var, union-attr]


class Sections(unittest.TestCase):
    def test_every_point_lies_on_the_surface(self) -> None:
        bounds = np.tile([-3.0, -2.0, 11.0, 9.0], (len(HEIGHTS), 1))
        period = np.linspace(2.0, 9.0, len(HEIGHTS))
        points, offsets, box = gyroid_curves(bounds, HEIGHTS * period / TURN, period, CHORD_MM)
        unit = np.repeat(TURN / period[box], np.diff(offsets))
        off = field(points[:, 0] * unit, points[:, 1] * unit, np.repeat(HEIGHTS[box], np.diff(offsets)))
        self.assertLess(np.abs(off).max(), 1e-12)
        self.assertEqual(set(box.tolist()), set(range(len(HEIGHTS))))

    def test_curves_are_as_long_as_a_tracer_finds_them_and_all_are_there(self) -> None:
        for z in HEIGHTS[::5].tolist():
            # A box of many periods: what stands out of it at the edges is cut off.
            count = 20
            points, offsets, _ = gyroid_curves(
                np.array([[0, 0, count * TURN, count * TURN]]), np.array([z]), np.array([TURN]), 1e-4
            )
            inside = np.all((points >= 0) & (points <= count * TURN), axis=1)
            step = np.hypot(*np.diff(points, axis=0).T)
            own = np.ones(len(step), bool)
            own[offsets[1:-1] - 1] = False
            length = float(step[own & inside[1:] & inside[:-1]].sum()) / count**2
            self.assertAlmostEqual(length / traced_length(z), 1, delta=0.03, msg=f"{z:.2f}")

    def test_mean_length_is_found_again(self) -> None:
        self.assertAlmostEqual(
            float(np.mean([traced_length(z) for z in HEIGHTS])) / TURN / GYROID_LENGTH, 1, delta=0.005
        )

    def test_curves_reach_beyond_the_box_and_chords_stay_close(self) -> None:
        for z in HEIGHTS.tolist():
            bounds = np.array([[-30.0, -20.0, 35.0, 25.0]])
            fine, coarse = (
                gyroid_curves(bounds, np.array([z]), np.array([12.0]), chord)[:2] for chord in (1e-6, CHORD_MM)
            )
            for points, offsets in (fine, coarse):
                for first, end in pairwise(offsets):
                    for tip in (points[first], points[end - 1]):
                        self.assertTrue(np.any((tip <= bounds[0, :2]) | (tip >= bounds[0, 2:])))
            self.assertLess(len(coarse[0]), len(fine[0]))
            self.assertEqual(len(coarse[1]), len(fine[1]))
            for a, b, c, d in zip(fine[1][:-1], fine[1][1:], coarse[1][:-1], coarse[1][1:], strict=True):
                kept = coarse[0][c:d]
                axis = 0 if np.ptp(kept[:, 0]) > np.ptp(kept[:, 1]) else 1
                between = np.interp(fine[0][a:b, axis], kept[:, axis], kept[:, 1 - axis])
                # Across the line's general course; the distance to the chord is no more than that.
                self.assertLess(np.abs(between - fine[0][a:b, 1 - axis]).max(), 3 * CHORD_MM)


if __name__ == "__main__":
    unittest.main()
