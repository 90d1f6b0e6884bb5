import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from meanbead.core.strokes.features import FEATURES, Feature
from meanbead.core.strokes.order import order_pieces
from meanbead.core.strokes.pieces import Pieces, join_pieces
from meanbead.core.strokes.sequence import nearest_ends, sequence
from tests.running.effort import cases


def lines(
    rows: list[tuple[float, float, float]], layer: int = 0, island: int = 0, feature: Feature = Feature.INFILL
) -> Pieces:
    """Upright lines (x, y0, y1) with the search's own hint: lines at 90 degrees lie at -x across."""
    count = len(rows)
    points = np.array([[(x, y0), (x, y1)] for x, y0, y1 in rows]).reshape(-1, 2)
    return Pieces(
        points=points,
        offsets=np.arange(count + 1, dtype=np.int64) * 2,
        closed=np.zeros(count, dtype=bool),
        one_way=np.zeros(count, dtype=bool),
        swept=np.zeros(count, dtype=bool),
        layer=np.full(count, layer),
        island=np.full(count, island),
        phase=np.zeros(count, dtype=np.int64),
        feature=np.full(count, feature, dtype=np.uint8),
        width_mm=np.full(2 * count, 0.4),
        height_mm=np.full(count, 0.2),
        across_mm=-points[::2, 0],
        angle_rad=np.full(count, np.pi / 2),
        reach_mm=np.full(count, 2.0),
    )


rows_of = st.lists(
    st.tuples(st.integers(-30, 30), st.integers(-30, 30), st.integers(1, 20)).map(lambda t: (t[0], t[1], t[1] + t[2])),
    min_size=1,
    max_size=25,
    unique=True,
)


def slow_nearest(ends: np.ndarray, place: np.ndarray) -> tuple[list[int], list[bool]]:
    """Always the nearest end of all that are left, by looking at each."""
    left, order, backwards, at = list(range(len(ends))), [], [], place
    while left:
        ways = [(float(np.hypot(*(ends[k, 2 * side : 2 * side + 2] - at))), k, side) for k in left for side in (0, 1)]
        _, k, side = min(ways)
        left.remove(k)
        order.append(k)
        backwards.append(side == 1)
        at = ends[k, :2] if side else ends[k, 2:]
    return order, backwards


def hops(ends: np.ndarray, order: list[int], backwards: list[bool], place: np.ndarray) -> float:
    """Length of the way between strokes."""
    total, at = 0.0, place
    for k, back in zip(order, backwards, strict=True):
        first, last = (ends[k, 2:], ends[k, :2]) if back else (ends[k, :2], ends[k, 2:])
        total += float(np.hypot(*(first - at)))
        at = last
    return total


class Order(unittest.TestCase):
    @settings(max_examples=cases(20, 800), deadline=None)
    @given(rows_of)
    def test_every_line_is_laid_once_and_the_path_hangs_together(self, rows: list[tuple[float, float, float]]) -> None:
        ordered = order_pieces(lines(rows), "nearest")
        laid = ordered.xy[ordered.feature == Feature.INFILL]
        found = sorted((row[0], min(row[1], row[3]), max(row[1], row[3])) for row in laid.tolist())
        self.assertEqual(found, sorted((float(x), float(a), float(b)) for x, a, b in rows))
        np.testing.assert_allclose(ordered.xy[1:, :2], ordered.xy[:-1, 2:])

    @settings(max_examples=cases(20, 800), deadline=None)
    @given(rows_of)
    def test_always_goes_to_the_nearest_end_that_is_left(self, rows: list[tuple[float, float, float]]) -> None:
        """The search stops early by the distance across; that must not cost it the nearest line."""
        ordered = order_pieces(lines(rows, feature=Feature.SOLID), "nearest")
        travel = ordered.xy[ordered.feature == Feature.TRAVEL]
        steps = np.hypot(travel[:, 2] - travel[:, 0], travel[:, 3] - travel[:, 1])
        laid = ordered.xy[ordered.feature == Feature.SOLID]
        # Each step goes to the nearest end of all lines not yet laid.
        left = [tuple(row) for row in laid.tolist()]
        place = 0
        for index in range(len(ordered.feature)):
            if ordered.feature[index] == Feature.TRAVEL:
                x, y = ordered.xy[index, :2]
                ends = [np.hypot(px - x, py - y) for row in left for px, py in (row[:2], row[2:])]
                self.assertAlmostEqual(float(steps[place]), float(min(ends)), places=9)
                place += 1
            else:
                left.remove(tuple(ordered.xy[index].tolist()))

    @settings(max_examples=cases(12, 500), deadline=None)
    @given(st.integers(0, 10_000), st.integers(1, 70))
    def test_infill_is_never_longer_than_the_nearest_end_next(self, seed: int, count: int) -> None:
        rng = np.random.default_rng(seed)
        ends = rng.uniform(-40, 40, (count, 4))
        place = rng.uniform(-60, 60, 2)
        plain = hops(ends, *slow_nearest(ends, place), place)
        nearest = hops(ends, *nearest_ends(ends, *place), place)  # type: ignore[call-arg]
        improved = hops(ends, *sequence(ends, *place), place)  # type: ignore[call-arg]
        self.assertAlmostEqual(nearest, plain, places=9)
        self.assertLessEqual(improved, plain + 1e-9)

    def test_layers_and_islands_are_finished_one_by_one(self) -> None:
        pieces = join_pieces([lines([(0, 0, 5), (1, 0, 5)], 1, 7), lines([(40, 0, 5)], 0, 3), lines([(0, 0, 5)], 0, 2)])
        ordered = order_pieces(pieces, "back")
        laid = ordered.feature == Feature.INFILL
        self.assertEqual(ordered.layer[laid].tolist(), [0, 0, 1, 1])

    def test_short_hops_stay_inside(self) -> None:
        ordered = order_pieces(lines([(0, 0, 5), (1.5, 0, 5), (9, 0, 5)]), "nearest")
        self.assertEqual(ordered.inside[ordered.feature == Feature.TRAVEL].tolist(), [True, False])

    def test_names_follow_the_numbers(self) -> None:
        self.assertEqual(FEATURES[Feature.OUTER_WALL], "outer_wall")
        self.assertEqual(len(FEATURES), len(Feature))
