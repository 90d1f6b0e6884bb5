"""Samples that are to be compared: same layers, skins among them, a bound on the difference alone."""

from __future__ import annotations

import unittest

import numpy as np

from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.estimate.sample import LayerSample, sample_layers
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from meanbead.core.part.solid import Solid
from meanbead.core.recipe.resolve import resolve
from tests.support.solids import block, cone, solid_of, sphere

ENGINE = Engine()
CUP = solid_of(block(30, 30, 60) - block(26, 26, 80, (2, 2, 3)))


def sample_of(solid: Solid, recipe: Recipe, like: LayerSample | None = None, skins: bool = True) -> LayerSample:
    shape = resolve(recipe, Printer(), Nozzle(), Material()).shape
    cut = ENGINE._planner.cut(solid, shape)
    return sample_layers(cut, shape, 20, solid.digest, like, with_skins=skins)


class Layers(unittest.TestCase):
    def test_skins_are_among_them(self) -> None:
        # Floor to 3 mm: layers of its top skin, of its bottom and of the rim hold nearly all skin.
        chosen = sample_of(CUP, Recipe()).chosen
        for layer in (0, 1, 2, 11, 12, 13, 14, 296, 297, 298, 299):
            self.assertTrue(chosen[layer] or layer in (11, 296), layer)
        plain = sample_of(CUP, Recipe(), skins=False).chosen
        self.assertGreater(chosen.sum(), plain.sum())

    def test_a_dome_whose_skin_is_everywhere_gets_none_extra(self) -> None:
        ball = sphere(15, 4)
        self.assertEqual(sample_of(ball, Recipe()).chosen.sum(), sample_of(ball, Recipe(), skins=False).chosen.sum())

    def test_another_recipe_takes_the_same_ones(self) -> None:
        one = sample_of(CUP, Recipe())
        other = sample_of(CUP, Recipe(walls=4), like=one)
        np.testing.assert_array_equal(one.weight, other.weight)
        self.assertFalse(np.array_equal(one.volume_weight, other.volume_weight))

    def test_other_layers_are_drawn_anew(self) -> None:
        one = sample_of(CUP, Recipe())
        other = sample_of(CUP, Recipe(layer_height_mm=0.28), like=one)
        self.assertNotEqual(len(one.weight), len(other.weight))

    def test_the_weights_stand_for_all_layers(self) -> None:
        found = sample_of(cone(14, 40), Recipe())
        self.assertAlmostEqual(float(np.sum(found.weight * found.size_s)), float(np.sum(found.size_s)), delta=1e-6)


class Differences(unittest.TestCase):
    def test_what_is_the_same_differs_by_nothing(self) -> None:
        found = sample_of(CUP, Recipe())
        seconds = np.linspace(5, 9, len(found.weight))
        floor = found.difference_error_s(seconds, seconds)
        self.assertLess(floor, 0.0045 * float(np.sum(seconds * found.weight)))

    def test_scatter_in_the_difference_shows_and_scatter_in_both_does_not(self) -> None:
        found = sample_of(CUP, Recipe())
        noise = np.random.default_rng(4).uniform(0, 4, len(found.weight))
        base = 8 + noise
        alike = found.difference_error_s(base, base + 1)
        apart = found.difference_error_s(base, base[::-1] + 1)
        self.assertGreater(apart, 3 * alike)

    def test_a_whole_print_has_no_error(self) -> None:
        low = solid_of(block(20, 20, 3))
        one, other = (ENGINE.sampled(PrintJob(low, Recipe(walls=n)), 24) for n in (2, 3))
        self.assertEqual(one.difference_error_s(other), 0.0)

    def test_where_layers_differ_both_errors_add_up(self) -> None:
        one, other = (ENGINE.sampled(PrintJob(CUP, Recipe(layer_height_mm=h)), 24) for h in (0.2, 0.28))
        bound = one.difference_error_s(other)
        ends = [each.estimate.sampling_error * each.estimate.print_time_s for each in (one, other)]
        self.assertAlmostEqual(bound, float(np.hypot(*ends)))  # type: ignore[call-overload]

    def test_a_changed_skin_is_seen(self) -> None:
        base = ENGINE.sampled(PrintJob(CUP, Recipe()), 24)
        fewer = PrintJob(CUP, Recipe(bottom_layers=2))
        sampled = ENGINE.sampled(fewer, 24, base).estimate.print_time_s - base.estimate.print_time_s
        full = (
            ENGINE.sampled(fewer, None).estimate.print_time_s
            - ENGINE.sampled(PrintJob(CUP, Recipe()), None).estimate.print_time_s
        )
        self.assertLess(full, -20)
        self.assertAlmostEqual(sampled / full, 1, delta=0.2)
