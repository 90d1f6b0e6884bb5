import unittest

import manifold3d
import numpy as np
import shapely
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from meanbead.core.part.read import RawMesh
from meanbead.core.part.slices import Layers, layer_stack, slice_solid
from meanbead.core.part.solid import Solid, make_solid
from tests.running.effort import cases
from tests.support.solids import block, box, cone, solid_of, sphere


class Stack(unittest.TestCase):
    def test_by_hand(self) -> None:
        layers = layer_stack(10.0, 0.2, 0.3)
        # ceil((10 - 0.3) / 0.2 - 0.5) + 1 = 49 layers; one more would have its middle on the top, at 10 mm.
        self.assertEqual(len(layers), 49)
        self.assertAlmostEqual(layers.top_mm[-1], 9.9)
        self.assertAlmostEqual(layers.middle_mm[0], 0.15)

    def test_rounding_makes_no_layer(self) -> None:
        self.assertEqual(len(layer_stack(0.6000000001, 0.2, 0.2)), 3)
        self.assertEqual(len(layer_stack(0.1, 0.2, 0.2)), 1)

    @given(st.floats(0.5, 300), st.floats(0.05, 0.6), st.floats(0.1, 0.5))
    def test_every_middle_lies_inside_and_the_height_is_off_by_half_a_layer_at_most(
        self, height: float, layer: float, first: float
    ) -> None:
        layers = layer_stack(height, layer, first)
        self.assertTrue(np.all(layers.middle_mm[1:] < height))
        if first <= height:
            self.assertLessEqual(abs(layers.top_mm[-1] - height), layer / 2 + 2e-3)
            self.assertGreaterEqual(layers.top_mm[-1] + layer / 2, height - 2e-3)

    def test_heights_that_divide_the_part_end_on_top(self) -> None:
        for part, layer, count, off in (
            (1.0, 0.3, 3, -0.1),
            (0.5, 0.3, 2, 0.1),
            (1.0, 0.25, 4, 0.0),
            (30, 0.2, 150, 0.0),
        ):
            layers = layer_stack(part, layer, layer)
            self.assertEqual(len(layers), count)
            self.assertAlmostEqual(layers.top_mm[-1] - part, off, places=9)


def _one_by_one(solid: Solid, layers: Layers) -> list[bytes]:
    """Each section by itself: one layer alone spans nothing."""
    single = [
        slice_solid(solid, Layers(layers.top_mm[k : k + 1], layers.height_mm[k : k + 1]))[0][0]
        for k in range(len(layers))
    ]
    return [shapely.to_wkb(section) for section in single]


class UprightSpans(unittest.TestCase):
    """Where walls stand upright a section is cut once; it must be what each layer's own cut would give, to the last bit."""

    @settings(max_examples=cases(12, 500), deadline=None)
    @given(
        st.lists(
            st.tuples(st.floats(3, 30), st.floats(3, 30), st.floats(0.4, 12), st.floats(0, 45), st.integers(3, 40)),
            min_size=1,
            max_size=5,
        ),
        st.floats(0.08, 0.5),
        st.booleans(),
    )
    def test_stacks_of_turned_blocks_and_posts(
        self, storeys: list[tuple[float, float, float, float, int]], height: float, drafted: bool
    ) -> None:
        whole, z = manifold3d.Manifold(), 0.0
        for k, (x, y, high, turn, sides) in enumerate(storeys):
            taper = 0.8 if drafted and k % 2 else 1.0
            post = manifold3d.Manifold.cylinder(high, x / 2, x / 2 * taper, sides)
            storey = manifold3d.Manifold.cube((x, y, high), True).translate((0, 0, high / 2)) if k % 3 == 0 else post
            hole = manifold3d.Manifold.cylinder(high * 3, 1.1, 1.1, 12).translate((0.7, 0.2, -high))
            whole += (storey.rotate((0, 0, turn)) - hole).translate((0.3 * k, 0, z - 0.01 * k))
            z += high
        solid = solid_of(whole)
        layers = layer_stack(float(solid.vertices[:, 2].max()), height, 0.2)
        sections, failed = slice_solid(solid, layers)
        self.assertEqual(failed, ())
        self.assertEqual([shapely.to_wkb(section) for section in sections], _one_by_one(solid, layers))

    def test_a_corner_between_two_layers_parts_them(self) -> None:
        # A notch of a single layer must not be passed over.
        notched = solid_of(block(20, 20, 10) - block(20, 5, 0.2, (0, 0, 5.0)))
        layers = layer_stack(10, 0.2, 0.2)
        areas = shapely.area(slice_solid(notched, layers)[0])
        inside = (layers.middle_mm > 5.0) & (layers.middle_mm < 5.2)
        self.assertTrue(inside.any())
        np.testing.assert_allclose(areas[inside], 300, rtol=1e-9)
        np.testing.assert_allclose(areas[~inside], 400, rtol=1e-9)

    def test_equal_sections_are_one_object(self) -> None:
        sections, _ = slice_solid(box(20, 30, 40), layer_stack(40, 0.2, 0.2))
        self.assertEqual(len({id(section) for section in sections}), 1)


class Sections(unittest.TestCase):
    def test_of_a_sphere_are_circles(self) -> None:
        solid = sphere(15)
        layers = layer_stack(30, 0.5, 0.5)
        areas = shapely.area(slice_solid(solid, layers)[0])
        expected = np.pi * (15**2 - (layers.middle_mm - 15) ** 2)
        np.testing.assert_allclose(areas[3:-3], expected[3:-3], rtol=0.01)

    def test_of_a_cone_shrink_to_the_tip(self) -> None:
        layers = layer_stack(20, 0.25, 0.25)
        areas = shapely.area(slice_solid(cone(10, 20), layers)[0])
        np.testing.assert_allclose(areas[:-4], (np.pi * (10 * (1 - layers.middle_mm / 20)) ** 2)[:-4], rtol=0.01)

    def test_add_up_to_the_volume(self) -> None:
        layers = layer_stack(30, 0.1, 0.1)
        solid = sphere(15)
        self.assertAlmostEqual(shapely.area(slice_solid(solid, layers)[0]).sum() * 0.1 / solid.manifold.volume(), 1, 3)

    def test_a_ring_within_a_ring_keeps_its_inner_island(self) -> None:
        ring = manifold3d.Manifold.cylinder(10, 20) - manifold3d.Manifold.cylinder(30, 15, -1, 0, True)
        post = manifold3d.Manifold.cylinder(10, 6) - manifold3d.Manifold.cylinder(30, 3, -1, 0, True)
        mesh = (ring + post).to_mesh()
        solid = make_solid(RawMesh(np.asarray(mesh.vert_properties[:, :3], float), np.asarray(mesh.tri_verts, int)))
        section = slice_solid(solid, layer_stack(10, 1, 1))[0][4]
        self.assertEqual(len(section.geoms), 2)
        self.assertAlmostEqual(section.area * 10 / solid.manifold.volume(), 1, places=4)

    def test_overlapping_bodies_are_one(self) -> None:
        other = trimesh.creation.box((20, 20, 20))
        other.apply_translation((10, 0, 0))
        both = trimesh.util.concatenate([trimesh.creation.box((20, 20, 20)), other])
        section = slice_solid(make_solid(RawMesh(both.vertices, both.faces)), layer_stack(20, 1, 1))[0][7]  # type: ignore[attr-defined]
        self.assertAlmostEqual(section.area, 600, places=3)

    def test_agree_with_an_independent_sectioner(self) -> None:
        mesh = trimesh.creation.torus(20, 6)
        solid = make_solid(RawMesh(mesh.vertices, mesh.faces))
        standing = trimesh.Trimesh(solid.vertices, solid.faces, process=False)
        layers = layer_stack(12, 0.75, 0.75)
        ours = shapely.area(slice_solid(solid, layers)[0])
        for height, area in zip(layers.middle_mm, ours, strict=True):
            loops = standing.section([0, 0, 1], [0, 0, height]).discrete  # type: ignore[union-attr]
            sizes = sorted((shapely.Polygon(loop[:, :2]).area for loop in loops), reverse=True)
            self.assertAlmostEqual(area / (sizes[0] - sizes[1]), 1, places=3)

    def test_a_last_layer_over_half_is_laid_and_one_under_half_is_not(self) -> None:
        self.assertEqual(len(layer_stack(1.05, 0.2, 0.2)), 5)
        sections, _ = slice_solid(box(10, 10, 1.15), layer_stack(1.15, 0.2, 0.2))
        self.assertEqual(len(sections), 6)
        self.assertAlmostEqual(sections[-1].area, 100)
