import unittest
from typing import Any

import numpy as np

from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.estimate.sample import sample_layers
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from meanbead.core.model.printer import HeadBox
from meanbead.core.recipe.resolve import resolve
from meanbead.core.strokes.cut import CutInputs, cut_solid
from tests.demo.test_lessons import solid
from tests.support.solids import block, box, cone, solid_of, sphere

ENGINE = Engine()
NAMES = ("Herb trough", "Shelf bracket", "Domed knob", "Flag post", "Tool box", "Snow owl")
RECIPES: tuple[dict[str, Any], ...] = (
    {},
    {"infill": {"density": 0.35}},
    {"layer_height_mm": 0.28, "walls": 3},
    {"travel": "inside", "walls": 1},
)


def weights(part, keys: dict | None = None, count: int = 24):
    shape = resolve(Recipe.model_validate(keys or {}), Printer(), Nozzle(), Material()).shape
    cut = cut_solid(CutInputs.of(part, shape))
    return sample_layers(cut, shape, count, part.digest), cut


class Samples(unittest.TestCase):
    def test_weights_make_up_the_whole(self) -> None:
        for part in (cone(20, 60), sphere(25), box(30, 30, 80)):
            sample, cut = weights(part)
            size = float(sample.size_s.sum())
            self.assertAlmostEqual(float((sample.weight * sample.size_s).sum()) / size, 1, places=9)
            self.assertEqual(len(sample.weight), len(cut.layers))
            self.assertLessEqual(np.count_nonzero(sample.weight), 24)
            self.assertEqual(sample.weight[0], 1)

    def test_few_layers_are_planned_all(self) -> None:
        sample, cut = weights(box(20, 20, 4))
        self.assertEqual(np.count_nonzero(sample.weight), len(cut.layers))
        self.assertEqual(sample.error(sample.size_s), 0)

    def test_the_same_part_gives_the_same_sample_and_speeds_do_not_matter(self) -> None:
        one, _ = weights(cone(20, 60))
        two, _ = weights(cone(20, 60), {"speed_mm_s": {"infill": 33}, "cooling": {"min_layer_time_s": 0}})
        np.testing.assert_array_equal(one.weight, two.weight)

    def test_the_bound_holds_and_is_small(self) -> None:
        errors, bounds, grams, gram_bounds = [], [], [], []
        for name in NAMES:
            for keys in RECIPES:
                job = PrintJob(solid(name), Recipe.model_validate(keys))
                whole, part = ENGINE.estimate(job), ENGINE.estimate(job, layers=24)
                self.assertEqual((whole.layers_planned, whole.sampling_error), (whole.layers, 0))
                self.assertLess(part.layers_planned, 0.5 * part.layers)
                self.assertEqual(part.layers, whole.layers)
                errors.append(abs(part.print_time_s / whole.print_time_s - 1))
                bounds.append(part.sampling_error)
                grams.append(abs(part.filament_g / whole.filament_g - 1))
                gram_bounds.append(part.filament_error)
        self.assertGreaterEqual(np.mean(np.array(errors) <= np.array(bounds)), 0.95)
        self.assertLess(np.median(errors), 0.012)
        self.assertLess(np.median(bounds), 0.035)
        self.assertLess(max(grams), 0.03)
        self.assertGreaterEqual(np.mean(np.array(grams) <= np.array(gram_bounds)), 0.95)
        self.assertLess(np.median(gram_bounds), 0.03)

    def test_what_is_rare_is_planned_wherever_it_is(self) -> None:
        """Bridges, interfaces and tops of few layers, each within a twentieth of the print of what it takes."""
        stack = solid_of(
            sum(
                (
                    block(40, 30, 2, (0, 0, 10 * k + 8))
                    + block(5, 30, 8, (0, 0, 10 * k))
                    + block(5, 30, 8, (35, 0, 10 * k))
                    for k in range(5)
                ),
                block(1, 1, 1),
            )
        )
        shelf = solid_of(block(60, 6, 60) + block(60, 30, 3, (0, 0, 57)) + block(60, 30, 3, (0, 0, 30)))
        kinds: tuple[dict[str, Any], ...] = ({}, {"supports": {"kind": "columns"}}, {"supports": {"kind": "trees"}})
        for part in (stack, shelf):
            for keys in kinds:
                job = PrintJob(part, Recipe.model_validate(keys))
                whole, some = ENGINE.estimate(job), ENGINE.estimate(job, layers=24)
                self.assertLess(some.layers_planned, 0.2 * some.layers)
                for feature, share in whole.by_feature.items():
                    told = some.by_feature[feature].time_s if feature in some.by_feature else 0.0
                    self.assertLess(abs(told - share.time_s), 0.05 * whole.print_time_s, (keys, feature))
                    if feature in ("bridge", "support_interface"):
                        self.assertAlmostEqual(told / share.time_s, 1, delta=0.1, msg=feature)

    def test_ledgers_of_a_sample_add_up_to_its_time(self) -> None:
        keys = {"adhesion": {"kind": "raft"}, "copies": {"count": 2, "order": "one_by_one"}}
        tall = Printer(head=HeadBox(gantry_mm=200))
        for recipe in ({}, keys):
            part = ENGINE.estimate(PrintJob(solid("Snow owl"), Recipe.model_validate(recipe), tall), layers=24)
            self.assertAlmostEqual(sum(share.time_s for share in part.by_feature.values()), part.print_time_s, places=6)
            self.assertAlmostEqual(sum(part.by_cause.model_dump().values()), part.print_time_s, places=6)
            whole = ENGINE.estimate(PrintJob(solid("Snow owl"), Recipe.model_validate(recipe), tall))
            self.assertAlmostEqual(part.print_time_s / whole.print_time_s, 1, delta=0.03)
