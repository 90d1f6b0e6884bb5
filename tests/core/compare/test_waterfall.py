"""The division among changes, on games whose answer is known, and the strokes' rests against a slow reference."""

import unittest
from itertools import combinations
from math import factorial
from typing import Any

import numpy as np
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from meanbead.core.compare.waterfall import MAX_PLAYERS, ORDERS_TRIED, _average, _orders
from meanbead.core.estimate import Engine
from meanbead.core.estimate.detail import resting_share
from meanbead.core.estimate.job import PrintJob
from meanbead.core.model import Recipe
from meanbead.core.strokes import Strokes
from tests.running.effort import cases
from tests.support.solids import block, cone, solid_of

Game = dict[frozenset[int], float]


def divide(count: int, game: Game) -> tuple[np.ndarray, int]:
    """The engine's division of a game's worth; both columns hold the same game."""
    orders, _ = _orders(count)
    totals, used = _average(count, orders, lambda members: (game[members], game[members]))
    return totals[:, 0], used


def by_subsets(count: int, game: Game) -> list[float]:
    """The Shapley value by its closed form over subsets, an independent way to the same numbers."""
    values = []
    for player in range(count):
        others = [k for k in range(count) if k != player]
        total = 0.0
        for size in range(count):
            weight = factorial(size) * factorial(count - size - 1) / factorial(count)
            for members in combinations(others, size):
                before = frozenset(members)
                total += weight * (game[before | {player}] - game[before])
        values.append(total)
    return values


@st.composite
def games(draw: st.DrawFn) -> tuple[int, Game]:
    """A game of two to four players with any worth for each coalition."""
    count = draw(st.integers(2, 4))
    subsets = [frozenset(members) for size in range(count + 1) for members in combinations(range(count), size)]
    worths = draw(st.lists(st.integers(-500, 500), min_size=len(subsets), max_size=len(subsets)))
    return count, dict(zip(subsets, map(float, worths), strict=True))


class Division(unittest.TestCase):
    @given(games())
    def test_it_is_the_closed_form_and_adds_up(self, drawn: tuple[int, Game]) -> None:
        count, game = drawn
        values, used = divide(count, game)
        self.assertEqual(used, factorial(count))
        np.testing.assert_allclose(values, by_subsets(count, game), atol=1e-9)
        self.assertAlmostEqual(float(values.sum()), game[frozenset(range(count))] - game[frozenset()])

    def test_a_change_without_effect_gets_nothing_and_equals_get_the_same(self) -> None:
        # Two changes that help only together, and one that never does anything.
        game = {
            frozenset(members): 10.0 if {0, 1} <= set(members) else 0.0
            for size in range(4)
            for members in combinations(range(3), size)
        }
        values, _ = divide(3, game)
        np.testing.assert_allclose(values, [5, 5, 0])

    def test_the_gloves_have_their_textbook_division(self) -> None:
        # One left glove, two right ones; a pair is worth 1: 2/3, 1/6, 1/6.
        game = {
            frozenset(members): float(0 in members and (1 in members or 2 in members))
            for size in range(4)
            for members in combinations(range(3), size)
        }
        np.testing.assert_allclose(divide(3, game)[0], [2 / 3, 1 / 6, 1 / 6])

    def test_only_possible_orders_count(self) -> None:
        def worth(members: frozenset[int]) -> tuple[float, float] | None:
            # The second change is possible only after the first.
            return None if members == frozenset({1}) else (float(len(members)), 0.0)

        totals, used = _average(2, _orders(2)[0], worth)
        self.assertEqual(used, 1)
        np.testing.assert_allclose(totals[:, 0], [1, 1])
        nothing, none = _average(1, _orders(1)[0], lambda members: None)
        self.assertEqual((none, float(nothing.sum())), (0, 0.0))

    def test_many_changes_take_a_fixed_sample_with_each_orders_reverse(self) -> None:
        orders, complete = _orders(MAX_PLAYERS + 3)
        self.assertFalse(complete)
        self.assertEqual(len(orders), ORDERS_TRIED)
        self.assertEqual(orders, _orders(MAX_PLAYERS + 3)[0])
        self.assertEqual({order[::-1] for order in orders}, set(orders))
        for order in orders:
            self.assertEqual(sorted(order), list(range(MAX_PLAYERS + 3)))

    def test_a_sample_still_adds_up_and_is_exact_where_changes_do_not_meddle(self) -> None:
        count = MAX_PLAYERS + 2
        worths = np.arange(1.0, count + 1)
        totals, _ = _average(count, _orders(count)[0], lambda members: (float(worths[list(members)].sum()), 0.0))
        np.testing.assert_allclose(totals[:, 0], worths)


def slow_share(strokes: Strokes, row: int, below: Any) -> float:
    """Share of a bead's rectangle that lies on the beads below, by exact areas."""
    start, end = strokes.start_xy[row], strokes.end_xy[row]
    way = (end - start) / np.linalg.norm(end - start)
    side = np.array([-way[1], way[0]]) * strokes.width_mm[row] / 2 * 0.9
    bead = shapely.Polygon([start + side, end + side, end - side, start - side])
    return float(shapely.area(shapely.intersection(bead, below)) / bead.area)


class Rests(unittest.TestCase):
    """What beads rest on, felt on a grid, against exact areas."""

    def compare(self, solid: Any, layer: int, **recipe: Any) -> None:
        strokes = Engine().detail(PrintJob(solid, Recipe.model_validate(recipe))).strokes
        rows = np.flatnonzero(strokes.layer == layer)
        under = np.flatnonzero((strokes.layer == layer - 1) & ~strokes.is_travel)
        lines = shapely.linestrings(np.stack([strokes.start_xy[under], strokes.end_xy[under]], axis=1))
        # Flat ends and round ones differ by half a width; the grid has round corners of its own.
        below = shapely.union_all(shapely.buffer(lines, strokes.width_mm[under] / 2, cap_style="square"))
        felt = resting_share(strokes, (layer, layer + 1))
        long_ones = [k for k, row in enumerate(rows) if not strokes.is_travel[row] and strokes.length_mm[row] > 3]
        self.assertGreater(len(long_ones), 4)
        for k in long_ones:
            self.assertAlmostEqual(felt[k], slow_share(strokes, int(rows[k]), below), delta=0.2)
        exact = np.mean([slow_share(strokes, int(rows[k]), below) for k in long_ones])
        self.assertAlmostEqual(float(np.mean(felt[long_ones])), float(exact), delta=0.05)

    def test_infill_over_crossing_infill(self) -> None:
        self.compare(solid_of(block(20, 20, 4)), 10, infill={"density": 0.2, "pattern": "lines"})

    def test_a_skin_over_sparse_infill(self) -> None:
        self.compare(solid_of(block(20, 20, 4)), 16, infill={"density": 0.15})

    def test_steps_of_a_stair(self) -> None:
        stair = solid_of(block(20, 12, 2) + block(14, 12, 2, (3.0, 0, 2)) + block(20, 12, 2, (0, 0, 4)))
        self.compare(stair, 20, infill={"density": 0.3})

    @settings(max_examples=cases(5, 120))
    @given(st.floats(0.08, 0.3), st.floats(4, 9))
    def test_a_steep_cone_rests_well_at_any_height(self, height: float, radius: float) -> None:
        strokes = (
            Engine().detail(PrintJob(cone(radius, 30, 64), Recipe(layer_height_mm=round(height, 3), walls=1))).strokes
        )
        layer = len(strokes.layers) // 3
        share = resting_share(strokes, (layer, layer + 1))
        outer = strokes.feature[strokes.layer == layer] == 0
        # Each ring lies a little inside of the one below: h tan(angle), a small part of its width.
        self.assertGreater(float(share[outer].min()), 0.55)

    def test_several_layers_are_those_of_each(self) -> None:
        strokes = Engine().detail(PrintJob(solid_of(block(12, 12, 2)), Recipe())).strokes
        whole = resting_share(strokes, (0, 10))
        apart = np.concatenate([resting_share(strokes, (layer, layer + 1)) for layer in range(10)])
        np.testing.assert_array_equal(whole, apart)
        self.assertEqual(len(whole), len(strokes))


if __name__ == "__main__":
    unittest.main()
