import unittest

import numpy as np

from meanbead.core.model import PartInsight
from meanbead.core.part.insight import Surface, part_insight, spread_points
from meanbead.core.part.solid import Solid
from tests.support.solids import block, box, cone, cylinder, ledge, solid_of, sphere, table


def facts(solid: Solid) -> PartInsight:
    return part_insight(solid).facts


class Thickness(unittest.TestCase):
    def test_a_cups_wall_is_as_thick_as_it_is(self) -> None:
        cup = solid_of(block(40, 40, 30) - block(37, 37, 30, (1.5, 1.5, 2)))
        found = facts(cup)
        self.assertAlmostEqual(found.thinnest_mm, 1.5, places=2)
        wall = sum(bin.area_mm2 for bin in found.thickness if bin.low == 1.2)
        inner_and_outer = 4 * 40 * 30 + 4 * 37 * 28
        # Edges of the walls and the upper rim belong to neither.
        self.assertAlmostEqual(wall, inner_and_outer, delta=0.08 * inner_and_outer)
        thin = [spot for spot in found.spots if spot.kind == "thin_wall"]
        self.assertTrue(thin)
        self.assertTrue(all(abs(spot.value - 1.5) < 0.01 for spot in thin))

    def test_a_box_is_as_thick_as_its_sides(self) -> None:
        found = facts(box(10, 12, 15))
        self.assertAlmostEqual(found.thinnest_mm, 10, places=2)
        whole = sum(bin.area_mm2 for bin in found.thickness)
        self.assertAlmostEqual(whole, 2 * (120 + 150 + 180), delta=1e-6)

    def test_each_triangle_has_a_thickness(self) -> None:
        solid = cylinder(6, 20)
        by_face = part_insight(solid).thickness_mm
        self.assertEqual(len(by_face), len(solid.faces))
        upright = np.abs(Surface.of(solid).normal[:, 2]) < 0.1
        self.assertAlmostEqual(float(np.median(by_face[upright])), 12, delta=0.05)

    def test_points_are_spread_by_area(self) -> None:
        solid = box(10, 20, 30)
        surface = Surface.of(solid)
        face, point = spread_points(solid, surface, 4000)
        share = np.bincount(face, weights=np.ones(4000) / 4000, minlength=len(solid.faces))
        np.testing.assert_allclose(share, surface.area_mm2 / surface.area_mm2.sum(), atol=1e-3)
        self.assertTrue(np.all(point >= solid.vertices.min(axis=0)) and np.all(point <= solid.vertices.max(axis=0)))


class Angles(unittest.TestCase):
    def test_a_cone_on_its_tip_leans_out_all_round(self) -> None:
        upright = facts(cone(10, 20, 256))
        self.assertEqual(upright.overhang_mm2, 0)
        mantle = np.pi * 10 * np.hypot(10, 20)
        self.assertAlmostEqual(upright.slope_mm2, mantle, delta=0.01 * mantle)

    def test_a_ball_has_a_cap_of_overhang(self) -> None:
        # Below 45 degrees of latitude: 2 pi r h with h = r (1 - cos 45).
        found = facts(sphere(20, 6))
        self.assertAlmostEqual(found.overhang_mm2, 2 * np.pi * 400 * (1 - np.cos(np.pi / 4)), delta=12)
        self.assertAlmostEqual(sum(bin.area_mm2 for bin in found.overhang), 2 * np.pi * 400, delta=25)

    def test_what_lies_on_the_bed_is_no_overhang(self) -> None:
        found = facts(box(30, 30, 5))
        self.assertEqual((found.overhang_mm2, found.slope_mm2), (0, 0))
        self.assertAlmostEqual(found.flat_top_mm2, 900)
        self.assertAlmostEqual(found.footprint_mm2, 900)
        self.assertAlmostEqual(found.footprint_width_mm, 30, places=3)


class Places(unittest.TestCase):
    def test_a_table_is_a_bridge_and_a_ledge_is_none(self) -> None:
        bridge = facts(table(24))
        self.assertAlmostEqual(bridge.longest_bridge_mm, 24, delta=0.5)
        self.assertAlmostEqual(bridge.bridge_mm2, 24 * 20, delta=5)
        spot = next(entry for entry in bridge.spots if entry.kind == "bridge")
        self.assertAlmostEqual(spot.z, 10, places=3)
        self.assertEqual(facts(ledge(15)).longest_bridge_mm, 0)

    def test_a_fin_is_the_smallest_detail(self) -> None:
        fin = solid_of(block(20, 20, 10) + block(8, 0.7, 10, (6, 6, 10)))
        found = facts(fin)
        self.assertEqual(found.smallest_detail_mm, 0.8)
        lost = {loss.width_mm: loss.lost_share for loss in found.details}
        self.assertEqual(lost[0.6], 0)
        self.assertGreater(lost[0.8], 0.001)
        self.assertIsNone(facts(box(20, 20, 10)).smallest_detail_mm)

    def test_corners_on_the_bed(self) -> None:
        self.assertEqual(facts(box(30, 30, 5)).sharp_corners, 4)
        self.assertEqual(facts(cylinder(15, 5)).sharp_corners, 0)
        # Too short to pull.
        self.assertEqual(facts(box(5, 5, 5)).sharp_corners, 0)

    def test_the_same_part_has_the_same_facts(self) -> None:
        self.assertEqual(facts(table(24)), facts(table(24)))


if __name__ == "__main__":
    unittest.main()
