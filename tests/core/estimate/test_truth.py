"""Orderings that practice teaches, on parts made for them: each setting works for the right reason."""

import math
import unittest
from functools import lru_cache

import numpy as np
from manifold3d import CrossSection, Manifold

from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.model import Estimate, Material, Nozzle, Printer, Recipe
from meanbead.core.part.solid import Solid
from tests.support.solids import block, box, cylinder, solid_of, sphere

ENGINE = Engine()
WEAK = {"drive": "long_tube", "acceleration_mm_s2": {"print": 500, "travel": 800}}


def estimate(solid: Solid, keys: dict | None = None, bore: float = 0.4, printer: dict | None = None) -> Estimate:
    recipe, machine = Recipe.model_validate(keys or {}), Printer.model_validate(printer or {})
    return ENGINE.estimate(PrintJob(solid, recipe, machine, Nozzle(bore_mm=bore), Material()))


@lru_cache
def cup() -> Solid:
    """A wall 2.1 mm thick: two walls each side leave a sliver of half a millimetre."""
    outer = Manifold.cylinder(50, 32, circular_segments=128)
    return solid_of(outer - Manifold.cylinder(60, 29.9, circular_segments=128).translate((0, 0, 1.2)))


@lru_cache
def tag() -> Solid:
    """Rows of small rings, as letters are: strokes 1.2 mm wide, all corners and short ways."""
    ring = CrossSection.circle(1.8, 16) - CrossSection.circle(0.6, 8)
    letters = sum(
        (Manifold.extrude(ring, 3).translate((5 * x, 5 * y, 0)) for x in range(7) for y in range(4)), Manifold()
    )
    return solid_of(letters + block(36, 21, 1, (-3, -3, 0)))


@lru_cache
def mesh() -> Solid:
    """A sheet full of holes."""
    holes = sum(
        (Manifold.cylinder(6, 1.6).translate((4.6 * x, 4.6 * y, -1)) for x in range(10) for y in range(10)), Manifold()
    )
    return solid_of(block(47, 47, 1.6, (-3, -3, 0)) - holes)


@lru_cache
def dome() -> Solid:
    return solid_of(sphere(20).manifold.trim_by_plane((0, 0, 1), 20))


class Practice(unittest.TestCase):
    def test_the_wall_that_swallows_the_sliver_saves_a_third_and_weighs_a_little_more(self) -> None:
        keys = {"layer_height_mm": 0.2, "infill": {"density": 0.4}}
        two, three = (estimate(cup(), keys | {"walls": walls}, printer=WEAK) for walls in (2, 3))
        self.assertLess(three.print_time_s, 0.7 * two.print_time_s)
        self.assertTrue(1.0 < three.filament_g / two.filament_g < 1.2)
        # Solid throughout is not the same: it also fills what the walls do not reach.
        outer = Manifold.cylinder(50, 32, circular_segments=128)
        thick = solid_of(outer - Manifold.cylinder(60, 29.9, circular_segments=128).translate((0, 0, 12)))
        full, lined = (
            estimate(thick, keys | {"walls": walls, "infill": {"density": density}}, printer=WEAK)
            for walls, density in ((2, 1.0), (3, 0.4))
        )
        self.assertGreater(full.print_time_s, 1.3 * lined.print_time_s)
        self.assertGreater(full.filament_g, 1.3 * lined.filament_g)

    def test_a_cup_whose_walls_all_but_meet_pulls_at_every_stub(self) -> None:
        """2.4 mm, 0.4 mm lines, 4 mm pulled at every hop over 1 mm, 500 mm/s2: what three lines from each side leave is too
        narrow for one more, and shared by the last two; lines of fixed width leave it open."""
        outer = Manifold.cylinder(60, 40, circular_segments=128)
        solid = solid_of(outer - Manifold.cylinder(80, 37.6, circular_segments=128).translate((0, 0, 2.4)))
        keys = {
            "layer_height_mm": 0.2,
            "line_width_mm": {"outer_wall": 0.4},
            "top_layers": 4,
            "bottom_layers": 3,
            "travel": "straight",
            "retraction": {"length_mm": 4, "speed_mm_s": 40, "min_travel_mm": 1},
            "adhesion": {"kind": "none"},
        }
        slow = {"acceleration_mm_s2": {"print": 500, "travel": 500}}
        two, three = (estimate(solid, keys | {"walls": walls}, printer=slow) for walls in (2, 3))
        self.assertLess(three.print_time_s, 0.75 * two.print_time_s)
        self.assertLess(three.filament_g, 1.4 * two.filament_g)
        self.assertLess(three.void_mm3, 1)
        three = estimate(solid, keys | {"walls": 3, "thin_walls": "fixed"}, printer=slow)
        spacing = 0.4 - 0.2 * (1 - math.pi / 4)
        strip = 2.4 - 0.2 * (1 - math.pi / 4) - 6 * spacing
        self.assertAlmostEqual(three.void_mm3 / (strip * 2 * math.pi * 38.8 * 57.6), 1, delta=0.04)
        self.assertLess(two.void_mm3, 1)

    def test_doubled_sparse_lines_lie_between_sparse_and_dense(self) -> None:
        solid = box(60, 60, 12)
        infills = ({"density": 0.1}, {"density": 0.1, "lines_side_by_side": 2}, {"density": 0.3})
        sparse, doubled, dense = (estimate(solid, {"infill": infill}) for infill in infills)
        self.assertLess(sparse.filament_g, doubled.filament_g)
        self.assertLess(doubled.filament_g, dense.filament_g)
        self.assertLess(sparse.print_time_s, doubled.print_time_s)
        self.assertLess(doubled.print_time_s, dense.print_time_s)

    def test_halving_the_layer_does_not_quite_double_time_and_doubling_a_large_one_saves_little(self) -> None:
        solid, shell = box(40, 40, 24), {"skins": {"top_mm": 0.8, "bottom_mm": 0.8}}
        half, whole = (estimate(solid, {"layer_height_mm": h} | shell).print_time_s for h in (0.1, 0.2))
        self.assertTrue(1.6 < half / whole < 2.0, half / whole)
        # With a large bore the melt ceiling binds, and a higher layer only makes the nozzle slower.
        large = [estimate(solid, {"layer_height_mm": h} | shell, 0.8).print_time_s for h in (0.3, 0.6)]
        self.assertLess(large[0] / large[1], 1.4)

    def test_a_big_nozzle_stops_paying_when_the_ceiling_binds(self) -> None:
        solid = box(80, 80, 24)
        times = {}
        for bore in (0.4, 0.6, 0.8, 1.2):
            times[bore] = estimate(
                solid, {"layer_height_mm": bore / 2, "skins": {"top_mm": 1.2, "bottom_mm": 1.2}}, bore
            )
        gains = [times[a].print_time_s / times[b].print_time_s for a, b in ((0.4, 0.6), (0.6, 0.8), (0.8, 1.2))]
        self.assertGreater(gains[0], 1.5)
        self.assertLess(gains[2], 1.25)
        self.assertFalse(times[0.4].melt_capped)
        # Usual speeds are those that melt: the widest runs close to the ceiling, the others do not.
        shares = {bore: one.peak_flow_mm3_s / one.melt_ceiling_mm3_s for bore, one in times.items()}
        self.assertGreater(shares[1.2], 0.85)
        self.assertLess(shares[0.4], 0.75)

    def test_acceleration_rules_small_letters_and_hardly_a_large_box(self) -> None:
        slow, quick = ({"acceleration_mm_s2": {"print": a, "travel": a}} for a in (300, 1500))
        idle = {"cooling": {"min_layer_time_s": 0}}
        letters, large = (
            [estimate(s, idle, printer=p).print_time_s for p in (slow, quick)] for s in (tag(), box(150, 150, 20))
        )
        self.assertGreater(letters[0] / letters[1], 1.3)
        self.assertLess(large[0] / large[1], 1.15)

    def test_wide_lines_save_on_large_parts_only(self) -> None:
        wide = {"line_width_mm": {"outer_wall": 0.44, "inner_wall": 0.6, "infill": 0.6}, "walls": 2}
        normal = {"line_width_mm": {"outer_wall": 0.44}, "walls": 2}
        saved = {}
        for name, solid in (("large", box(120, 120, 20)), ("small", tag())):
            saved[name] = 1 - estimate(solid, wide).print_time_s / estimate(solid, normal).print_time_s
        self.assertGreater(saved["large"], 0.12)
        self.assertLess(saved["small"], 0.7 * saved["large"])

    def test_ironing_broad_flats_costs_hours(self) -> None:
        solid = box(150, 150, 8)
        plain, ironed = (estimate(solid, {"ironing": {"kind": kind}}) for kind in ("none", "topmost"))
        self.assertGreater(ironed.print_time_s - plain.print_time_s, 3600)
        self.assertLess(ironed.filament_g / plain.filament_g, 1.05)

    def test_retracting_over_a_mesh_of_holes_costs_most_on_a_long_tube(self) -> None:
        extra = {}
        for drive in ("direct", "long_tube"):
            rare, always = (
                estimate(mesh(), {"retraction": {"min_travel_mm": m}}, printer={"drive": drive}) for m in (10, 0)
            )
            extra[drive] = always.print_time_s - rare.print_time_s
        self.assertGreater(extra["long_tube"], 2 * extra["direct"])

    def test_layers_by_slope_on_a_dome_are_more_than_the_coarse_and_fewer_than_the_fine(self) -> None:
        by_slope = {"kind": "by_slope", "min_mm": 0.1, "max_mm": 0.3, "ridge_mm": 0.12}
        fine, coarse, slope = (
            estimate(dome(), keys)
            for keys in ({"layer_height_mm": 0.1}, {"layer_height_mm": 0.3}, {"variable_height": by_slope})
        )
        self.assertTrue(coarse.layers < slope.layers < fine.layers)
        self.assertTrue(coarse.print_time_s < slope.print_time_s < fine.print_time_s)

    def test_several_at_once_relieve_the_wait_for_cooling(self) -> None:
        post = cylinder(4, 30)
        one, four = (estimate(post, {"copies": {"count": count}}) for count in (1, 4))
        self.assertGreater(one.by_cause.layer_cooling_s, 0.3 * one.print_time_s)
        self.assertLess(four.print_time_s, 2 * one.print_time_s)

    def test_wide_infill_is_capped_while_a_thin_outer_wall_is_not(self) -> None:
        keys = {"line_width_mm": {"outer_wall": 0.4, "infill": 0.7}, "speed_mm_s": {"infill": 150}}
        result = estimate(box(60, 60, 6), keys)
        self.assertTrue(result.by_feature["infill"].capped)
        self.assertFalse(result.by_feature["outer_wall"].capped)
        self.assertGreater(result.by_cause.melt_ceiling_s, 0)


class ByLayer(unittest.TestCase):
    def test_layers_add_up_to_the_whole_in_both_ledgers(self) -> None:
        job = PrintJob(tag(), Recipe.model_validate({"adhesion": {"kind": "raft"}, "copies": {"count": 2}}))
        whole, ledger = ENGINE.estimate(job), ENGINE.by_layer(job)
        self.assertAlmostEqual(sum(ledger.time_s), whole.print_time_s, places=6)
        for name, seconds in ledger.by_feature_s.items():
            self.assertAlmostEqual(sum(seconds), whole.by_feature[name].time_s, places=6)
        for cause, seconds in ledger.by_cause_s.items():
            self.assertAlmostEqual(sum(seconds), getattr(whole.by_cause, f"{cause}_s"), places=6)
        self.assertAlmostEqual(sum(ledger.filament_mm3), whole.filament_mm3, places=5)
        per_layer = np.sum(list(ledger.by_cause_s.values()), axis=0)
        np.testing.assert_allclose(per_layer, ledger.time_s, atol=1e-9)
        self.assertEqual(len(ledger.time_s), whole.layers)


class Spiral(unittest.TestCase):
    def test_rises_along_its_way_and_never_stops(self) -> None:
        result = estimate(cylinder(20, 20), {"spiral": True, "bottom_layers": 2, "cooling": {"min_layer_time_s": 0}})
        walls = estimate(cylinder(20, 20), {"walls": 1, "top_layers": 0, "bottom_layers": 2, "infill": {"density": 0}})
        self.assertLess(result.retractions, 10)
        self.assertLess(result.by_cause.z_and_layer_change_s, 0.2 * walls.by_cause.z_and_layer_change_s)
        self.assertAlmostEqual(result.filament_g / walls.filament_g, 1, delta=0.1)
