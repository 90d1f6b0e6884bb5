import unittest
from typing import Any

import numpy as np
import shapely

from meanbead.core.estimate import Engine
from meanbead.core.estimate.detail import StrokeDetail, resting_share
from meanbead.core.estimate.job import PrintJob
from meanbead.core.estimate.ledger import CAUSES
from meanbead.core.model import Estimate, Recipe
from meanbead.core.strokes import FEATURES, Feature
from tests.support.solids import block, box, cone, ledge, solid_of, sphere, table

ENGINE = Engine()


def detail(solid: Any, **recipe: Any) -> tuple[StrokeDetail, Estimate]:
    job = PrintJob(solid, Recipe.model_validate(recipe))
    return ENGINE.detail(job), ENGINE.estimate(job)


class Seconds(unittest.TestCase):
    def test_strokes_and_waits_add_up_to_the_print_and_its_features(self) -> None:
        for solid in (box(15, 15, 4), cone(6, 12)):
            found, estimate = detail(solid, retraction={"z_hop_mm": 0.4, "wipe_mm": 1})
            self.assertAlmostEqual(float(found.time_s.sum() + found.wait_s.sum()), estimate.print_time_s, places=6)
            for feature in (Feature.OUTER_WALL, Feature.TRAVEL):
                mine = found.strokes.feature == feature
                share = estimate.by_feature[FEATURES[feature]]
                self.assertAlmostEqual(float(found.time_s[mine].sum()), share.time_s, places=6)
            self.assertEqual(int(found.pulled.sum()), estimate.retractions)

    def test_the_cause_is_the_one_that_took_most(self) -> None:
        # Long strokes at a crawl are at their set speed; at a pace that no hot end melts they are held by it.
        slow, _ = detail(box(40, 40, 2), speed_mm_s={"infill": 5, "solid": 5, "inner_wall": 5, "outer_wall": 5})
        fast, estimate = detail(box(40, 40, 2), speed_mm_s={"solid": 400}, acceleration_mm_s2={"print": 20000})
        long_ones = slow.strokes.length_mm > 20
        laid = ~slow.strokes.is_travel
        self.assertEqual(set(slow.cause[long_ones & laid]), {CAUSES.index("at_set_speed")})
        solid = (fast.strokes.feature == Feature.SOLID) & (fast.strokes.length_mm > 20)
        self.assertEqual(set(fast.cause[solid]), {CAUSES.index("melt_ceiling")})
        self.assertLessEqual(float(fast.flow_mm3_s.max()), estimate.melt_ceiling_mm3_s * (1 + 1e-9))
        self.assertTrue(np.all(slow.speed_mm_s[laid] <= 25 + 1e-6))


class Resting(unittest.TestCase):
    def share(self, solid: Any, layer: int, **recipe: Any) -> tuple[StrokeDetail, np.ndarray, np.ndarray]:
        found, _ = detail(solid, layer_height_mm=0.2, **recipe)
        low, high = np.searchsorted(found.strokes.layer, [layer, layer + 1])
        return found, resting_share(found.strokes, (layer, layer + 1)), np.arange(low, high)

    def test_an_upright_wall_rests_on_itself(self) -> None:
        found, share, rows = self.share(box(20, 20, 4), 8)
        walls = np.isin(found.strokes.feature[rows], [Feature.OUTER_WALL, Feature.INNER_WALL])
        self.assertGreater(float(share[walls].min()), 0.95)

    def test_a_bridge_rests_on_nothing_but_its_ends(self) -> None:
        found, share, rows = self.share(table(24), 50)
        bridges = (found.strokes.feature[rows] == Feature.BRIDGE) & (found.strokes.length_mm[rows] > 10)
        self.assertTrue(bridges.any())
        self.assertLess(float(share[bridges].max()), 0.2)

    def test_a_leaning_wall_rests_by_as_much_as_it_leans(self) -> None:
        # Each layer steps out by h tan(45); the bead keeps 1 - h tan(angle) / w of itself over the one below.
        leaning = solid_of(
            block(30, 10, 20).warp_batch(lambda points: points + np.outer(points[:, 2], [0.0, 1.0, 0.0]))
        )
        found, share, rows = self.share(leaning, 40, infill={"density": 0})
        strokes = found.strokes
        outer = rows[strokes.feature[rows] == Feature.OUTER_WALL]
        along_x = np.abs(strokes.end_xy[outer] - strokes.start_xy[outer])[:, 0] > 20
        front = strokes.end_xy[outer][:, 1] > np.median(strokes.end_xy[outer][:, 1])
        at = np.flatnonzero(along_x & front)
        got = float(share[np.searchsorted(rows, outer[at[0]])])
        self.assertAlmostEqual(got, 1 - 0.2 / 0.44, delta=0.01)

    def test_the_share_is_that_of_the_areas(self) -> None:
        """Against overlays of the beads' outlines, on leaning and round parts and whatever lies askew below."""
        twisted = solid_of(
            block(24, 14, 9).warp_batch(
                lambda p: np.c_[
                    p[:, 0] * np.cos(p[:, 2] / 9) - p[:, 1] * np.sin(p[:, 2] / 9),
                    p[:, 0] * np.sin(p[:, 2] / 9) + p[:, 1] * np.cos(p[:, 2] / 9),
                    p[:, 2],
                ]
            )
        )
        off = []
        for solid, keys, layer in (
            (twisted, {"infill": {"pattern": "gyroid"}}, 20),
            (sphere(9), {}, 12),
            (table(24), {}, 51),
            (cone(11, 8), {"infill": {"pattern": "lines"}}, 25),
        ):
            found, share, rows = self.share(solid, layer, **keys)
            strokes = found.strokes
            under = np.flatnonzero((strokes.layer == layer - 1) & ~strokes.is_travel)
            lines = shapely.linestrings(np.stack([strokes.start_xy, strokes.end_xy], axis=1))
            below = shapely.union_all(shapely.buffer(lines[under], strokes.width_mm[under] / 2, quad_segs=16))
            shapely.prepare(below)
            laid = np.flatnonzero(~strokes.is_travel[rows] & (strokes.length_mm[rows] > 0.2))
            beads = shapely.buffer(lines[rows[laid]], strokes.width_mm[rows[laid]] / 2, cap_style="flat")
            exact = shapely.area(shapely.intersection(beads, below)) / shapely.area(beads)
            off.append(share[laid] - exact)
        self.assertLess(abs(float(np.concatenate(off).mean())), 0.002)
        self.assertLess(float(np.percentile(np.abs(np.concatenate(off)), 99)), 0.02)

    def test_the_lowest_layer_rests_on_the_bed(self) -> None:
        _, share, rows = self.share(ledge(10), 0)
        self.assertEqual((len(share), float(share.min())), (len(rows), 1.0))


class FirstLayers(unittest.TestCase):
    def test_islands_contact_and_start(self) -> None:
        found = ENGINE.first_layer(PrintJob(table(24), Recipe.model_validate({"adhesion": {"kind": "brim"}})))
        self.assertAlmostEqual(found.contact_mm2, 2 * 6 * 20, delta=0.5)
        self.assertEqual(len(found.islands), 2)
        self.assertAlmostEqual(found.thinnest_mm, 6, delta=0.1)
        self.assertEqual((found.start_kind, found.small_islands, len(found.corners)), ("brim", 0, 0))
        self.assertGreater(found.start_g, 0)
        self.assertEqual(len(ENGINE.first_layer(PrintJob(box(20, 20, 4), Recipe())).corners), 4)

    def test_small_islands_are_counted(self) -> None:
        legs = solid_of(block(3, 3, 5) + block(3, 3, 5, (20, 0, 0)) + block(23, 3, 2, (0, 0, 5)))
        found = ENGINE.first_layer(PrintJob(legs, Recipe.model_validate({"adhesion": {"kind": "none"}})))
        self.assertEqual((found.small_islands, found.start_s), (2, 0))


class Starts(unittest.TestCase):
    """What is printed before the part is told apart from it."""

    def test_each_kind_of_start_costs_what_its_own_strokes_do(self) -> None:
        for kind in ("skirt", "brim", "raft"):
            job = PrintJob(box(20, 20, 4), Recipe.model_validate({"adhesion": {"kind": kind}}))
            found, estimate = ENGINE.first_layer(job), ENGINE.estimate(job)
            share = estimate.by_feature[kind]
            self.assertEqual(found.start_kind, kind)
            self.assertAlmostEqual(found.start_s, share.time_s, delta=0.1 * share.time_s)
            self.assertAlmostEqual(found.start_g, share.filament_g, delta=0.1 * share.filament_g)
            self.assertEqual((found.height_mm, found.speed_mm_s), (0.2, 25))
            self.assertAlmostEqual(found.contact_mm2, 400, delta=0.5)


class Watching(unittest.TestCase):
    def test_an_estimate_tells_how_far_it_is_and_can_be_stopped(self) -> None:
        told: list[float] = []
        Engine().estimate(PrintJob(box(10, 10, 4), Recipe()), progress=lambda share, _: told.append(share))
        self.assertEqual(told, sorted(told))
        self.assertGreater(len(told), 4)

        def stop(share: float, doing: str) -> None:
            if share > 0.3:
                raise KeyboardInterrupt

        engine = Engine()
        with self.assertRaises(KeyboardInterrupt):
            engine.estimate(PrintJob(box(10, 10, 4), Recipe()), progress=stop)
        self.assertGreater(engine.estimate(PrintJob(box(10, 10, 4), Recipe())).print_time_s, 0)


if __name__ == "__main__":
    unittest.main()
