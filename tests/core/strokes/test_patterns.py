import math
import unittest

import numpy as np
import shapely

from meanbead.core.errors import RecipeError
from meanbead.core.formulas.bead import bead_area_mm2
from meanbead.core.strokes import Feature, Strokes, plan_strokes
from meanbead.core.strokes.patterns import honeycomb_side_mm
from tests.core.strokes.test_planner import HEIGHT, SPACING, WIDTH, length_of, shape_of
from tests.support.solids import box, cylinder, sphere

STRAIGHT = ("lines", "grid", "triangles", "cubic")
PATTERNS = (*STRAIGHT, "honeycomb", "honeycomb_3d", "gyroid", "concentric")


def filled(pattern: str, density: float, multiplier: int = 1, solid=None, angle: float = 37) -> Strokes:
    infill = {"density": density, "pattern": pattern, "lines_side_by_side": multiplier, "angle_deg": angle}
    return plan_strokes(solid or box(120, 100, 3), shape_of(walls=1, top_layers=0, bottom_layers=0, infill=infill))


def laid_density(strokes: Strokes, depth: float = 3.0) -> float:
    inside = (120 - WIDTH - SPACING) * (100 - WIDTH - SPACING) * depth
    return length_of(strokes, Feature.INFILL) * bead_area_mm2(WIDTH, HEIGHT) / inside


class Density(unittest.TestCase):
    def test_each_pattern_lays_what_was_asked_for(self) -> None:
        for pattern in PATTERNS:
            for density in (0.1, 0.3):
                laid = laid_density(filled(pattern, density))
                self.assertAlmostEqual(laid / density, 1, delta=0.02, msg=f"{pattern} {density}")

    def test_lines_side_by_side_multiply_it(self) -> None:
        for pattern in (*STRAIGHT, "concentric"):
            laid = laid_density(filled(pattern, 0.1, 3))
            self.assertAlmostEqual(laid / 0.3, 1, delta=0.02, msg=pattern)

    def test_side_by_side_is_one_spacing_apart(self) -> None:
        strokes = filled("lines", 0.1, 2, angle=0)
        rows = (strokes.feature == Feature.INFILL) & (strokes.layer == 2)
        across = np.unique(strokes.start_xy[rows][:, 1].round(6))
        gaps = np.diff(across)
        np.testing.assert_allclose(gaps[::2], SPACING, atol=1e-5)
        np.testing.assert_allclose(gaps[:-1:2] + gaps[1::2], SPACING / 0.1, atol=1e-5)

    def test_bent_patterns_refuse_it_with_the_remedy(self) -> None:
        for pattern in ("gyroid", "honeycomb"):
            with self.assertRaises(RecipeError) as caught:
                filled(pattern, 0.2, 2)
            self.assertEqual(caught.exception.field, "infill.lines_side_by_side")


class Geometry(unittest.TestCase):
    def test_everything_stays_inside_the_walls(self) -> None:
        for pattern in PATTERNS:
            strokes = filled(pattern, 0.25, solid=cylinder(20, 1))
            rows = strokes.feature == Feature.INFILL
            radius = np.hypot(*strokes.end_xy[rows].T)
            self.assertLess(radius.max(), 20 - WIDTH / 2 - SPACING / 2 + 1e-6, pattern)

    def test_gyroid_moves_with_height(self) -> None:
        strokes = filled("gyroid", 0.2, solid=box(30, 30, 2))
        layers = [set(map(tuple, strokes.end_xy[strokes.layer == k].round(3))) for k in (2, 6)]
        self.assertLess(len(layers[0] & layers[1]), 0.2 * len(layers[0]))

    def test_cubic_is_made_of_cubes(self) -> None:
        """Traces of a cube's faces move by rise / sqrt 2: the cube stands on its corner."""
        strokes = filled("cubic", 0.1, solid=box(60, 60, 4), angle=0)
        pitch = 3 * SPACING / 0.1

        def offsets(layer: int) -> np.ndarray:
            rows = (strokes.feature == Feature.INFILL) & (strokes.layer == layer)
            start, end = strokes.start_xy[rows], strokes.end_xy[rows]
            level = np.abs(start[:, 1] - end[:, 1]) < 1e-9
            return start[level][:, 1] % pitch

        moved = (offsets(12)[0] - offsets(2)[0]) % pitch
        self.assertAlmostEqual(moved, 10 * HEIGHT / math.sqrt(2), places=6)

    def test_honeycomb_cells_close(self) -> None:
        side = honeycomb_side_mm(round(SPACING, 6), 0.1)
        strokes = filled("honeycomb", 0.1, solid=box(80, 80, 1))
        rows = (strokes.feature == Feature.INFILL) & (strokes.layer == 2)
        beads = shapely.union_all(
            shapely.buffer(
                shapely.linestrings(np.stack([strokes.start_xy[rows], strokes.end_xy[rows]], axis=1)), WIDTH * 0.52
            )
        )
        cells = [shapely.Polygon(ring) for part in shapely.get_parts(beads) for ring in part.interiors]
        whole = [cell for cell in cells if cell.area > 0.5 * 1.5 * math.sqrt(3) * side**2]
        self.assertGreater(len(whole), 20)
        # A cell is a hexagon less half a bead's wall all round.
        inner = side - 2 * WIDTH / math.sqrt(3)
        areas = np.array([cell.area for cell in whole])
        self.assertAlmostEqual(float(np.median(areas)) / (1.5 * math.sqrt(3) * inner**2), 1, delta=0.12)

    def test_odd_shapes_do_no_harm(self) -> None:
        for pattern in PATTERNS:
            self.assertGreater(len(filled(pattern, 0.15, solid=sphere(7, 3))), 100)


class Brim(unittest.TestCase):
    def test_touches_the_part_and_reaches_its_width(self) -> None:
        strokes = plan_strokes(box(20, 20, 1), shape_of(adhesion={"kind": "brim", "width_mm": 6}))
        rows = strokes.feature == Feature.BRIM
        self.assertEqual(strokes.feature[0], Feature.BRIM)
        self.assertEqual(set(strokes.layer[rows]), {0})
        ends = np.abs(strokes.end_xy[rows])
        reach = ends.max(axis=1)
        beside = ends[ends[:, 0] <= 10 + 1e-6]  # along the sides, not round the corners
        self.assertAlmostEqual(beside[:, 1].min(), 10 + SPACING - WIDTH / 2, places=4)
        self.assertAlmostEqual(reach.max() + WIDTH / 2 - 10, 6, delta=SPACING)
        self.assertEqual(length_of(strokes, Feature.SKIRT), 0)

    def test_leaves_holes_free(self) -> None:
        ring = cylinder(20, 1).manifold - cylinder(12, 9).manifold.translate((0, 0, -2))
        mesh = ring.to_mesh()
        from meanbead.core.part.solid import Solid

        solid = Solid(np.asarray(mesh.vert_properties, float)[:, :3], np.asarray(mesh.tri_verts, int), (), "ring")
        strokes = plan_strokes(solid, shape_of(adhesion={"kind": "brim"}))
        rows = strokes.feature == Feature.BRIM
        self.assertGreater(np.hypot(*strokes.end_xy[rows].T).min(), 20)
