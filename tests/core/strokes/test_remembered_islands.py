"""What is remembered island by island gives what planning afresh would, to the last bit, in whatever order it is asked for."""

from __future__ import annotations

import unittest

import manifold3d
import numpy as np

from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.model import Recipe
from meanbead.core.part.solid import Solid
from meanbead.core.recipe.choices import with_value
from tests.running.effort import cases
from tests.support.solids import block, cone, solid_of


def _tray() -> Solid:
    """Upright walls with thin ribs, holes in the floor, a step half-way up and a leaning rim."""
    outside = block(46, 34, 14) + manifold3d.Manifold.cylinder(6, 15, 19, 48).translate((23, 17, 14))
    hollow = block(40, 28, 30, (3, 3, 1.6)) - sum(
        (block(0.9, 28, 8, (9 + 9 * k, 3, 1.6)) for k in range(4)), block(1, 28, 4, (4, 3, 1.6))
    )
    holes = sum((block(2, 2, 5, (6 + 5 * k, 8, -1)) for k in range(1, 7)), block(2, 2, 5, (6, 8, -1)))
    return solid_of(outside - hollow - holes)


EDITS: tuple[dict[str, object], ...] = (
    {"infill.density": 0.31},
    {"walls": 4},
    {"walls": 3, "infill.density": 0.12},
    {"line_width_mm.outer_wall": 0.5},
    {"top_layers": 2, "infill.density": 0.8},
    {"layer_height_mm": 0.24},
    {"thin_walls": "fixed"},
    {"walls": 0},
    {},
)


class Remembered(unittest.TestCase):
    def test_any_order_of_edits_and_samples_gives_what_a_fresh_engine_does(self) -> None:
        for solid in (_tray(), cone(12, 18, 40)):
            engine = Engine()
            for edit in EDITS[: cases(4, 99)]:
                recipe = Recipe()
                for key, value in edit.items():
                    recipe = with_value(recipe, key, value)
                job = PrintJob(solid, recipe)
                # A sample first, as the page asks, then all layers, which share what the sample laid; then a search's sample.
                for layers in (24, None, 12):
                    fresh = Engine()
                    self.assertEqual(engine.estimate(job, layers), fresh.estimate(job, layers), (edit, layers))
                mine, its = (one.detail(job) for one in (engine, Engine()))
                for name in ("start_xy", "end_xy", "width_mm", "feature", "layer"):
                    np.testing.assert_array_equal(getattr(mine.strokes, name), getattr(its.strokes, name))

    def test_layers_without_walls_beside_layers_with_them(self) -> None:
        # What an island gets may depend on whether any layer has walls: both must be told apart.
        ranges = ({"from_mm": 0.5, "to_mm": 2.5, "walls": 0, "top_layers": 0, "infill_density": 0.0},)
        engine, solid = Engine(), _tray()
        for keys in ({"walls": 0}, {"height_ranges": ranges}, {"walls": 0, "height_ranges": ranges}, {}):
            job = PrintJob(solid, Recipe.model_validate(keys))
            self.assertEqual(engine.estimate(job), Engine().estimate(job), keys)

    def test_skins_that_reach_otherwise_elsewhere(self) -> None:
        # Both look over as many layers in all, one further up and one further down: on an upright part nothing else differs.
        solid, engine = solid_of(block(20, 20, 6)), Engine()
        for top, bottom in ((5, 3), (4, 4), (3, 5), (5, 3)):
            beyond = {"from_mm": 2.6, "to_mm": 3.0, "top_layers": top, "bottom_layers": bottom}
            recipe = Recipe.model_validate({"top_layers": 3, "bottom_layers": 3, "height_ranges": [beyond]})
            job = PrintJob(solid, recipe)
            self.assertEqual(engine.estimate(job), Engine().estimate(job), (top, bottom))

    def test_islands_of_another_part_are_never_taken_for_its_own(self) -> None:
        # Sections come and go: names must not outlive what they name.
        engine = Engine(cache_bytes=2_000_000)
        for k in range(12):
            solid = solid_of(block(20 + k, 20, 4) - block(5, 5, 9, (2 + k, 3, -1)))
            job = PrintJob(solid, Recipe(walls=2 + k % 3))
            self.assertEqual(engine.estimate(job).print_time_s, Engine().estimate(job).print_time_s)

    def test_it_outgrows_no_memory(self) -> None:
        # Each count of walls adds to what is remembered under one key: that must not go on for ever.
        share = 400_000
        engine, solid, most = Engine(8 * share), _tray(), 0
        for walls in range(1, cases(9, 16)):
            engine.estimate(PrintJob(solid, Recipe(walls=walls)))
            most = max(most, engine._planner._laid.nbytes)
        one = Engine()
        one.estimate(PrintJob(solid, Recipe(walls=walls)))
        self.assertLess(most, share + 2 * one._planner._laid.nbytes)
