"""Experiments against simulated truth, a published ranking, closed forms, and brute force."""

from __future__ import annotations

import itertools
import math
import unittest

import numpy as np

from meanbead.core.errors import MeanBeadError, RecipeError
from meanbead.core.formulas.strength import shell_mm
from meanbead.core.learn.experiments import CellData, cell_recipe, check_grid, grid_cells, judge, rank_pairs
from meanbead.core.learn.experiments.grid import Setup
from meanbead.core.learn.experiments.plan import CellPrint, plan_prints
from meanbead.core.learn.experiments.ranking import next_pair
from meanbead.core.learn.experiments.ready_made import ready_made
from meanbead.core.learn.experiments.verdict import pieces_for
from meanbead.core.learn.experiments.words import keepings
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from meanbead.core.model.experiment import Grid, Measured
from meanbead.core.recipe.resolve import resolve
from tests.running.effort import cases

# The American League's eastern division in 1987: games won against each other, from A. Agresti, Categorical Data Analysis
# (1990), table 10.10; strengths and standard errors as published for the model without a home advantage, the last held at 0.
TEAMS = ("Milwaukee", "Detroit", "Toronto", "New York", "Boston", "Cleveland", "Baltimore")
WON = (
    (0, 7, 9, 7, 7, 9, 11),
    (6, 0, 7, 5, 11, 9, 9),
    (4, 6, 0, 7, 7, 8, 12),
    (6, 8, 6, 0, 6, 7, 10),
    (6, 2, 6, 7, 0, 7, 12),
    (4, 4, 5, 6, 6, 0, 6),
    (2, 4, 1, 3, 1, 7, 0),
)
PUBLISHED = (1.581, 1.436, 1.294, 1.248, 1.108, 0.684, 0.0)
ERRORS = (0.343, 0.340, 0.337, 0.336, 0.334, 0.332)


class Ranked(unittest.TestCase):
    def test_a_published_ranking(self) -> None:
        games = [(i, j) for i, row in enumerate(WON) for j, won in enumerate(row) for _ in range(won)]
        found = rank_pairs(7, games, prior_sd=100.0)
        last = found.strengths[-1].value
        for strength, published in zip(found.strengths, PUBLISHED, strict=True):
            self.assertAlmostEqual(strength.value - last, published, delta=0.002)
        # Errors of differences from Baltimore, by a refit with its strength held: the information without its row.
        better = np.array([[1 / (1 + math.exp(b - a)) for b in PUBLISHED] for a in PUBLISHED])
        met = np.array(WON) + np.array(WON).T
        information = np.diag((met * better * (1 - better)).sum(axis=1)) - met * better * (1 - better)
        errors = np.sqrt(np.diag(np.linalg.inv(information[:-1, :-1])))
        np.testing.assert_allclose(errors, ERRORS, atol=0.002)
        self.assertIn((0, 6), found.sure)
        self.assertNotIn((0, 1), found.sure)

    def test_a_piece_that_always_won_stays_finite_and_ties_count_half(self) -> None:
        found = rank_pairs(3, [(0, 1), (0, 2), (0, 1)], evens=[(1, 2)])
        self.assertTrue(all(math.isfinite(one.high) for one in found.strengths))
        self.assertEqual([one.won for one in found.strengths], [3, 0.5, 0.5])
        with self.assertRaises(ValueError):
            rank_pairs(3, [(1, 1)])

    def test_false_differences_of_looks_are_rare_and_true_ones_found(self) -> None:
        false, found = 0, 0
        for seed in range(200):
            rng = np.random.default_rng(seed)
            pairs = [pair for pair in itertools.combinations(range(4), 2) for _ in range(6)]
            alike = [pair if rng.random() < 0.5 else pair[::-1] for pair in pairs]
            false += bool(rank_pairs(4, alike).sure)
            ordered = [pair if rng.random() < 0.95 else pair[::-1] for pair in pairs]
            found += (0, 3) in rank_pairs(4, ordered).sure
        self.assertLessEqual(false / 200, 0.05)
        self.assertGreater(found / 200, 0.8)

    def test_the_next_pair_has_met_least_and_is_closest(self) -> None:
        self.assertEqual(next_pair([0, 2, 3], None, [(0, 2), (2, 0), (3, 0)]), (2, 3))
        self.assertIsNone(next_pair([1], None, []))
        ranking = rank_pairs(3, [(0, 1), (1, 2), (0, 2), (0, 2)])
        met = [(0, 1), (1, 2), (0, 2)]
        strengths = [one.value for one in ranking.strengths]
        closest = min(itertools.combinations(range(3), 2), key=lambda p: abs(strengths[p[0]] - strengths[p[1]]))
        self.assertEqual(next_pair([0, 1, 2], ranking, met), closest)


class Differences(unittest.TestCase):
    def cells(
        self, rng: np.random.Generator, means: tuple[float, ...], pieces: int, sd: float, gauge: float
    ) -> list[CellData]:
        def read(mean: float) -> list[float]:
            return [round(float(value) / gauge) * gauge for value in mean + sd * rng.standard_normal(pieces)]

        return [CellData({"temp": float(k)}, [], read(mean)) for k, mean in enumerate(means)]

    def test_a_difference_that_is_none_is_claimed_in_at_most_one_of_twenty(self) -> None:
        for sd, gauge in ((1.0, 0.1), (0.06, 0.1)):  # scatter above the gauge's step, and below it
            false, tried = 0, cases(150, 2000)
            for seed in range(tried):
                cells = self.cells(np.random.default_rng([seed, 7]), (5.03,) * 5, 5, sd, gauge)
                verdict = judge({"temp": [float(k) for k in range(5)]}, cells, gauge=gauge)
                false += bool(verdict.differences)
            # 4.9 and 3.1 % of 2,000; of a sample, up to two standard deviations of its count more can come about by chance.
            self.assertLessEqual(false / tried, 0.05 + 2 * (0.05 * 0.95 / tried) ** 0.5, (sd, gauge))

    def test_so_many_pieces_as_planned_show_the_difference_as_often_as_planned(self) -> None:
        pieces = pieces_for(1.2)
        assert pieces is not None
        shown = 0
        for seed in range(300):
            cells = self.cells(np.random.default_rng(1000 + seed), (5.0, 6.2), pieces, 1.0, 0.01)
            shown += bool(judge({"temp": [0.0, 1.0]}, cells, gauge=0.01).differences)
        self.assertAlmostEqual(shown / 300, 0.8, delta=0.08)
        self.assertIsNone(pieces_for(0.01))
        self.assertEqual(pieces_for(50.0), 2)

    def test_what_lies_within_the_gauge_is_no_difference_however_often_it_was_read(self) -> None:
        cells = [CellData({"a": 0.0}, [], [5.0] * 40), CellData({"a": 1.0}, [], [5.1] * 40)]
        verdict = judge({"a": [0.0, 1.0]}, cells, gauge=0.1)
        self.assertEqual(verdict.differences, [])
        self.assertIsNone(verdict.need[0].pieces)
        self.assertEqual(len(judge({"a": [0.0, 1.0]}, cells, gauge=0.05).differences), 1)

    def test_one_piece_each_tells_nothing_of_scatter(self) -> None:
        cells = [CellData({"a": 0.0}, [], [5.0]), CellData({"a": 1.0}, [], [9.0])]
        verdict = judge({"a": [0.0, 1.0]}, cells, gauge=0.1)
        self.assertEqual((verdict.differences, verdict.scatter), ([], None))
        self.assertIn("Only one piece", verdict.notes[0])

    def test_need_settles_what_it_promises(self) -> None:
        rng = np.random.default_rng(4)
        cells = self.cells(rng, (5.0, 5.6), 4, 0.5, 0.01)
        verdict = judge({"temp": [0.0, 1.0]}, cells, gauge=0.01)
        self.assertEqual(len(verdict.differences) + len(verdict.need), 1)
        if verdict.need:
            self.assertGreater(verdict.need[0].pieces or 0, 4)


class Effects(unittest.TestCase):
    def test_main_effects_of_an_additive_truth_are_found_exactly(self) -> None:
        heights, walls = [0.1, 0.2, 0.3], [2.0, 3.0]
        cells = [
            CellData({"h": h, "w": w}, [1000 / h + 300 * w], [2 * h + 0.5 * w])
            for h, w in itertools.product(heights, walls)
            if (h, w) != (0.3, 3.0)  # a cell that is missing does not tilt the others
        ]
        effects = judge({"h": heights, "w": walls}, cells).effects
        change = [one.change for one in effects["h"]["time_s"]]
        np.testing.assert_allclose(change, [0, -5000, 1000 / 0.3 - 10000], atol=1e-6)
        self.assertAlmostEqual(effects["w"]["measured"][1].change, 0.5)
        self.assertAlmostEqual(effects["w"]["measured"][1].high or 9, 0.5, places=6)

    def test_intervals_of_effects_hold_nine_of_ten(self) -> None:
        inside = []
        for seed in range(400):
            rng = np.random.default_rng([seed, 3])
            cells = [
                CellData({"a": a, "b": b}, [], [float(a + 2 * b + 0.3 * rng.standard_normal()) for _ in range(3)])
                for a, b in itertools.product([0.0, 1.0], [0.0, 1.0, 2.0])
            ]
            effect = judge({"a": [0.0, 1.0], "b": [0.0, 1.0, 2.0]}, cells).effects["a"]["measured"][1]
            inside.append((effect.low or 0) <= 1.0 <= (effect.high or 0))
        self.assertAlmostEqual(float(np.mean(inside)), 0.9, delta=0.04)

    def test_the_knee_of_a_time_that_falls_as_one_over_the_height(self) -> None:
        """Of ``a + b / h`` a share s of the saving from h0 to h1 is had at ``1 / (1/h0 - s (1/h0 - 1/h1))``."""
        levels = [round(0.08 + 0.02 * k, 2) for k in range(15)]
        for share in (0.5, 0.8, 0.9):
            cells = [CellData({"h": level}, [600 + 900 / level]) for level in levels]
            knee = judge({"h": levels}, cells, share=share).knee["h"]
            inverse = 1 / levels[0] - share * (1 / levels[0] - 1 / levels[-1])
            self.assertAlmostEqual(knee.at, 1 / inverse, delta=0.002)
            self.assertEqual(knee.level, min(level for level in levels if level >= 1 / inverse - 1e-9))
            self.assertGreaterEqual(knee.had, share)
            after = levels[levels.index(knee.level) + 1]
            self.assertAlmostEqual(knee.next_saves_s, 900 / knee.level - 900 / after)

    def test_a_knee_of_a_straight_line_and_where_there_is_none(self) -> None:
        levels = [1.0, 2.0, 3.0, 4.0, 5.0]
        line = [CellData({"n": level}, [100 + 10 * level]) for level in levels]  # fewer is faster
        knee = judge({"n": levels}, line, share=0.5).knee["n"]
        self.assertEqual(knee.level, 3.0)
        self.assertAlmostEqual(knee.at, 3.0)
        flat = [CellData({"n": level}, [100.0]) for level in levels]
        self.assertEqual(judge({"n": levels}, flat).knee, {})

    def test_the_fastest_that_nobody_faulted_and_the_cell_between(self) -> None:
        cells = [
            CellData({"h": 0.1}, [900]),
            CellData({"h": 0.2}, [500]),
            CellData({"h": 0.3}, [300], faulted=True),
        ]
        verdict = judge({"h": [0.1, 0.2, 0.3]}, cells)
        self.assertEqual(verdict.fastest, 1)
        assert verdict.between is not None
        self.assertEqual(verdict.between.levels, {"h": 0.25})
        counts = [CellData({"n": 2.0}, [500]), CellData({"n": 1.0}, [400], faulted=True)]
        self.assertIsNone(judge({"n": [1.0, 2.0]}, counts).between)

    def test_odd_input_is_named(self) -> None:
        with self.assertRaisesRegex(MeanBeadError, r"cells\[1\]\.levels\.h"):
            judge({"h": [0.1]}, [CellData({"h": 0.1}), CellData({"h": 0.7})])
        with self.assertRaisesRegex(MeanBeadError, "ranks"):
            judge({"h": [0.1, 0.2]}, [CellData({"h": 0.1}), CellData({"h": 0.2})], ranks=[(0, 5)])


class Grids(unittest.TestCase):
    setup = Setup(Recipe(), Printer(), Nozzle(), Material())

    def test_what_stays_equal_stays_equal_in_millimetres(self) -> None:
        grid = Grid.model_validate({"factors": [{"key": "height_share", "levels": [0.25, 0.5, 0.75]}]})
        base = resolve(self.setup.recipe, self.setup.printer, self.setup.nozzle, self.setup.material)
        for bore in (0.4, 0.6, 0.8):
            to = Setup(self.setup.recipe, self.setup.printer, Nozzle(bore_mm=bore), self.setup.material)
            for cell in grid_cells(grid):
                plan = resolve(cell_recipe(self.setup, cell, grid, to), to.printer, to.nozzle, to.material)
                shape = plan.shape
                self.assertAlmostEqual(shape.layer_height_mm, float(cell["height_share"]) * bore, delta=0.003)
                self.assertLess(abs(shell_mm(plan) - shell_mm(base)), 0.6 * shape.width_mm.inner_wall)
                for side in ("top_layers", "bottom_layers"):
                    thick = getattr(shape, side) * shape.layer_height_mm
                    wanted = getattr(base.shape, side) * base.shape.layer_height_mm
                    self.assertLessEqual(abs(thick - wanted), 0.5 * shape.layer_height_mm + 1e-9)

    def test_a_factor_is_not_overruled_by_what_is_kept(self) -> None:
        grid = Grid.model_validate(
            {
                "factors": [{"key": "height_share", "levels": [0.7]}, {"key": "walls", "levels": [1, 4]}],
                "keep_skins": False,
            }
        )
        walls = [cell_recipe(self.setup, cell, grid).walls for cell in grid_cells(grid)]
        self.assertEqual(walls, [1, 4])
        self.assertIsNone(cell_recipe(self.setup, grid_cells(grid)[0], grid).top_layers)

    def test_left_out_and_added_cells(self) -> None:
        grid = Grid.model_validate(
            {
                "factors": [{"key": "walls", "levels": [2, 3]}, {"key": "top_layers", "levels": [3, 4]}],
                "left_out": [{"walls": 2, "top_layers": 4}],
                "added": [{"walls": 5, "top_layers": 4}],
            }
        )
        found = [tuple(cell.values()) for cell in grid_cells(grid)]
        self.assertEqual(found, [(2, 3), (3, 3), (3, 4), (5, 4)])
        with self.assertRaises(RecipeError):
            check_grid(Grid.model_validate({"factors": [{"key": "spool", "levels": [2]}]}))

    def test_every_ready_made_grid_makes_recipes(self) -> None:
        for one in ready_made([1, 2]):
            check_grid(one.grid)
            if not {"nozzle"} & {factor.key for factor in one.grid.factors}:
                for cell in grid_cells(one.grid):
                    recipe = cell_recipe(self.setup, cell, one.grid)
                    self.assertEqual(recipe.copies.count, one.grid.pieces if one.grid.pieces > 1 else None)

    def test_a_measurement_is_a_value_or_what_lies_between_two(self) -> None:
        self.assertAlmostEqual(Measured(before=40.0, after=37.5).result, 2.5)
        self.assertEqual(Measured(value=3.0).result, 3.0)
        for odd in ({}, {"before": 3.0}, {"value": 1.0, "before": 2.0}):
            with self.assertRaises(ValueError):
                Measured.model_validate(odd)

    def test_what_can_be_kept_follows_from_the_levels(self) -> None:
        found = {
            one.kind: one.value for one in keepings({"acceleration_mm_s2.outer_wall": 1200.0}, lambda name, level: "")
        }
        self.assertEqual(found["machine"], 1200.0)
        rule = keepings({"height_share": 0.6}, lambda name, level: "")[1]
        self.assertEqual((rule.key, rule.value), ("layer_height_ceiling", "three_quarters"))


class Planned(unittest.TestCase):
    def test_no_order_needs_fewer_swaps(self) -> None:
        rng = np.random.default_rng(0)
        for _ in range(25):
            cells = [
                CellPrint(place, "m", str(rng.choice(["0.4", "0.6", "0.8"])), "PLA", 200.0, 1, 600.0, 5.0)
                for place in range(6)
            ]
            for fitted in ({}, {"m": "0.6"}):
                plan = plan_prints(cells, fitted)

                def swaps(order: tuple[CellPrint, ...], first: str | None) -> int:
                    held, count = first, 0
                    for cell in order:
                        count += held not in (None, cell.nozzle)
                        held = cell.nozzle
                    return count

                least = min(swaps(order, fitted.get("m")) for order in itertools.permutations(cells))
                self.assertEqual(plan.nozzle_swaps, least)
                self.assertEqual(sorted(one.place for one in plan.prints), list(range(6)))

    def test_what_is_printed_is_left_out(self) -> None:
        cells = [CellPrint(k, "m", "0.4", "PLA", 200.0, 2, 3600.0, 5.0, printed=k) for k in range(3)]
        plan = plan_prints(cells)
        self.assertEqual((plan.plates, plan.hours, plan.grams), (3, 3.0, {"PLA": 15.0}))
