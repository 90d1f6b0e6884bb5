"""Plates: outlines, packing, what head and gantry would hit, shares; against areas, brute force and sums."""

from __future__ import annotations

import itertools
import math
import unittest
from typing import ClassVar

import numpy as np
import shapely
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate.engine import Engine, PrintJob
from meanbead.core.model import Recipe
from meanbead.core.model.printer import BedMm, HeadBox
from meanbead.core.model.recipe import Copies
from meanbead.core.model.shop import Attendance
from meanbead.core.part.read import RawMesh
from meanbead.core.part.solid import Solid, make_solid
from meanbead.core.plates import Placed, Standing, Trouble, outline_of, pack, print_order, troubles
from meanbead.core.plates.estimate import estimate_plate, fill_plate, gap_of
from meanbead.core.plates.outline import merged_solid
from meanbead.core.plates.pack import boxes_packed, outlines_packed, used_length_mm
from meanbead.core.schedule import plates_per_day
from tests.running.effort import cases

BED = BedMm()


def solid_of(mesh: trimesh.Trimesh) -> Solid:
    return make_solid(RawMesh(np.asarray(mesh.vertices, float), np.asarray(mesh.faces, np.int64), None, ()))


def box(x: float, y: float, z: float) -> Solid:
    return solid_of(trimesh.creation.box((x, y, z)))


def standing(x: float, y: float, z: float) -> Standing:
    return Standing(shapely.box(-x / 2, -y / 2, x / 2, y / 2), z)


def l_shape(long: float, thick: float) -> Standing:
    shape = shapely.union(shapely.box(0, 0, long, thick), shapely.box(0, 0, thick, long))
    return Standing(shapely.affinity.translate(shape, -long / 2, -long / 2), 10)


class Outlines(unittest.TestCase):
    def test_a_shadow_holds_all_layers_and_keeps_holes(self) -> None:
        ring = trimesh.creation.annulus(10, 20, 5)
        self.assertAlmostEqual(outline_of(solid_of(ring)).outline.area, math.pi * 300, delta=12)
        cone = trimesh.creation.cone(15, 20)
        cone.apply_transform(trimesh.transformations.rotation_matrix(math.pi, (1, 0, 0)))
        self.assertAlmostEqual(outline_of(solid_of(cone)).outline.area, math.pi * 225, delta=12)

    def test_a_brim_widens_it_all_around(self) -> None:
        bare, wide = outline_of(box(20, 10, 5)), outline_of(box(20, 10, 5), 6)
        self.assertAlmostEqual(wide.outline.bounds[2] - bare.outline.bounds[2], 6, delta=0.1)

    def test_parts_are_put_together_where_they_stand(self) -> None:
        one = merged_solid([box(10, 10, 4), box(20, 6, 9)], [Placed(0, -30, 0), Placed(1, 30, 5, 90)])
        size = np.ptp(one.vertices, axis=0)
        np.testing.assert_allclose(size, [68, 20, 9])
        self.assertAlmostEqual(float(one.manifold.volume()), 400 + 1080)


class Packing(unittest.TestCase):
    def sets(self) -> list[tuple[list[Standing], list[int]]]:
        """Ten made-up sets: boxes, discs, Ls and triangles of sizes by chance, more than a bed holds."""
        found = []
        for seed in range(10):
            rng = np.random.default_rng(seed)
            kinds = []
            for _ in range(3):
                size, thick = rng.uniform(25, 80), rng.uniform(8, 20)
                kinds.append(
                    [
                        standing(size, rng.uniform(10, 60), 20),
                        Standing(shapely.Point(0, 0).buffer(size / 2), 20),
                        l_shape(size, thick),
                        Standing(shapely.Polygon([(-size / 2, -size / 3), (size / 2, -size / 3), (0, size / 2)]), 20),
                    ][int(rng.integers(0, 4))]
                )
            found.append((kinds, [int(count) for count in rng.integers(4, 30, 3)]))
        return found

    def test_nothing_touches_and_true_outlines_are_never_worse_than_boxes(self) -> None:
        covered = {"boxes": 0.0, "outlines": 0.0, "taken": 0.0}
        for number, (kinds, counts) in enumerate(self.sets()[: cases(3, 99)]):
            with self.subTest(set=number):
                ways = {
                    "boxes": boxes_packed(kinds, counts, BED, 4),
                    "outlines": outlines_packed(kinds, counts, BED, 4),
                    "taken": pack(kinds, counts, BED, 4),
                }
                for way, placed in ways.items():
                    self.assertEqual(troubles(kinds, placed, BED, 4), [], way)
                    covered[way] += sum(kinds[one.of].outline.area for one in placed)
                self.assertGreaterEqual(len(ways["taken"]), max(len(ways["boxes"]), len(ways["outlines"])))
        # By true outlines more of the bed is used; what is taken is at least the better of both, by count.
        self.assertGreater(covered["outlines"], 1.05 * covered["boxes"])

    def test_frames_hold_what_fits_into_their_holes(self) -> None:
        frame = Standing(shapely.difference(shapely.box(-100, -100, 100, 100), shapely.box(-60, -60, 60, 60)), 5)
        placed = pack([frame, standing(50, 50, 5)], [1, 4], BED, 5)
        self.assertEqual(len(placed), 5)
        self.assertEqual(troubles([frame, standing(50, 50, 5)], placed, BED, 5), [])

    def test_what_is_too_large_or_too_high_is_left_out(self) -> None:
        self.assertEqual(pack([standing(230, 20, 5)], [1], BED, 5), [])
        self.assertEqual(len(pack([standing(215, 20, 5)], [1], BedMm(x=30, y=220), 5)), 1)
        self.assertEqual(pack([standing(215, 20, 5)], [1], BedMm(x=30, y=220), 5, may_turn=False), [])
        self.assertEqual(pack([standing(20, 20, 300)], [2], BED, 5), [])

    def test_boxes_fill_the_bed_as_a_grid_does(self) -> None:
        placed = pack([standing(50, 50, 5)], [99], BED, 5)
        self.assertEqual(len(placed), 16)
        self.assertLessEqual(used_length_mm([standing(50, 50, 5)], placed), 220)


def _hits(kinds: list[Standing], placed: list[Placed], order: tuple[int, ...], head: HeadBox) -> bool:
    """Whether anything is hit, looked at nozzle place by nozzle place; knows nothing of sweeps."""
    for turn, one in enumerate(order):
        hull = placed[one].outline(kinds).convex_hull
        _, y0, _, y1 = hull.bounds
        rim = [hull.exterior.interpolate(share, normalized=True) for share in np.linspace(0, 1, 60)]
        places = [(point.x, point.y) for point in rim] + list(hull.exterior.coords)
        for other in order[:turn]:
            there = placed[other].outline(kinds)
            for x, y in places:
                if shapely.box(x - head.left_mm, y - head.front_mm, x + head.right_mm, y + head.back_mm).intersects(
                    there
                ):
                    return True
            if kinds[placed[other].of].height_mm > head.gantry_mm:
                bar = shapely.box(-1e4, y0 - head.gantry_deep_mm, 1e4, y1 + head.gantry_deep_mm)
                if bar.intersects(there):
                    return True
    return False


class Checks(unittest.TestCase):
    def test_each_trouble_is_told(self) -> None:
        kinds = [standing(40, 40, 10)]
        near = troubles(kinds, [Placed(0, 0, 0), Placed(0, 43, 0)], BED, 5)
        self.assertEqual([(one.kind, one.items) for one in near], [("near", (0, 1))])
        self.assertIn("3.0 mm apart", near[0].says)
        self.assertIn("touch", troubles(kinds, [Placed(0, 0, 0), Placed(0, 30, 0)], BED, 5)[0].says)
        self.assertEqual([one.kind for one in troubles(kinds, [Placed(0, 95, 0)], BED, 5)], ["bed"])
        self.assertEqual([one.kind for one in troubles([standing(9, 9, 400)], [Placed(0, 0, 0)], BED, 5)], ["high"])
        self.assertEqual(troubles(kinds, [Placed(0, 0, 0), Placed(0, 45, 0)], BED, 5), [])

    @settings(max_examples=cases(20, 800), deadline=None)
    @given(st.integers(0, 10**6))
    def test_an_order_is_found_where_there_is_one(self, seed: int) -> None:
        rng = np.random.default_rng(seed)
        kinds = [
            standing(float(rng.uniform(5, 40)), float(rng.uniform(5, 40)), float(rng.choice([10, 60])))
            for _ in range(4)
        ]
        placed = [Placed(k, *(float(v) for v in rng.uniform(-95, 95, 2))) for k in range(4)]
        head = HeadBox(
            left_mm=float(rng.uniform(0, 50)),
            right_mm=float(rng.uniform(0, 50)),
            front_mm=float(rng.uniform(0, 50)),
            back_mm=float(rng.uniform(0, 50)),
            gantry_deep_mm=float(rng.uniform(0, 40)),
        )
        found = print_order(kinds, placed, head)
        good = [order for order in itertools.permutations(range(4)) if not _hits(kinds, placed, order, head)]
        if isinstance(found, Trouble):
            self.assertEqual(good, [])
        else:
            self.assertIn(tuple(found), good)


class Estimates(unittest.TestCase):
    engine: ClassVar[Engine]
    solids: ClassVar[list[Solid]]
    job: ClassVar[PrintJob]

    @classmethod
    def setUpClass(cls) -> None:
        cls.engine = Engine()
        cls.solids = [box(22, 14, 5), solid_of(trimesh.creation.cylinder(7, 9))]
        cls.job = PrintJob(cls.solids[0], Recipe.model_validate({"adhesion": {"kind": "none"}}))

    def alone(self, solid: Solid) -> float:
        return self.engine.estimate(PrintJob(solid, self.job.recipe)).filament_g

    def test_shares_add_up_and_are_each_parts_own(self) -> None:
        placed = [Placed(0, -30, 0), Placed(1, 30, 0), Placed(1, 30, 40)]
        found = estimate_plate(self.engine, self.job, self.solids, placed)
        self.assertAlmostEqual(sum(share.time_s for share in found.shares), found.estimate.print_time_s, places=6)
        self.assertAlmostEqual(sum(share.filament_g for share in found.shares), found.estimate.filament_g, places=9)
        self.assertAlmostEqual(sum(share.cost for share in found.shares), found.estimate.cost, places=9)
        for share, solid in zip(found.shares, (self.solids[0], self.solids[1], self.solids[1]), strict=True):
            self.assertAlmostEqual(share.filament_g / self.alone(solid), 1, delta=0.04)
        # Layers are shared: each cools while the others are laid.
        by_itself = self.engine.estimate(PrintJob(self.solids[1], self.job.recipe))
        self.assertLess(found.estimate.by_cause.layer_cooling_s, by_itself.by_cause.layer_cooling_s)
        self.assertEqual(found.estimate.layers, by_itself.layers)

    def test_copies_on_a_plate_are_the_engines_copies(self) -> None:
        """The same layout by both ways: the recipe's copies, and a plate with the places that they have."""
        recipe = self.job.recipe.model_copy(update={"copies": Copies(count=2, gap_mm=10)})
        copies = self.engine.estimate(PrintJob(self.solids[0], recipe))
        apart = [Placed(0, 0, -12.0), Placed(0, 0, 12.0)]
        plate = estimate_plate(self.engine, self.job, self.solids, apart).estimate
        self.assertAlmostEqual(plate.print_time_s / copies.print_time_s, 1, delta=0.01)
        self.assertAlmostEqual(plate.filament_g / copies.filament_g, 1, delta=0.01)

    def test_one_after_the_other_is_the_sum_with_the_ways_between(self) -> None:
        placed = [Placed(0, -70, 0), Placed(1, 70, 0)]
        found = estimate_plate(self.engine, self.job, self.solids, placed, HeadBox())
        alone = [self.engine.estimate(PrintJob(solid, self.job.recipe)) for solid in self.solids]
        between = found.estimate.print_time_s - sum(one.print_time_s for one in alone)
        self.assertAlmostEqual(between, 140 / 250 + 4, places=6)
        self.assertAlmostEqual(
            sum(found.estimate.by_cause.model_dump().values()), found.estimate.print_time_s, places=5
        )
        self.assertEqual(sorted(found.order), [0, 1])
        heating = found.estimate.whole_time_s - found.estimate.print_time_s
        self.assertAlmostEqual(heating, alone[0].whole_time_s - alone[0].print_time_s)

    def test_no_order_and_no_parts_are_refused(self) -> None:
        tall = [box(20, 20, 60)]
        with self.assertRaisesRegex(MeanBeadError, "gantry"):
            estimate_plate(self.engine, self.job, tall, [Placed(0, -70, 0), Placed(0, 70, 0)], HeadBox())
        with self.assertRaisesRegex(MeanBeadError, "nothing on the plate"):
            estimate_plate(self.engine, self.job, tall, [])

    def test_a_full_plate_by_closed_forms(self) -> None:
        found = fill_plate(self.engine, self.job, Attendance(), 0.02)
        gap, brim = gap_of(self.job)
        self.assertEqual(found.most, len(pack([outline_of(self.solids[0], brim)], [200], BED, gap)))
        self.assertEqual(found.steps[-1].count, found.most)
        for step in found.steps:
            chance = math.exp(-0.02 * step.whole_time_s / 3600)
            self.assertAlmostEqual(step.risk, 1 - chance)
            self.assertAlmostEqual(step.per_day, step.count * plates_per_day(step.whole_time_s, Attendance()) * chance)
            self.assertAlmostEqual(step.piece_s * step.count, step.whole_time_s)
        best = max(found.steps, key=lambda step: step.per_day)
        self.assertEqual(found.best, best.count)
        self.assertEqual(found.cheapest, min(found.steps, key=lambda step: step.cost_of_good).count)
        with self.assertRaisesRegex(MeanBeadError, "Not even one"):
            fill_plate(self.engine, PrintJob(box(400, 10, 5), self.job.recipe), Attendance(), 0.02)


if __name__ == "__main__":
    unittest.main()
