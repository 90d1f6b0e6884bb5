"""What a rule says of the strokes, against the strokes themselves: infill that is off, a spiral's inside, strips that stay open."""

import math
import unittest

import manifold3d

from meanbead.core.estimate import Engine
from meanbead.core.estimate.job import PrintJob, prepare
from meanbead.core.model import Recipe
from meanbead.core.model.finding import Finding
from meanbead.core.part.solid import Solid
from meanbead.core.strokes import Feature, plan_strokes
from tests.support.estimating import estimate_with_findings
from tests.support.keys import exact
from tests.support.solids import box, solid_of


def found(solid: Solid, rule: str, **keys: object) -> Finding | None:
    job = PrintJob(solid, Recipe.model_validate(exact(keys)))
    findings = estimate_with_findings(Engine(), job).findings
    return next((finding for finding in findings if finding.rule == rule), None)


class InfillOff(unittest.TestCase):
    def test_it_is_what_lines_cover_over_density_times_area(self) -> None:
        """Upright blocks: the area inside the walls by hand, the length laid by the strokes."""
        told = 0
        for side, pattern, density, join in (
            (47, "honeycomb_3d", 0.05, False),
            (33, "grid", 0.05, False),
            (71, "gyroid", 0.2, False),
            (52, "lines", 0.1, True),
        ):
            keys = {
                "walls": 1,
                "top_layers": 0,
                "bottom_layers": 0,
                "infill": {"density": density, "pattern": pattern, "overlap": 0, "join": join},
            }
            solid = box(side, side, 14)
            shape = prepare(PrintJob(solid, Recipe.model_validate(exact(keys)))).plan.shape
            strokes = plan_strokes(solid, shape)
            height, width = shape.layer_height_mm, shape.width_mm.infill
            wall, line = shape.width_mm.outer_wall - height * (1 - math.pi / 4) / 2, width - height * (1 - math.pi / 4)
            rows = (strokes.feature == Feature.INFILL) & (strokes.layer > 0)
            asked = density * (side - 2 * wall) ** 2 * (len(strokes.layers) - 1) / line
            off = float(strokes.length_mm[rows].sum()) / asked - 1
            finding = found(solid, "infill_off", **keys)
            if abs(off) > 0.04:
                assert finding is not None, (side, pattern, off)
                assert finding.value is not None
                self.assertAlmostEqual(finding.value, off, delta=0.012, msg=f"{side}, {pattern}")
                self.assertEqual(finding.field, "infill.join" if join else "infill.density")
                told += 1
            elif abs(off) < 0.025:
                self.assertIsNone(finding, (side, pattern, off))
        self.assertGreaterEqual(told, 2)


class SpiralOutside(unittest.TestCase):
    def test_it_gives_the_hollows_surface_and_the_wall(self) -> None:
        outer = manifold3d.Manifold.cylinder(25, 17, 17, 128)
        cup = solid_of(outer - manifold3d.Manifold.cylinder(30, 14.5, 14.5, 128).translate((0, 0, 3)))
        finding = found(cup, "spiral_outside", spiral=True, bottom_layers=4)
        assert finding is not None
        assert finding.value is not None
        self.assertAlmostEqual(finding.value / (2 * math.pi * 14.5 * 22), 1, delta=0.005)
        self.assertIn("20.0 cm² between 3.0 and 25.0 mm", finding.sentence)
        self.assertIn("0.44 mm thick (one wall). The floor has 4 layers.", finding.sentence)
        self.assertIsNone(found(cup, "spiral_outside"))
        self.assertIsNone(found(solid_of(outer), "spiral_outside", spiral=True))


class Void(unittest.TestCase):
    def test_its_button_closes_what_fixed_lines_leave(self) -> None:
        sheet = box(50, 1.85, 16)
        finding = found(sheet, "void", thin_walls="fixed", walls=2)
        assert finding is not None
        (way,) = finding.remedies
        (setting,) = way.settings
        self.assertIsNone(found(sheet, "void", **{setting.key: setting.value}, walls=2))
