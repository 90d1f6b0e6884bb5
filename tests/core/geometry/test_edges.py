import unittest

import numpy as np
import shapely
from hypothesis import example, given, settings
from hypothesis import strategies as st

from meanbead.core.geometry.clipping import clip_curves
from meanbead.core.geometry.edges import edge_distance_mm
from tests.running.effort import cases

corner = st.tuples(st.integers(0, 8), st.integers(0, 8))
rings = st.lists(corner, min_size=3, max_size=9, unique=True).map(lambda ring: shapely.Polygon(ring).buffer(0))
regions = st.tuples(rings, rings).map(lambda pair: pair[0].symmetric_difference(pair[1])).filter(lambda r: r.area > 0)
# On halves of the corners' own lattice: through corners and along edges more often than any part would have it.
bends = st.lists(st.tuples(st.integers(0, 16), st.integers(0, 16)), min_size=1, max_size=9)


def as_curve(inner: list[tuple[int, int]]) -> np.ndarray:
    return np.array([(-1.0, -1.3), *((x / 2, y / 2) for x, y in inner), (9.0, 9.7)])


class Clipping(unittest.TestCase):
    @settings(max_examples=cases(100, 4000), deadline=None)
    @given(st.lists(st.tuples(regions, bends), min_size=1, max_size=4))
    @example([(shapely.box(0, 0, 4, 4), [(0, 0), (8, 8)])])
    @example([(shapely.box(0, 0, 4, 4), [(0, 0), (8, 0), (8, 8)])])
    def test_what_is_left_is_what_general_overlay_leaves(
        self, pairs: list[tuple[shapely.Geometry, list[tuple[int, int]]]]
    ) -> None:
        shapes = np.array([region for region, _ in pairs], dtype=object)
        # Turned by an odd angle: nothing is on an edge by design but what stays there by chance of rounding.
        turn = np.array([[0.8, -0.6], [0.6, 0.8]])
        # Along an edge, as far as rounding can tell, a curve may count as in or out.
        exact = [as_curve(inner) for _, inner in pairs]
        there = [_length_within(line, shape) for line, shape in zip(exact, shapes, strict=True)]
        on_edge = [_length_within(line, shape.boundary.buffer(1e-7)) for line, shape in zip(exact, shapes, strict=True)]
        for way in (np.eye(2), turn):
            placed = np.array(
                [shapely.transform(shape, lambda xy, way=way: xy @ way) for shape in shapes], dtype=object
            )
            lines = [line @ way for line in exact]
            offsets = np.cumsum([0, *map(len, lines)])
            points, ends, source = clip_curves(np.concatenate(lines), offsets, np.arange(len(lines)), placed)
            for k, shape in enumerate(placed):
                pieces = [points[ends[n] : ends[n + 1]] for n in np.flatnonzero(source == k)]
                for piece in pieces:
                    self.assertLess(shapely.distance(shape, shapely.points(piece)).max(), 1e-8)
                got = sum(float(np.hypot(*np.diff(piece, axis=0).T).sum()) for piece in pieces)
                self.assertLessEqual(abs(got - there[k]), on_edge[k] + 1e-5)

    def test_pieces_follow_the_curve_and_carry_their_region(self) -> None:
        shapes = np.array(
            [
                shapely.box(0, 0, 1, 1),
                shapely.MultiPolygon(),
                shapely.box(0, 0, 4, 1).difference(shapely.box(1, -1, 2, 3)),
            ],
            dtype=object,
        )
        line = np.array([(5.0, 0.5), (1.5, 0.25), (-1.0, 0.5)])
        points, offsets, source = clip_curves(
            np.concatenate([line, line]), np.array([0, 3, 6]), np.array([0, 2]), shapes
        )
        self.assertEqual(source.tolist(), [0, 2, 2])
        np.testing.assert_allclose(points[offsets[:-1], 0], [1, 4, 1], atol=1e-8)
        np.testing.assert_allclose(points[offsets[1:] - 1, 0], [0, 2, 0], atol=1e-8)

    def test_many_curves_are_cut_side_by_side_to_the_same(self) -> None:
        rng = np.random.default_rng(3)
        x = np.linspace(-1, 11, 60)
        lines = np.array([np.column_stack([x, rng.uniform(0, 10) + np.sin(x)]) for _ in range(900)])
        shapes = np.array([shapely.Point(5, 5).buffer(4).difference(shapely.Point(5, 5).buffer(2))] * 30, dtype=object)
        source = np.repeat(np.arange(30), 30)
        whole = clip_curves(lines.reshape(-1, 2), np.arange(901) * 60, source, shapes)
        parts = [
            clip_curves(lines[source == k].reshape(-1, 2), np.arange(31) * 60, np.full(30, k), shapes)
            for k in range(30)
        ]
        np.testing.assert_array_equal(whole[0], np.concatenate([part[0] for part in parts]))
        np.testing.assert_array_equal(whole[2], np.concatenate([part[2] for part in parts]))


def _length_within(line: np.ndarray, shape: shapely.Geometry) -> float:
    """Stroke by stroke: a line that runs over itself counts as often as it does."""
    strokes = shapely.linestrings(np.stack([line[:-1], line[1:]], axis=1))
    return float(shapely.length(shapely.intersection(strokes, shape)).sum())


class Distances(unittest.TestCase):
    @settings(max_examples=cases(100, 4000), deadline=None)
    @given(
        st.lists(regions, min_size=1, max_size=3),
        st.lists(st.tuples(st.floats(-2, 10), st.floats(-2, 10)), min_size=1, max_size=12),
        st.floats(1e-6, 5),
    )
    def test_it_is_the_distance_to_the_outline_as_far_as_asked(
        self, shapes: list[shapely.Geometry], places: list[tuple[float, float]], within: float
    ) -> None:
        points = np.array(places)
        source = np.arange(len(points)) % len(shapes)
        found = edge_distance_mm(points, source, np.array(shapes, dtype=object), np.full(len(points), within))
        true = shapely.distance(shapely.boundary(np.array(shapes, dtype=object))[source], shapely.points(points))
        for got, real in zip(found.tolist(), true.tolist(), strict=True):
            if abs(real - within) > 1e-9:
                self.assertAlmostEqual(got, real if real < within else np.inf, places=9)

    def test_no_points_and_regions_without_outline_have_no_distance(self) -> None:
        empty = np.array([shapely.Polygon(), shapely.box(0, 0, 1, 1)], dtype=object)
        self.assertEqual(len(edge_distance_mm(np.empty((0, 2)), np.empty(0, np.int64), empty, np.empty(0))), 0)
        found = edge_distance_mm(np.zeros((2, 2)), np.array([0, 1]), empty, np.ones(2))
        self.assertEqual(found.tolist(), [np.inf, 0.0])


if __name__ == "__main__":
    unittest.main()
