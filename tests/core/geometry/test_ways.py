"""Ways within a region, held against the shortest path among all corners that see each other."""

import unittest

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy.sparse.csgraph import shortest_path

from meanbead.core.geometry.offsets import loops_of
from meanbead.core.geometry.ways import Ways, edges_of, find_ways
from tests.running.effort import cases

MOST = 3.0


def region_of(seed: int) -> shapely.Polygon:
    """A ragged outline with holes, some ragged, too."""
    rng = np.random.default_rng(seed)

    def ragged(x: float, y: float, size: float, corners: int, rough: float) -> shapely.Polygon:
        angle = np.sort(rng.uniform(0, 2 * np.pi, corners))
        radius = size * rng.uniform(1 - rough, 1, corners)
        return shapely.Polygon(np.c_[x + radius * np.cos(angle), y + radius * np.sin(angle)]).buffer(0)

    whole = ragged(0, 0, 30, int(rng.integers(8, 24)), 0.8)
    for _ in range(int(rng.integers(0, 6))):
        x, y = rng.uniform(-15, 15, 2)
        whole = whole.difference(ragged(x, y, rng.uniform(2, 7), int(rng.integers(4, 12)), 0.5))
    comb = shapely.box(-40, -4, 40, 4)
    for k in range(5):
        comb = comb.difference(shapely.box(-36 + 15 * k, -1, -33 + 15 * k, 5))
    return comb if seed % 7 == 0 else max(shapely.get_parts(whole), key=shapely.area)


def ways_in(region: shapely.Geometry, ends: NDArray[np.float64], most: float = MOST) -> Ways:
    rings = loops_of(np.array([shapely.orient_polygons(region, exterior_cw=True)], dtype=object))
    return find_ways(edges_of(rings.points, rings.offsets, 1e-6), ends, most)


def shortest_mm(region: shapely.Geometry, ends: NDArray[np.float64]) -> float:
    """The shortest way between two places, by the corners that see each other."""
    places = np.vstack([ends.reshape(2, 2), shapely.get_coordinates(region)])
    one, other = np.triu_indices(len(places), 1)
    lines = shapely.linestrings(np.stack([places[one], places[other]], axis=1))
    seen = shapely.covers(region.buffer(1e-6), lines)
    graph = np.zeros((len(places), len(places)))
    graph[one[seen], other[seen]] = np.maximum(shapely.length(lines[seen]), 1e-12)
    return float(shortest_path(graph, directed=False, indices=0)[1])


def pairs_in(region: shapely.Geometry, count: int, seed: int) -> NDArray[np.float64]:
    rng = np.random.default_rng(seed)
    low_x, low_y, high_x, high_y = region.bounds
    places = rng.uniform((low_x, low_y), (high_x, high_y), (40 * count, 2))
    places = places[shapely.contains_xy(region.buffer(-1e-3), places)]
    return np.asarray(places[: len(places) // 2 * 2].reshape(-1, 4)[:count])


class WaysWithin(unittest.TestCase):
    def test_none_is_crossed_missed_or_longer_than_it_need_be(self) -> None:
        longer, asked = [], 0
        for seed in range(cases(28, 400)):
            region = region_of(seed)
            ends = pairs_in(region, 25, seed)
            made = ways_in(region, ends)
            generous = region.buffer(1e-5)
            for k, pair in enumerate(ends):
                straight = float(np.hypot(*(pair[2:4] - pair[0:2])))
                if shapely.covers(region, shapely.linestrings(pair.reshape(2, 2))):
                    self.assertEqual(made.found[k], 1, (seed, k))
                    continue
                asked += 1
                self.assertNotEqual(made.found[k], 1, (seed, k))
                best = shortest_mm(region, pair)
                if made.found[k] == 0:
                    self.assertGreater(best, MOST * straight - 1e-3, (seed, k))
                    continue
                corners = made.corners[made.offsets[k] : made.offsets[k + 1]]
                way = shapely.linestrings(np.vstack([pair[None, 0:2], corners, pair[None, 2:4]]))
                self.assertTrue(shapely.covers(generous, way), (seed, k))
                self.assertLessEqual(shapely.length(way), MOST * straight + 1e-9)
                longer.append(shapely.length(way) / best)
        self.assertGreater(asked, 100)
        self.assertGreater(len(longer), 60)
        self.assertGreaterEqual(min(longer), 1 - 1e-4)
        self.assertLess(float(np.mean(longer)), 1.01)

    def test_from_one_body_to_another_there_is_none(self) -> None:
        two = shapely.union(shapely.box(0, 0, 5, 5), shapely.box(6, 0, 11, 5))
        self.assertEqual(ways_in(two, np.array([[1.0, 1, 10, 1], [1, 1, 4, 4]])).found.tolist(), [0, 1])

    def test_what_ends_on_the_edge_or_runs_along_it_stays_within(self) -> None:
        square = shapely.box(0, 0, 10, 10).difference(shapely.box(4, 4, 6, 6))
        rings = loops_of(np.array([shapely.orient_polygons(square, exterior_cw=True)], dtype=object))
        ends = np.array([[0.0, 0, 10, 0], [0, 2, 0, 8], [0, 0, 3, 3], [4, 4, 6, 4], [0, 0, 0, 0], [-0.1, 5, 3, 5]])
        made = find_ways(edges_of(rings.points, rings.offsets, 0.005), ends, MOST)
        self.assertEqual(made.found.tolist(), [1, 1, 1, 1, 1, 0])

    def test_a_round_hole_is_gone_round_by_arc_and_tangents(self) -> None:
        ring = shapely.box(-20, -20, 20, 20).difference(shapely.Point(0, 0).buffer(5, quad_segs=64))
        made = ways_in(ring, np.array([[-10.0, 0, 10, 0]]))
        way = np.vstack([[-10, 0], made.corners, [10, 0]])
        tangents = 2 * np.sqrt(10**2 - 5**2) + 5 * (np.pi - 2 * np.arccos(5 / 10))
        self.assertAlmostEqual(float(np.hypot(*np.diff(way, axis=0).T).sum()), tangents, delta=0.005 * tangents)

    def test_nothing_is_found_in_nothing(self) -> None:
        made = find_ways(edges_of(np.empty((0, 2)), np.zeros(1, np.int64), 0.0), np.array([[0.0, 0, 1, 1]]), MOST)
        self.assertEqual(made.found.tolist(), [0])


if __name__ == "__main__":
    unittest.main()
