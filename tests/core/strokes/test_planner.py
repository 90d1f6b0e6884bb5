import math
import unittest
from dataclasses import replace

import numpy as np
import shapely
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from meanbead.core.errors import RecipeError
from meanbead.core.formulas.bead import SIDE_LOSS, bead_area_mm2, bead_spacing_mm
from meanbead.core.geometry.scanlines import scan_lines
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from meanbead.core.model.plan import Shape
from meanbead.core.part.solid import Solid
from meanbead.core.recipe.resolve import resolve
from meanbead.core.strokes import Feature, StrokePlanner, Strokes, plan_strokes
from meanbead.core.strokes.skins import FillSpacings, SkinLayers, split_fill
from tests.running.effort import cases
from tests.support.keys import exact
from tests.support.solids import box, cone, cylinder, sphere

WIDTH, HEIGHT = 0.45, 0.2
SPACING = bead_spacing_mm(WIDTH, HEIGHT)


def shape_of(**keys: object) -> Shape:
    base = {
        "layer_height_mm": HEIGHT,
        "line_width_mm": {"outer_wall": WIDTH},
        "walls": 2,
        "top_layers": 3,
        "bottom_layers": 3,
        "infill": {"density": 0.2, "angle_deg": 0},
        "adhesion": {"kind": "none"},
    }
    return resolve(Recipe.model_validate(exact(base | keys)), Printer(), Nozzle(), Material()).shape


def length_of(strokes: Strokes, feature: Feature) -> float:
    return float(strokes.length_mm[strokes.feature == feature].sum())


def volume_of(strokes: Strokes) -> float:
    return float((strokes.length_mm * strokes.area_mm2)[~strokes.is_travel].sum())


class Walls(unittest.TestCase):
    def test_of_a_box_have_the_length_of_their_centre_lines(self) -> None:
        strokes = plan_strokes(box(20, 30, 4), shape_of(walls=3))
        layers = 20
        outer = 2 * (20 + 30 - 2 * WIDTH)
        self.assertAlmostEqual(length_of(strokes, Feature.OUTER_WALL), layers * outer, places=6)
        inner = sum(2 * (50 - 4 * (WIDTH / 2 + k * SPACING)) for k in (1, 2))
        self.assertAlmostEqual(length_of(strokes, Feature.INNER_WALL), layers * inner, places=6)

    def test_of_a_cylinder_are_circles(self) -> None:
        strokes = plan_strokes(cylinder(15, 2), shape_of())
        expected = 10 * 2 * math.pi * (15 - WIDTH / 2)
        self.assertAlmostEqual(length_of(strokes, Feature.OUTER_WALL) / expected, 1, places=3)

    def test_first_layer_has_its_own_height_and_width(self) -> None:
        shape = shape_of(first_layer_height_mm=0.3, line_width_mm={"outer_wall": WIDTH, "first_layer": 0.6})
        strokes = plan_strokes(box(20, 20, 2), shape)
        first = strokes.layer == 0
        self.assertEqual(set(strokes.height_mm[first & ~strokes.is_travel]), {0.3})
        walls = strokes.width_mm[first & (strokes.feature == Feature.OUTER_WALL)]
        np.testing.assert_allclose(walls, 0.6)

    def test_no_walls_leave_everything_to_the_filling(self) -> None:
        strokes = plan_strokes(box(20, 20, 2), shape_of(walls=0))
        self.assertEqual(length_of(strokes, Feature.OUTER_WALL), 0)
        self.assertGreater(length_of(strokes, Feature.BOTTOM), 0)

    def test_one_wall_more_removes_the_sliver_in_a_thin_wall(self) -> None:
        thick = 4 * SPACING + (WIDTH - SPACING) + 0.5
        ring = cylinder(20, 6).manifold - cylinder(20 - thick, 20).manifold.translate((0, 0, -5))
        mesh = ring.to_mesh()
        solid = Solid(np.asarray(mesh.vert_properties, float)[:, :3], np.asarray(mesh.tri_verts, int), (), "ring")
        bare = {"top_layers": 0, "bottom_layers": 0}
        two, three = (plan_strokes(solid, shape_of(walls=count, **bare)) for count in (2, 3))
        self.assertGreater(np.count_nonzero(two.feature == Feature.INFILL), 1000)
        self.assertEqual(np.count_nonzero(three.feature == Feature.INFILL), 0)


class FullInfill(unittest.TestCase):
    """Plastic against closed forms. Beads have round sides, so each outline loses ``h SIDE_LOSS / 2`` of its width."""

    def check(self, solid: Solid, expected_mm3: float, tolerance: float, **keys: object) -> None:
        strokes = plan_strokes(solid, shape_of(infill={"density": 1.0}, skins={"angle_deg": 0}, **keys))
        self.assertAlmostEqual(volume_of(strokes) / expected_mm3, 1, delta=tolerance)

    def test_box_to_the_last_digit(self) -> None:
        a, b, layers, walls = 20.0, 30.0, 20, 2
        depth = WIDTH / 2 + (walls - 0.5) * SPACING
        loops = sum(2 * (a + b) - 8 * (WIDTH / 2 + k * SPACING) for k in range(walls))
        layer = bead_area_mm2(WIDTH, HEIGHT) * loops + HEIGHT * (a - 2 * depth) * (b - 2 * depth)
        self.check(box(a, b, 4), layers * layer, 1e-9)

    def test_box_within_one_percent_of_its_volume_less_its_rounded_edges(self) -> None:
        self.check(box(40, 40, 8), 8 * (40 * 40 - 160 * HEIGHT * SIDE_LOSS / 2), 0.001)

    def test_cylinder(self) -> None:
        radius = 15 - HEIGHT * SIDE_LOSS / 2
        self.check(cylinder(15, 10), math.pi * radius**2 * 10, 0.005)

    def test_cone(self) -> None:
        # Integrated over layers: area of each mid-height circle less its rounded edge.
        heights = np.arange(50) * HEIGHT + HEIGHT / 2
        radii = 15 * (1 - heights / 10) - HEIGHT * SIDE_LOSS / 2
        self.check(cone(15, 10), float((math.pi * np.clip(radii, 0, None) ** 2).sum() * HEIGHT), 0.01)

    def test_sphere(self) -> None:
        heights = np.arange(120) * HEIGHT + HEIGHT / 2
        radii = np.sqrt(144 - (heights - 12) ** 2) - HEIGHT * SIDE_LOSS / 2
        self.check(sphere(12), float((math.pi * radii**2).sum() * HEIGHT), 0.01)

    def test_any_angle_fills_the_same(self) -> None:
        for angle in (17, 45, 80):
            strokes = plan_strokes(box(30, 30, 1), shape_of(infill={"density": 1.0, "angle_deg": angle}))
            self.assertAlmostEqual(volume_of(strokes) / (900 - 120 * HEIGHT * SIDE_LOSS / 2), 1, delta=0.003)


class SparseInfill(unittest.TestCase):
    def test_lays_the_density_asked_for(self) -> None:
        for pattern in ("lines", "grid"):
            for density in (0.1, 0.25, 0.5):
                shape = shape_of(
                    walls=1, top_layers=0, bottom_layers=0, infill={"density": density, "pattern": pattern}
                )
                strokes = plan_strokes(box(120, 100, 2), shape)
                inside = (120 - WIDTH - SPACING) * (100 - WIDTH - SPACING) * 2
                laid = length_of(strokes, Feature.INFILL) * bead_area_mm2(WIDTH, HEIGHT)
                self.assertAlmostEqual(laid / inside / density, 1, delta=0.02, msg=f"{pattern} {density}")

    def test_grid_lies_in_the_same_place_in_every_layer(self) -> None:
        strokes = plan_strokes(box(40, 40, 2), shape_of(top_layers=0, bottom_layers=0))
        rows = strokes.feature == Feature.INFILL
        ends = [np.sort(strokes.start_xy[rows & (strokes.layer == layer)].round(6), axis=0) for layer in (2, 5)]
        np.testing.assert_allclose(ends[0], ends[1])

    def test_none_at_all(self) -> None:
        strokes = plan_strokes(box(20, 20, 2), shape_of(infill={"density": 0.0}))
        self.assertEqual(length_of(strokes, Feature.INFILL), 0)


class Skins(unittest.TestCase):
    def test_of_a_box_lie_at_bottom_and_top(self) -> None:
        strokes = plan_strokes(box(20, 20, 4), shape_of())
        layers = {feature: set(strokes.layer[strokes.feature == feature]) for feature in Feature}
        self.assertEqual(layers[Feature.BOTTOM], {0})
        self.assertEqual(layers[Feature.TOP], {19})
        self.assertEqual(layers[Feature.SOLID], {1, 2, 18})
        self.assertEqual(layers[Feature.BRIDGE], {17})
        self.assertEqual(layers[Feature.INFILL], set(range(3, 17)))

    def test_under_a_step_the_exposed_half_is_solid(self) -> None:
        step = box(40, 20, 2).manifold.translate((0, 0, 0)) + box(20, 20, 4).manifold.translate((-10, 0, 0))
        mesh = step.to_mesh()
        solid = Solid(np.asarray(mesh.vert_properties, float)[:, :3], np.asarray(mesh.tri_verts, int), (), "step")
        strokes = plan_strokes(solid, shape_of(walls=1))
        top = (strokes.feature == Feature.TOP) & (strokes.layer == 9)
        self.assertGreater(strokes.start_xy[top][:, 0].min(), -0.5)
        area = length_of(strokes, Feature.TOP) * SPACING
        self.assertAlmostEqual(area, 20 * 20 * 2, delta=60)

    @settings(max_examples=cases(15, 600), deadline=None)
    @given(
        st.lists(st.tuples(st.integers(2, 9), st.integers(0, 4)), min_size=1, max_size=9),
        st.integers(0, 4),
        st.integers(0, 4),
    )
    def test_split_is_the_one_by_definition(self, stack: list[tuple[int, int]], tops: int, bottoms: int) -> None:
        """Random stacks of boxes on whole millimetres, against counting unit cells one by one."""
        boxes = [shapely.box(shift, 0, shift + size, size) for size, shift in stack]
        sections = np.array(boxes, dtype=object)
        layer = np.arange(len(stack))
        count = len(stack)
        skins = SkinLayers(np.full(count, tops), np.full(count, bottoms), np.zeros(count, dtype=bool))
        widths = FillSpacings(np.full(count, 0.1), np.full(count, 0.1), np.full(count, 0.1), np.full(count, 0.5))
        over = np.ones(count, dtype=bool)
        fill = split_fill(
            sections.copy(), layer, sections, skins, widths, variable=True, unheld=False, bridges_over=over
        )

        def cells(index: int) -> set[tuple[int, int]]:
            if not 0 <= index < len(stack):
                return set()
            size, shift = stack[index]
            return {(x, y) for x in range(shift, shift + size) for y in range(size)}

        def sparse_cells(index: int) -> set[tuple[int, int]]:
            sparse = cells(index)
            for step in [*range(1, tops + 1), *(-step for step in range(1, bottoms + 1))]:
                sparse &= cells(index + step)
            return sparse

        for index in range(len(stack)):
            own, sparse = cells(index), sparse_cells(index)
            bottom = (own - sparse) - cells(index - 1) if bottoms else set()
            top = (own - sparse) - bottom - cells(index + 1) if tops else set()
            solid = own - sparse - bottom - top
            over_sparse = solid & sparse_cells(index - 1) if tops > 1 else set()
            areas = [len(item) for item in (sparse, bottom, top, solid - over_sparse, over_sparse)]
            parts = (fill.sparse, fill.bottom, fill.top, fill.solid, fill.over_sparse)
            found = [part[index].area for part in parts]
            np.testing.assert_allclose(found, areas, atol=1e-6)


@st.composite
def regions(draw: st.DrawFn) -> shapely.Geometry:
    points = draw(st.lists(st.tuples(st.floats(-20, 20), st.floats(-20, 20)), min_size=4, max_size=12))
    hull = shapely.MultiPoint(points).convex_hull.buffer(1.0)
    holes = shapely.MultiPoint(points[:3]).buffer(draw(st.floats(0.2, 2)))
    return hull.difference(holes)


class ScanLines(unittest.TestCase):
    @settings(max_examples=cases(20, 800), deadline=None)
    @given(regions(), st.floats(-3.1, 3.1), st.floats(0.4, 5))
    def test_agree_with_cutting_each_line_by_a_geometry_library(
        self, region: shapely.Geometry, angle: float, pitch: float
    ) -> None:
        assume(not region.is_empty)
        one = np.array([region], dtype=object)
        lines = scan_lines(one, np.array([angle]), np.array([pitch]), fit=False)
        direction = np.array([math.cos(angle), math.sin(angle)])
        across = np.array([-direction[1], direction[0]])
        # A line that runs along an edge may count it or not; leave those out.
        offsets = (shapely.get_coordinates(region) @ across) / pitch - 0.5
        assume(np.abs(offsets - np.round(offsets)).min() > 1e-6)
        expected = 0.0
        for k in range(math.floor(-60 / pitch), math.ceil(60 / pitch)):
            middle = across * (k + 0.5) * pitch
            line = shapely.LineString([middle - 100 * direction, middle + 100 * direction])
            pieces = shapely.get_parts(shapely.intersection(line, region))
            expected += sum(piece.length for piece in pieces if piece.length >= 0.05)
        laid = float(np.hypot(*(lines.end - lines.start).T).sum())
        self.assertAlmostEqual(laid, expected, places=4)

    @settings(max_examples=cases(20, 800), deadline=None)
    @given(st.floats(2, 60), st.floats(2, 60), st.sampled_from([0.0, math.pi / 2]))
    def test_fitted_lines_fill_a_rectangle_exactly(self, x: float, y: float, angle: float) -> None:
        one = np.array([shapely.box(0, 0, x, y)], dtype=object)
        lines = scan_lines(one, np.array([angle]), np.array([0.4]), fit=True)
        lengths = np.hypot(*(lines.end - lines.start).T)
        self.assertAlmostEqual(float((lengths * lines.pitch_mm).sum()), x * y, places=6)

    def test_nothing_from_nothing(self) -> None:
        none = np.array([shapely.MultiPolygon()], dtype=object)
        self.assertEqual(len(scan_lines(none, np.zeros(1), np.ones(1), fit=True)), 0)


class Order(unittest.TestCase):
    def test_each_stroke_starts_where_the_last_one_ended(self) -> None:
        for solid in (box(20, 20, 3), sphere(8)):
            strokes = plan_strokes(solid, shape_of(adhesion={"kind": "skirt", "loops": 2}))
            np.testing.assert_allclose(strokes.start_xy[1:], strokes.end_xy[:-1], atol=1e-9)
            self.assertTrue(np.all(np.diff(strokes.layer) >= 0))
            self.assertTrue(np.all(strokes.length_mm > 0))

    def test_skirt_comes_first_at_its_distance(self) -> None:
        strokes = plan_strokes(box(20, 20, 2), shape_of(adhesion={"kind": "skirt", "loops": 2, "distance_mm": 5}))
        skirt = strokes.feature == Feature.SKIRT
        self.assertEqual(strokes.feature[0], Feature.SKIRT)
        self.assertEqual(set(strokes.layer[skirt]), {0})
        # The inner loop's centre line: 80 mm of sides, and a full circle of the distance and half a width.
        inner = 80 + 2 * math.pi * (5 + WIDTH / 2)
        self.assertAlmostEqual(length_of(strokes, Feature.SKIRT) / (2 * inner + 2 * math.pi * SPACING), 1, places=3)

    def test_seam_at_the_back(self) -> None:
        strokes = plan_strokes(box(20, 20, 2), shape_of(seam="back"))
        starts = np.flatnonzero((strokes.feature == Feature.OUTER_WALL) & np.roll(strokes.is_travel, 1))
        self.assertAlmostEqual(float(strokes.start_xy[starts][:, 1].min()), 10 - WIDTH / 2)

    def test_nearest_seam_travels_less(self) -> None:
        back, nearest = (plan_strokes(sphere(8), shape_of(seam=seam)) for seam in ("back", "nearest"))
        self.assertLess(length_of(nearest, Feature.TRAVEL), length_of(back, Feature.TRAVEL))

    def test_neighbouring_lines_are_hopped_between(self) -> None:
        strokes = plan_strokes(box(40, 40, 2), shape_of(travel="straight"))
        hops = strokes.is_travel & strokes.inside
        self.assertGreater(np.count_nonzero(hops), 300)
        self.assertLess(strokes.length_mm[hops].max(), 2.5 * 2 * SPACING / 0.2 + 1e-9)

    def test_same_input_same_bits(self) -> None:
        first, second = (plan_strokes(sphere(8), shape_of()) for _ in range(2))
        self.assertEqual(first.end_xy.tobytes(), second.end_xy.tobytes())


class Planner(unittest.TestCase):
    def test_remembers_without_changing_the_answer(self) -> None:
        planner, solid = StrokePlanner(), sphere(8)
        shapes = [shape_of(), shape_of(infill={"density": 0.4}), shape_of(top_layers=5), shape_of(walls=3), shape_of()]
        for shape in shapes:
            fresh = plan_strokes(solid, shape)
            held = planner.plan(solid, shape)
            self.assertEqual(fresh.end_xy.tobytes(), held.end_xy.tobytes())
            self.assertEqual(fresh.width_mm.tobytes(), held.width_mm.tobytes())

    def test_refuses_absurd_input(self) -> None:
        for shape, field in (
            (replace(shape_of(), layer_height_mm=1e-4, first_layer_height_mm=1e-4), "layer_height_mm"),
            (replace(shape_of(), first_layer_height_mm=0.4, layer_height_mm=0.4), None),
        ):
            if field is None:
                self.assertGreater(len(plan_strokes(box(20, 20, 4), shape)), 0)
                continue
            with self.assertRaises(RecipeError) as caught:
                plan_strokes(box(20, 20, 4), shape)
            self.assertEqual(caught.exception.field, field)

    def test_says_when_nothing_would_be_laid(self) -> None:
        with self.assertRaises(RecipeError) as caught:
            plan_strokes(box(20, 0.2, 4), shape_of())
        self.assertIn("thinner than one line", str(caught.exception))
