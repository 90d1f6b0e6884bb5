import unittest

import numpy as np
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from meanbead.core.errors import PartError, UnitUnclear
from meanbead.core.part.facts import part_facts
from meanbead.core.part.picture import draw_solid
from meanbead.core.part.read import RawMesh
from meanbead.core.part.solid import Solid, make_solid
from tests.running.effort import cases
from tests.support.solids import box, cone, cylinder, sphere


def raw(mesh: trimesh.Trimesh) -> RawMesh:
    return RawMesh(np.array(mesh.vertices), np.array(mesh.faces))


class Mending(unittest.TestCase):
    def setUp(self) -> None:
        self.mesh = trimesh.creation.box((20, 30, 40)).subdivide()

    def mended(self, *words: str) -> Solid:
        solid = make_solid(raw(self.mesh))
        self.assertAlmostEqual(part_facts(solid).volume_mm3, 24_000, places=3)
        for word in words:
            self.assertIn(word, " ".join(solid.mended))
        return solid

    def test_a_sound_mesh_is_left_alone(self) -> None:
        self.assertEqual(self.mended().mended, ())

    def test_flipped_faces_are_turned(self) -> None:
        self.mesh.faces[[3, 17]] = self.mesh.faces[[3, 17], ::-1]
        self.mended("2 flipped triangles were turned")

    def test_inside_out(self) -> None:
        self.mesh.invert()
        self.mended("faced inwards")

    def test_a_flat_hole_is_closed(self) -> None:
        side = np.isclose(self.mesh.triangles_center[:, 0], 10) & (self.mesh.triangles_center[:, 1] > 0)
        self.mesh.update_faces(~side)
        self.mended("1 flat hole in the surface was closed")

    def test_two_flat_holes_and_a_flipped_face(self) -> None:
        centre = self.mesh.triangles_center
        keep = np.ones(len(centre), dtype=bool)
        keep[[np.flatnonzero(np.isclose(centre[:, 0], side))[0] for side in (10, -10)]] = False
        upper = np.flatnonzero(np.isclose(centre[:, 2], 20))[0]
        self.mesh.faces[upper] = self.mesh.faces[upper][::-1]
        self.mesh.update_faces(keep)
        self.mended("2 flat holes in the surface were closed", "1 flipped triangle")

    def test_double_and_empty_triangles_go(self) -> None:
        self.mesh.faces = np.vstack([self.mesh.faces, self.mesh.faces[:2], [[0, 0, 1]]])
        self.mended("3 triangles without area or laid twice were removed")

    def test_a_bent_rim_is_refused(self) -> None:
        ball = trimesh.creation.icosphere(subdivisions=3, radius=20)
        ball.update_faces(ball.triangles_center[:, 2] + 8 * np.sin(ball.triangles_center[:, 0] / 4) < 10)
        with self.assertRaises(PartError) as caught:
            make_solid(raw(ball))
        self.assertIn("not closed", str(caught.exception))

    def test_a_hollow_body_stays_hollow(self) -> None:
        inner = trimesh.creation.box((10, 10, 10))
        inner.invert()
        both = trimesh.util.concatenate([trimesh.creation.box((20, 20, 20)), inner])
        self.assertAlmostEqual(part_facts(make_solid(raw(both))).volume_mm3, 7000, places=3)  # type: ignore[arg-type]


class Units(unittest.TestCase):
    def test_inches_are_asked_about(self) -> None:
        with self.assertRaises(UnitUnclear) as caught:
            make_solid(raw(trimesh.creation.box((2, 3, 1))))
        self.assertEqual(caught.exception.suggested, "inch")
        self.assertIn("50.8 x 76.2 x 25.4", str(caught.exception))

    def test_metres_are_asked_about(self) -> None:
        with self.assertRaises(UnitUnclear) as caught:
            make_solid(raw(trimesh.creation.box((0.08, 0.03, 0.01))))
        self.assertEqual(caught.exception.suggested, "m")

    def test_an_answer_settles_it(self) -> None:
        mesh = raw(trimesh.creation.box((2, 3, 1)))
        self.assertAlmostEqual(part_facts(make_solid(mesh, "mm")).volume_mm3, 6)
        self.assertAlmostEqual(part_facts(make_solid(mesh, "inch")).extents_mm.y, 76.2, places=6)
        with self.assertRaises(PartError):
            make_solid(mesh, "parsec")


class Facts(unittest.TestCase):
    """Against closed forms; polygons inscribed in circles are a little smaller."""

    def test_box(self) -> None:
        facts = part_facts(box(20, 30, 40))
        self.assertAlmostEqual(facts.volume_mm3, 24_000)
        self.assertAlmostEqual(facts.surface_mm2, 5_200)
        self.assertAlmostEqual(facts.footprint_mm2, 600)
        self.assertEqual((facts.extents_mm.x, facts.extents_mm.y, facts.extents_mm.z), (20, 30, 40))
        self.assertEqual(facts.bodies, 1)

    def test_round_solids(self) -> None:
        self.assertAlmostEqual(part_facts(cylinder(10, 20)).volume_mm3 / (np.pi * 2000), 1, places=3)
        self.assertAlmostEqual(part_facts(cone(10, 30)).volume_mm3 / (np.pi * 1000), 1, places=3)
        self.assertAlmostEqual(part_facts(sphere(15)).volume_mm3 / (4 / 3 * np.pi * 15**3), 1, places=2)

    def test_stands_on_the_bed_in_the_middle(self) -> None:
        mesh = trimesh.creation.box((20, 20, 20))
        mesh.apply_translation((300, -70, 11))
        solid = make_solid(raw(mesh))
        np.testing.assert_allclose(solid.vertices.min(axis=0), [-10, -10, 0], atol=1e-9)

    @settings(max_examples=cases(10, 400), deadline=None)
    @given(st.floats(0.2, 3.1), st.floats(-50, 50))
    def test_turning_and_moving_change_no_volume(self, angle: float, shift: float) -> None:
        mesh = trimesh.creation.cone(10, 30)
        mesh.apply_transform(trimesh.transformations.rotation_matrix(angle, (1, 2, 3)))
        mesh.apply_translation((shift, -shift, shift))
        self.assertAlmostEqual(part_facts(make_solid(raw(mesh))).volume_mm3, mesh.volume, places=4)


class Picture(unittest.TestCase):
    def test_shows_the_part_in_the_middle_and_nothing_around(self) -> None:
        picture = draw_solid(sphere(10, 3), 120, 90)
        self.assertEqual(picture.shape, (90, 120, 4))
        self.assertEqual(picture[45, 60, 3], 255)
        self.assertEqual(picture[2, 2, 3], 0)
        # A ball covers a disc: pi / 4 of the square of its height, which is 88 % of the frame's.
        covered = np.count_nonzero(picture[:, :, 3] > 127)
        self.assertAlmostEqual(covered / (np.pi / 4 * (0.88 * 90) ** 2), 1, delta=0.06)
