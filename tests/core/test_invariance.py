"""What must not change when a part is only turned on the bed, and what must change just so when it is scaled."""

import tomllib
import unittest
from importlib.resources import files

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from meanbead.core.model import PartInsight, Pose
from meanbead.core.part.bodies import split_bodies
from meanbead.core.part.facts import part_facts
from meanbead.core.part.insight import part_insight
from meanbead.core.part.orientations import orientations
from meanbead.core.part.pose import matrix_of, pose_of, posed, standing_on
from meanbead.core.part.rays import Rays
from meanbead.core.part.solid import Solid
from meanbead.core.part.stability import centre_of_mass, tip_angle_deg
from tests.running.effort import cases
from tests.support.solids import block, box, cone, solid_of, sphere, table

HALF_TURN = st.floats(-180, 180)
SIDE = st.floats(2, 60)


def about_z(degrees: float) -> np.ndarray:
    """A turn on the bed."""
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    return np.array([[c, -s, 0], [s, c, 0], [0, 0, 1.0]])


def facts(solid: Solid) -> PartInsight:
    return part_insight(solid).facts


CUP = solid_of(block(30, 24, 18) - block(27, 21, 18, (1.5, 1.5, 2)))


class Turned(unittest.TestCase):
    """On the bed a part is the same whichever way it faces."""

    @settings(max_examples=cases(5, 160))
    @given(HALF_TURN)
    def test_its_facts_are_the_same(self, degrees: float) -> None:
        for solid in (CUP, table(18)):
            before, after = facts(solid), facts(posed(solid, pose_of(about_z(degrees))))
            self.assertAlmostEqual(after.thinnest_mm, before.thinnest_mm, delta=0.02)
            self.assertAlmostEqual(after.typical_thickness_mm, before.typical_thickness_mm, delta=0.3)
            for name in ("overhang_mm2", "slope_mm2", "flat_top_mm2", "footprint_mm2"):
                self.assertAlmostEqual(getattr(after, name), getattr(before, name), delta=0.5, msg=name)
            self.assertAlmostEqual(after.tip_angle_deg, before.tip_angle_deg, delta=0.01)
            self.assertEqual(after.sharp_corners, before.sharp_corners)
            self.assertEqual(after.smallest_detail_mm, before.smallest_detail_mm)

    @settings(max_examples=cases(5, 160))
    @given(HALF_TURN)
    def test_its_bridge_is_as_long(self, degrees: float) -> None:
        # Probe strands run in twelve directions: off by up to 7.5 degrees, so by under one per cent.
        found = facts(posed(table(18), pose_of(about_z(degrees))))
        self.assertAlmostEqual(found.longest_bridge_mm, 18, delta=0.9)

    @given(HALF_TURN, HALF_TURN)
    def test_two_turns_are_one(self, one: float, other: float) -> None:
        together = pose_of(about_z(other) @ about_z(one))
        apart = posed(posed(CUP, pose_of(about_z(one))), pose_of(about_z(other)))
        np.testing.assert_allclose(posed(CUP, together).vertices, apart.vertices, atol=1e-9)

    @given(HALF_TURN)
    def test_a_turn_and_its_reverse_are_none(self, degrees: float) -> None:
        back = posed(posed(CUP, pose_of(about_z(degrees))), pose_of(about_z(-degrees)))
        np.testing.assert_allclose(back.vertices, CUP.vertices - [*middle(CUP), 0], atol=1e-9)

    def test_four_quarters_are_exactly_none(self) -> None:
        quarter = np.array([[0.0, -1, 0], [1, 0, 0], [0, 0, 1]])
        self.assertEqual(pose_of(quarter @ quarter @ quarter @ quarter), Pose())
        self.assertEqual(pose_of(np.linalg.matrix_power(about_z(90), 4)), Pose())

    @given(st.tuples(*[st.floats(-1, 1)] * 3).filter(lambda way: np.linalg.norm(way) > 0.05))
    def test_what_points_down_stays_down(self, way: tuple[float, float, float]) -> None:
        turn = standing_on(np.array(way))
        np.testing.assert_allclose(matrix_of(pose_of(turn)), turn, atol=1e-11)
        self.assertAlmostEqual(float(np.linalg.det(turn)), 1)


def middle(solid: Solid) -> np.ndarray:
    """Where a part's middle lies on the bed."""
    return np.asarray((solid.vertices.min(axis=0) + solid.vertices.max(axis=0))[:2] / 2)


class Scaled(unittest.TestCase):
    @settings(max_examples=cases(5, 160))
    @given(st.floats(0.4, 3))
    def test_lengths_go_with_the_scale_and_areas_with_its_square(self, scale: float) -> None:
        before, after = facts(CUP), facts(posed(CUP, pose_of(np.eye(3) * scale)))
        self.assertAlmostEqual(after.thinnest_mm, scale * before.thinnest_mm, delta=0.02 * scale)
        self.assertAlmostEqual(after.height_mm, scale * before.height_mm)
        self.assertAlmostEqual(after.flat_top_mm2, scale**2 * before.flat_top_mm2, delta=0.01 * after.flat_top_mm2)
        self.assertAlmostEqual(after.footprint_mm2, scale**2 * before.footprint_mm2, delta=0.01)
        self.assertAlmostEqual(after.tip_angle_deg, before.tip_angle_deg, places=6)

    @given(st.floats(0.2, 5), st.floats(0.2, 5), st.floats(0.2, 5))
    def test_volume_goes_with_the_determinant(self, x: float, y: float, z: float) -> None:
        scaled = posed(CUP, pose_of(np.diag([x, y, z])))
        self.assertAlmostEqual(part_facts(scaled).volume_mm3 / part_facts(CUP).volume_mm3, x * y * z, places=6)

    @given(SIDE, SIDE, SIDE)
    def test_a_boxes_stance_has_its_closed_form(self, x: float, y: float, z: float) -> None:
        solid = box(x, y, z)
        self.assertAlmostEqual(tip_angle_deg(solid), float(np.degrees(np.arctan2(min(x, y) / 2, z / 2))), places=4)
        volume, centre = centre_of_mass(solid)
        self.assertAlmostEqual(volume, x * y * z, delta=1e-6 * x * y * z)
        np.testing.assert_allclose(centre, [0, 0, z / 2], atol=1e-6)

    @given(SIDE, SIDE, SIDE)
    def test_a_box_can_stand_on_each_of_its_sides(self, x: float, y: float, z: float) -> None:
        heights = sorted(round(stance.height_mm, 3) for stance, _ in orientations(box(x, y, z), 0.2))
        # Six sides, and never one twice.
        self.assertEqual(heights, sorted(2 * [round(x, 3), round(y, 3), round(z, 3)]))


class Rayed(unittest.TestCase):
    @given(SIDE, SIDE, SIDE, st.tuples(*[st.floats(-0.9, 0.9)] * 3), st.tuples(*[st.floats(-1, 1)] * 3))
    def test_ways_out_of_a_box_have_their_closed_form(
        self, x: float, y: float, z: float, at: tuple[float, ...], way: tuple[float, ...]
    ) -> None:
        direction = np.array(way)
        if np.abs(direction).min() < 1e-3:
            return
        half = np.array([x, y, z]) / 2
        place = np.array(at) * half
        # The slab that is left first.
        exits = (np.sign(direction) * half - place) / direction
        distance, face = Rays.of(box(x, y, z)).first_hit(np.add(place, [0, 0, z / 2])[None], direction[None])
        self.assertAlmostEqual(float(distance[0]), float(exits.min()), delta=1e-7 * max(1.0, float(exits.min())))
        self.assertGreaterEqual(int(face[0]), 0)

    def test_rays_beside_a_part_meet_nothing(self) -> None:
        rays = Rays.of(sphere(10))
        origin = np.array([[30.0, 0, 10], [0, 0, 50], [0, 0, -5]])
        direction = np.array([[0.0, 1, 0], [0, 0, 1], [0, 0, -1]])
        distance, face = rays.first_hit(origin, direction)
        self.assertTrue(np.all(np.isinf(distance)))
        self.assertTrue(np.all(face == -1))

    def test_a_direction_of_any_length_counts_in_its_own_lengths(self) -> None:
        rays = Rays.of(box(10, 10, 10))
        near, _ = rays.first_hit(np.array([[-20.0, 0, 5]]), np.array([[1.0, 0, 0]]))
        far, _ = rays.first_hit(np.array([[-20.0, 0, 5]]), np.array([[5.0, 0, 0]]))
        self.assertAlmostEqual(float(near[0]), 15)
        self.assertAlmostEqual(float(far[0]), 3)


class Apart(unittest.TestCase):
    @settings(max_examples=cases(10, 400))
    @given(st.lists(st.tuples(st.floats(1, 9), st.floats(1, 9), st.floats(1, 9)), min_size=2, max_size=6))
    def test_bodies_come_apart_with_all_their_plastic(self, sizes: list[tuple[float, float, float]]) -> None:
        together = sum(
            (block(*size, (12.0 * at, 0.0, 0.0)) for at, size in enumerate(sizes[1:], start=1)), block(*sizes[0])
        )
        parts = split_bodies(solid_of(together))
        volumes = sorted((x * y * z for x, y, z in sizes), reverse=True)
        np.testing.assert_allclose([part_facts(part).volume_mm3 for part in parts], volumes, rtol=1e-4)
        for part in parts:
            self.assertAlmostEqual(float(part.vertices[:, 2].min()), 0)

    def test_equal_bodies_are_the_same_part(self) -> None:
        twins = solid_of(block(5, 5, 5) + block(5, 5, 5, (20, 0, 0)))
        one, other = split_bodies(twins)
        self.assertEqual(part_facts(one).volume_mm3, part_facts(other).volume_mm3)

    def test_one_body_stays_whole(self) -> None:
        self.assertEqual(len(split_bodies(cone(5, 9))), 1)


class Catalogue(unittest.TestCase):
    """The file of choices says nothing that nobody reads."""

    def test_rows_hold_known_words_only(self) -> None:
        known = {"label", "unit", "kind", "everyday", "explain", "when", "options"}
        catalogue = tomllib.loads(files("meanbead.core.recipe").joinpath("choices.toml").read_text("utf-8"))
        for rows in catalogue.values():
            for key, row in rows.items():
                self.assertLessEqual(set(row), known, key)

    def test_groups_stand_in_the_order_in_which_people_decide(self) -> None:
        catalogue = tomllib.loads(files("meanbead.core.recipe").joinpath("choices.toml").read_text("utf-8"))
        order = ["Printed with", "Nozzle and bead", "Shell", "Infill", "Pace", "Temperature and cooling"]
        self.assertEqual(list(catalogue)[: len(order)], order)

    def test_names_differ_within_a_group(self) -> None:
        catalogue = tomllib.loads(files("meanbead.core.recipe").joinpath("choices.toml").read_text("utf-8"))
        labels = [row["label"] for rows in catalogue.values() for row in rows.values()]
        # Pasted columns find their rows by name and unit.
        units = [row.get("unit", "") for rows in catalogue.values() for row in rows.values()]
        named = list(zip(labels, units, strict=True))
        self.assertEqual(len(named), len(set(named)))


if __name__ == "__main__":
    unittest.main()
