import math
import unittest

import manifold3d
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from meanbead.core.errors import PartError
from meanbead.core.model import Pose
from meanbead.core.part.bodies import body_of_faces, split_bodies, winding_number
from meanbead.core.part.facts import part_facts
from meanbead.core.part.orientations import candidate_directions, orientations, simpler
from meanbead.core.part.pose import cut_in_place, pose_of, posed, standing_on
from meanbead.core.part.rays import Rays
from meanbead.core.part.stability import centre_of_mass, tip_angle_deg
from tests.running.effort import cases
from tests.support.solids import block, box, cone, cylinder, ledge, solid_of, sphere, table

AXIS = st.tuples(*[st.floats(-1, 1)] * 3).map(np.array).filter(lambda axis: np.linalg.norm(axis) > 0.1)


class Posing(unittest.TestCase):
    def test_a_turned_box_stands_on_the_bed_in_its_new_size(self) -> None:
        lying = posed(box(10, 20, 30), pose_of(standing_on(np.array([1.0, 0, 0]))))
        np.testing.assert_allclose(np.ptp(lying.vertices, axis=0), [30, 20, 10], atol=1e-9)
        self.assertAlmostEqual(lying.vertices[:, 2].min(), 0)
        np.testing.assert_allclose(lying.vertices[:, :2].max(axis=0) + lying.vertices[:, :2].min(axis=0), 0, atol=1e-9)

    @given(AXIS)
    def test_any_turn_keeps_volume_and_surface_and_points_down(self, axis: np.ndarray) -> None:
        turn = standing_on(axis)
        np.testing.assert_allclose(turn @ turn.T, np.eye(3), atol=1e-9)
        np.testing.assert_allclose(turn @ (axis / np.linalg.norm(axis)), [0, 0, -1], atol=1e-6)
        before, after = part_facts(BRACKET), part_facts(posed(BRACKET, pose_of(turn)))
        self.assertAlmostEqual(after.volume_mm3, before.volume_mm3, delta=1e-6 * before.volume_mm3)
        self.assertAlmostEqual(after.surface_mm2, before.surface_mm2, delta=1e-6 * before.surface_mm2)

    def test_a_mirrored_part_still_faces_outwards(self) -> None:
        mirrored = posed(BRACKET, Pose(matrix=(-1, 0, 0, 0, 1, 0, 0, 0, 1)))
        self.assertAlmostEqual(part_facts(mirrored).volume_mm3, part_facts(BRACKET).volume_mm3)
        self.assertEqual(mirrored.manifold.status(), manifold3d.Error.NoError)
        self.assertNotEqual(mirrored.digest, BRACKET.digest)

    def test_scaling_goes_with_the_cube(self) -> None:
        self.assertAlmostEqual(
            part_facts(posed(box(4, 5, 6), Pose(matrix=(2, 0, 0, 0, 2, 0, 0, 0, 2)))).volume_mm3, 960
        )

    def test_sizes_that_cannot_be_are_refused(self) -> None:
        for factor in (1e-2, 1e3):
            with self.assertRaises(PartError) as caught:
                posed(box(10, 10, 10), Pose(matrix=(factor, 0, 0, 0, factor, 0, 0, 0, factor)))
            self.assertEqual(caught.exception.field, "pose")
        with self.assertRaises(ValidationError):
            Pose(matrix=(1, 0, 0, 0, 1, 0, 0, 0, 0))
        with self.assertRaises(ValidationError):
            Pose(matrix=(1, 0, 0))

    def test_no_pose_is_the_part_itself(self) -> None:
        self.assertIs(posed(BRACKET, Pose()), BRACKET)


class Cutting(unittest.TestCase):
    @settings(max_examples=cases(20, 800), deadline=None)
    @given(AXIS, st.sampled_from(["x", "y", "z"]), st.floats(0.1, 0.9), st.sampled_from(["above", "below"]))
    def test_both_sides_of_any_cut_make_the_whole(self, turn: np.ndarray, axis: str, share: float, keep: str) -> None:
        solid = solid_of(block(30, 20, 12) + block(10, 10, 30, (4, 3, 0)))
        pose = pose_of(standing_on(turn))
        stood = posed(solid, pose)
        low, high = stood.vertices.min(axis=0), stood.vertices.max(axis=0)
        which = "xyz".index(axis)
        at = float(low[which] + share * (high[which] - low[which]))
        sides = [posed(solid, cut_in_place(solid, pose, axis, at, side)) for side in ("above", "below")]  # type: ignore[arg-type]
        volumes = [side.manifold.volume() for side in sides]
        self.assertAlmostEqual(sum(volumes) / solid.manifold.volume(), 1, places=9)
        # The side asked for is as long as the cut leaves it, and stands on the bed.
        kept = posed(solid, cut_in_place(solid, pose, axis, at, keep))  # type: ignore[arg-type]
        size = kept.vertices.max(axis=0) - kept.vertices.min(axis=0)
        self.assertAlmostEqual(float(size[which]), high[which] - at if keep == "above" else at - low[which], places=6)
        self.assertAlmostEqual(float(kept.vertices[:, 2].min()), 0, places=9)

    def test_a_base_that_is_cut_flat_lies_on_the_bed(self) -> None:
        ball = sphere(10)
        cut = posed(ball, cut_in_place(ball, Pose(), "z", 2.5, "above"))
        facts = part_facts(cut)
        self.assertAlmostEqual(facts.extents_mm.z, 17.5, delta=0.01)
        # A cap's base: pi (2 r h - h^2), a little less for the ball's facets.
        self.assertAlmostEqual(facts.footprint_mm2 / (math.pi * (2 * 10 * 2.5 - 2.5**2)), 1, delta=0.01)

    def test_a_second_cut_and_a_turn_after_it_keep_the_first(self) -> None:
        solid = box(40, 30, 20)
        once = cut_in_place(solid, Pose(), "z", 5, "above")
        turned = once.model_copy(update={"matrix": (1.0, 0.0, 0.0, 0.0, 0.0, -1.0, 0.0, 1.0, 0.0)})
        twice = posed(solid, cut_in_place(solid, turned, "x", 0, "below"))
        np.testing.assert_allclose(np.ptp(twice.vertices, axis=0), [20, 15, 30], atol=1e-9)

    def test_a_cut_that_misses_is_refused_with_where_the_part_is(self) -> None:
        for at in (0.0, 20.0, 300.0):
            with self.assertRaises(PartError) as caught:
                cut_in_place(box(40, 30, 20), Pose(), "z", at, "above")
            self.assertIn("from 0.00 to 20.00 mm", str(caught.exception))


class Bodies(unittest.TestCase):
    def test_a_cavity_belongs_to_the_body_around_it(self) -> None:
        hollow = block(20, 20, 20) - block(10, 10, 10, (5, 5, 5))
        marble = block(3, 3, 3, (8, 8, 8))
        aside = block(4, 4, 4, (40, 0, 0))
        solid = solid_of(hollow + marble + aside)
        parts = split_bodies(solid)
        self.assertEqual([round(part_facts(part).volume_mm3) for part in parts], [7000, 64, 27])
        self.assertEqual(set(body_of_faces(solid)), {0, 1, 2})
        for part in parts:
            self.assertAlmostEqual(part.vertices[:, 2].min(), 0)
            self.assertEqual(part.manifold.status(), manifold3d.Error.NoError)

    def test_the_winding_number_tells_inside_from_outside(self) -> None:
        ball = sphere(10)
        corners = ball.vertices[ball.faces]
        self.assertAlmostEqual(winding_number(corners, np.array([1.0, 2, 12])), 1)
        self.assertAlmostEqual(winding_number(corners, np.array([1.0, 2, 25])), 0, places=6)


class Looking(unittest.TestCase):
    def test_rays_through_a_ball_are_chords(self) -> None:
        rays = Rays.of(sphere(10, 5))
        offset = np.array([0.0, 3, 6, 9])
        origin = np.column_stack([np.full(4, -30.0), offset, np.full(4, 10.0)])
        distance, _ = rays.first_hit(origin, np.tile([1.0, 0, 0], (4, 1)))
        np.testing.assert_allclose(distance, 30 - np.sqrt(100 - offset**2), atol=0.02)

    def test_rays_are_those_of_asking_every_triangle(self) -> None:
        solid = BRACKET
        random = np.random.default_rng(7)
        origin = random.uniform(-40, 60, (300, 3))
        direction = random.uniform(-15, 15, (300, 3)) + np.array([0.0, 0, 6]) - origin
        distance, face = Rays.of(solid).first_hit(origin, direction)
        slow = [slow_hit(solid.vertices[solid.faces], o, d) for o, d in zip(origin, direction, strict=True)]
        np.testing.assert_allclose(distance, slow, rtol=1e-9)
        np.testing.assert_array_equal(face >= 0, np.isfinite(slow))
        self.assertGreater(int(np.isfinite(slow).sum()), 20)


class Standing(unittest.TestCase):
    def test_a_box_tips_at_the_angle_of_its_shape(self) -> None:
        # The centre is half the height up and half the shorter side from the edge.
        self.assertAlmostEqual(tip_angle_deg(box(10, 30, 40)), np.degrees(np.arctan2(5, 20)), places=6)
        self.assertEqual(tip_angle_deg(posed(cone(8, 30), Pose(matrix=(1, 0, 0, 0, -1, 0, 0, 0, -1)))), 0)

    def test_a_cones_centre_of_mass_is_a_quarter_up(self) -> None:
        volume, centre = centre_of_mass(cone(8, 30))
        self.assertAlmostEqual(centre[2], 7.5, places=2)
        self.assertAlmostEqual(volume, np.pi * 64 * 30 / 3, delta=3)

    def test_the_present_way_comes_first_and_none_twice(self) -> None:
        directions = candidate_directions(BRACKET)
        np.testing.assert_allclose(directions[0], [0, 0, -1])
        near = directions @ directions.T - 2 * np.eye(len(directions))
        self.assertLess(near.max(), np.cos(np.radians(5.9)))

    def test_a_table_stands_better_on_its_top(self) -> None:
        found = [stance for stance, _ in orientations(table(30), 0.2)]
        as_is, best = found[0], min(found, key=lambda stance: stance.overhang_mm2)
        self.assertAlmostEqual(as_is.overhang_mm2, 30 * 20, delta=1)
        self.assertLess(best.overhang_mm2, 1)
        self.assertTrue(all(stance.tip_angle_deg >= 0 for stance in found))

    def test_a_slope_shows_steps_of_height_times_cosine(self) -> None:
        # A cone of 45 degrees: ridges are h cos 45 high on all of its mantle.
        stance = orientations(cone(20, 20, 512), 0.2, count=1)[0][0]
        self.assertAlmostEqual(stance.ridge_mm, 0.2 * np.cos(np.pi / 4), places=3)
        self.assertAlmostEqual(stance.step_mm2, np.pi * 20 * 20 * np.sqrt(2), delta=2)
        self.assertEqual(orientations(cylinder(10, 10), 0.2, count=1)[0][0].ridge_mm, 0)

    def test_a_long_mesh_is_made_simpler_and_stays_the_same(self) -> None:
        ball = sphere(20, 6)
        fewer = simpler(ball)
        self.assertLess(len(fewer.faces), len(ball.faces) / 2)
        self.assertAlmostEqual(part_facts(fewer).volume_mm3, part_facts(ball).volume_mm3, delta=120)
        self.assertIs(simpler(BRACKET), BRACKET)


BRACKET = ledge(15)


def slow_hit(corners: np.ndarray, origin: np.ndarray, direction: np.ndarray) -> float:
    """The nearest triangle by solving for each one, without any grid."""
    edges = np.stack(
        [-np.tile(direction, (len(corners), 1)), corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]], axis=2
    )
    regular = np.abs(np.linalg.det(edges)) > 1e-12
    t, u, v = np.linalg.solve(edges[regular], (origin - corners[regular, 0])[:, :, None])[:, :, 0].T
    met = (t > 0) & (u >= 0) & (v >= 0) & (u + v <= 1)
    return float(t[met].min()) if met.any() else float("inf")


if __name__ == "__main__":
    unittest.main()
