"""Walls of any thickness: what is laid against what they hold, by figures that do not come from the planner's own balance."""

import math
import unittest
from typing import Any

import manifold3d
import numpy as np
import shapely

from meanbead.core.formulas.bead import SIDE_LOSS, bead_spacing_mm
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from meanbead.core.part.solid import Solid
from meanbead.core.recipe.resolve import resolve
from meanbead.core.strokes import Feature, Strokes, plan_strokes
from tests.support.keys import exact
from tests.support.solids import box, solid_of

LAYER = 3


def planned(solid: Solid, bore: float = 0.4, **keys: Any) -> Strokes:
    base = {
        "layer_height_mm": round(bore / 2, 3),
        "walls": 2,
        "top_layers": 4,
        "bottom_layers": 3,
        "infill": {"density": 1.0},
        "adhesion": {"kind": "none"},
    }
    recipe = Recipe.model_validate(exact(base | keys))
    return plan_strokes(solid, resolve(recipe, Printer(), Nozzle(bore_mm=bore), Material()).shape)


def extruded(region: shapely.Polygon, height: float = 3.0) -> Solid:
    rings = [np.asarray(ring.coords)[:-1] for ring in (region.exterior, *region.interiors)]
    return solid_of(manifold3d.CrossSection(rings, manifold3d.FillRule.EvenOdd).extrude(height))


def laid_share(strokes: Strokes, region: shapely.Polygon, layer: int = LAYER) -> float:
    """Plastic of a layer over what its section holds, less the rounded sides of the outermost beads."""
    rows = (strokes.layer == layer) & ~strokes.is_travel
    height = float(strokes.layers.height_mm[layer])
    laid = float((strokes.length_mm * strokes.area_mm2)[rows].sum())
    return laid / height / region.buffer(-SIDE_LOSS * height / 2, join_style="mitre").area


def covered(strokes: Strokes, layer: int = LAYER) -> tuple[float, float]:
    """Area that beads of even width cover once or more, and more than once, mm2: each a rectangle of its fillable width."""
    rows = (strokes.layer == layer) & ~strokes.is_travel
    half = (strokes.width_mm[rows] - SIDE_LOSS * strokes.height_mm[rows]) / 2
    start, end = strokes.start_xy[rows], strokes.end_xy[rows]
    along = (end - start) / strokes.length_mm[rows, None]
    aside = np.column_stack([-along[:, 1], along[:, 0]]) * half[:, None]
    beads = shapely.polygons(np.stack([start + aside, end + aside, end - aside, start - aside], axis=1))
    once = shapely.union_all(beads).area
    return once, float(shapely.area(beads).sum()) - once


class Thickness(unittest.TestCase):
    def check(self, strokes: Strokes, region: shapely.Polygon, bore: float, message: str, within: float = 0.02) -> None:
        asked = region.buffer(-SIDE_LOSS * bore / 4, join_style="mitre").area
        areas = strokes.areas
        self.assertLess(areas.lost_mm2[LAYER], within * asked, message)
        self.assertLess(areas.overfilled_mm2[LAYER], within * asked, message)
        self.assertEqual(areas.void_mm2[LAYER], 0, message)
        self.assertAlmostEqual(laid_share(strokes, region), 1, delta=within, msg=message)
        rows = (strokes.layer == LAYER) & ~strokes.is_travel
        line = 1.1 * bore
        self.assertGreaterEqual(strokes.width_mm[rows].min(), 0.59 * line, message)
        self.assertLessEqual(strokes.width_mm[rows].max(), 2 * line, message)

    def test_straight_walls_of_any_thickness_have_no_void(self) -> None:
        for bore, step in ((0.25, 0.1), (0.4, 0.02), (0.6, 0.06), (0.8, 0.1)):
            spacing = bead_spacing_mm(1.1 * bore, bore / 2)
            for thick in np.arange(0.3, 4.0, step):
                if thick - SIDE_LOSS * bore / 2 < 0.62 * spacing:
                    continue  # nothing fits, and it is told: see test_thin
                solid = box(60, float(thick), 6 * bore)
                region = shapely.box(-30, -thick / 2, 30, thick / 2)
                strokes = planned(solid, bore)
                self.check(strokes, region, bore, f"bore {bore} thick {thick:.2f}")
                if thick < 4 * spacing:
                    # Walls only, and along the wall: beads can be drawn as they lie.
                    once, twice = covered(strokes)
                    self.assertLess(twice, 0.02 * region.area, f"bore {bore} thick {thick:.2f}")
                    self.assertAlmostEqual(once / region.area, 1 - SIDE_LOSS * bore / 2 / thick, delta=0.02)

    def test_the_commonest_thin_walls(self) -> None:
        """The audit's figures: with 0.44 mm lines a wall of 1 mm came out a fifth too light."""
        for thick in (0.85, 0.9, 1.0, 1.08):
            strokes = planned(box(60, thick, 6))
            plastic = float((strokes.length_mm * strokes.area_mm2).sum())
            self.assertAlmostEqual(plastic / (60 * thick * 6), 1 - 0.2 * SIDE_LOSS / thick, delta=0.01)

    def test_curved_and_tapering_walls(self) -> None:
        for thick in np.arange(0.5, 3.9, 0.23):
            ring = shapely.Point(0, 0).buffer(20, 64).difference(shapely.Point(0, 0).buffer(20 - thick, 64))
            bow = shapely.LineString([(30 * math.cos(a), 30 * math.sin(a)) for a in np.linspace(0, 2, 120)])
            arc = bow.buffer(thick / 2, cap_style="flat")
            taper = shapely.Polygon([(0, 0), (60, 0), (60, thick), (0, thick + 1.5)])
            for name, region in (("ring", ring), ("arc", arc), ("taper", taper)):
                self.check(planned(extruded(region)), region, 0.4, f"{name} {thick:.2f}")

    def test_a_ring_of_few_corners_is_laid_whole(self) -> None:
        """Corners of a polygon draw circles of their own; the wall between goes on."""
        for sides, inner in ((16, 8), (12, 12), (24, 10)):
            outer = shapely.Point(0, 0).buffer(1.8, quad_segs=sides // 4)
            region = outer.difference(shapely.Point(0, 0).buffer(0.6, quad_segs=max(2, inner // 4)))
            self.assertAlmostEqual(laid_share(planned(extruded(region)), region), 1, delta=0.03, msg=f"{sides}")


class Strips(unittest.TestCase):
    """What two shells leave of a wall that is filled sparsely."""

    def ring(self, rest: float, radius: float = 20.0, **keys: Any) -> tuple[Strokes, float]:
        spacing = bead_spacing_mm(0.44, 0.2)
        thick = 4 * spacing + rest * spacing + 0.2 * SIDE_LOSS
        circle = shapely.Point(0, 0)
        region = circle.buffer(radius, 64).difference(circle.buffer(radius - thick, 64))
        strokes = planned(extruded(region), infill={"density": 0.15}, top_layers=0, bottom_layers=0, **keys)
        return strokes, rest * spacing * 2 * math.pi * (radius - thick / 2)

    def test_narrower_than_a_line_they_stay_void_with_fixed_lines_and_it_is_counted(self) -> None:
        for school, void in (("variable", 0.0), ("fixed", 1.0)):
            for rest in (0.3, 0.5, 0.7, 0.93):
                strokes, strip_mm2 = self.ring(rest, thin_walls=school)
                self.assertFalse((strokes.feature == Feature.INFILL).any(), f"{school} {rest}")
                self.assertAlmostEqual(strokes.areas.void_mm2[LAYER] / strip_mm2, void, delta=0.03)
                self.assertLess(strokes.areas.lost_mm2[LAYER], 0.02 * strip_mm2 + 0.1)

    def test_wider_than_a_line_they_are_filled(self) -> None:
        for rest in (1.1, 1.6, 2.5, 4.0):
            laid = asked = 0.0
            # Lines lie at fixed places, so a narrow ring catches more or fewer: many radii even that out.
            for radius in np.arange(16, 24, 0.7):
                strokes, strip_mm2 = self.ring(rest, float(radius))
                rows = (strokes.feature == Feature.INFILL) & (strokes.layer == LAYER)
                laid += float(strokes.length_mm[rows].sum()) * bead_spacing_mm(0.44, 0.2)
                asked += strip_mm2
                self.assertEqual(strokes.areas.void_mm2[LAYER], 0)
            self.assertAlmostEqual(laid / asked, 0.15, delta=0.015, msg=f"{rest}")

    def test_a_rib_on_a_broad_plate_gets_no_infill_either(self) -> None:
        spacing = bead_spacing_mm(0.44, 0.2)
        thick = 4.5 * spacing
        plate = shapely.union_all([shapely.box(0, 0, 40, 40), shapely.box(40, 20, 80, 20 + thick)])
        strokes = planned(extruded(plate), infill={"density": 0.2}, top_layers=0, bottom_layers=0)
        rows = (strokes.feature == Feature.INFILL) & (strokes.layer == LAYER)
        self.assertTrue(rows.any())
        self.assertLess(strokes.start_xy[rows, 0].max(), 1.0)  # the parts stand on the middle of the bed
        self.assertEqual(strokes.areas.void_mm2[LAYER], 0)
        fixed = planned(extruded(plate), infill={"density": 0.2}, top_layers=0, bottom_layers=0, thin_walls="fixed")
        self.assertAlmostEqual(fixed.areas.void_mm2[LAYER], 40 * (0.5 * spacing - 0.2 * SIDE_LOSS), delta=0.5)

    def test_a_wedge_of_fixed_lines_loses_its_tip_and_doubles_before_it(self) -> None:
        """Lost and laid twice are told apart, not set off against each other."""
        wedge = shapely.Polygon([(0, -2), (0, 2), (40, 0)])
        strokes = planned(extruded(wedge), thin_walls="fixed", walls=1, infill={"density": 0.0})
        spacing, edge = bead_spacing_mm(0.44, 0.2), 0.2 * SIDE_LOSS
        # A loop ends where the wedge is one spacing thick; the tip beyond is lost.
        tip_mm = 40 * (spacing + edge) / 4
        tip_mm2 = spacing * tip_mm / 2
        self.assertAlmostEqual(strokes.areas.lost_mm2[LAYER] / tip_mm2, 1, delta=0.35)
        # From two spacings to one the two sides overlap: by half of that triangle.
        self.assertAlmostEqual(strokes.areas.overfilled_mm2[LAYER] / (spacing**2 / 4 * 40 / 4), 2, delta=0.7)
