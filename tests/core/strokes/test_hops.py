"""The way between strokes of a filling: its order, joined strokes, and the way from one copy to the next."""

import unittest
from typing import Any

import numpy as np

from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.estimate.moves import CLEAR_MM, moves_of
from meanbead.core.formulas.bead import bead_spacing_mm
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from meanbead.core.part.solid import Solid
from meanbead.core.recipe.resolve import resolve
from meanbead.core.strokes import Feature, Strokes, plan_strokes
from tests.core.strokes.test_order import hops, slow_nearest
from tests.support.keys import exact
from tests.support.solids import box, cylinder, spur_gear

BARE = {"adhesion": {"kind": "none"}, "travel": "straight"}


def planned(solid: Solid, **keys: Any) -> Strokes:
    recipe = Recipe.model_validate(exact(BARE | keys))
    return plan_strokes(solid, resolve(recipe, Printer(), Nozzle(), Material()).shape)


def infill_of(strokes: Strokes, layer: int) -> tuple[np.ndarray, float]:
    """Ends of the infill's strokes on a layer, and the way laid between them without plastic."""
    rows = np.flatnonzero((strokes.layer == layer) & (strokes.feature == Feature.INFILL))
    between = np.arange(rows[0], rows[-1] + 1)
    travel = float(strokes.length_mm[between[strokes.is_travel[between]]].sum())
    return np.hstack([strokes.start_xy[rows], strokes.end_xy[rows]]), travel


class Filling(unittest.TestCase):
    def test_is_laid_as_one_whatever_its_directions(self) -> None:
        """Against the plain order, the nearest end next over all strokes of the region."""
        for pattern in ("grid", "triangles", "cubic", "adaptive", "lines"):
            for solid in (box(40, 30, 4), cylinder(18, 4), spur_gear(height=4)):
                strokes = planned(solid, infill={"pattern": pattern, "density": 0.15}, top_layers=0)
                ends, way = infill_of(strokes, 9)
                plain = hops(ends, *slow_nearest(ends, ends[0, :2]), ends[0, :2])
                self.assertLess(way, 1.05 * plain + 1e-6, pattern)

    def test_takes_a_third_of_what_one_direction_after_the_other_takes(self) -> None:
        strokes = planned(box(40, 30, 20), walls=2)
        _, way = infill_of(strokes, 50)
        self.assertLess(way, 60)  # 149 mm a layer where each direction is a phase of its own

    def test_joined_strokes_pull_less_and_say_what_they_lay(self) -> None:
        solid = box(40, 30, 8)
        apart, joined = (
            Engine(0).estimate(
                PrintJob(
                    solid,
                    Recipe.model_validate(exact(BARE | {"infill": {"join": join}, "skins": {"order": "nearest"}})),
                )
            )
            for join in (False, True)
        )
        self.assertLess(joined.retractions, 0.5 * apart.retractions)
        self.assertLess(joined.travel_mm, 0.7 * apart.travel_mm)
        more = joined.filament_mm3 - apart.filament_mm3
        self.assertTrue(0 < more < 0.08 * apart.filament_mm3)
        # Nobody asked for the links, so they are laid beyond: to the last cubic millimetre.
        self.assertAlmostEqual(joined.overfilled_mm3 - apart.overfilled_mm3, more, delta=0.02 * more)

    def test_links_follow_the_wall(self) -> None:
        strokes = planned(cylinder(20, 2), infill={"join": True}, top_layers=0, bottom_layers=0)
        rows = (strokes.layer == 5) & (strokes.feature == Feature.INFILL)
        inner = 20 - 0.44 / 2 - 1.5 * bead_spacing_mm(0.44, 0.2)
        radius = np.hypot(*strokes.start_xy[rows].T)
        self.assertLess(radius.max(), inner + 0.02)
        middle = np.hypot(*((strokes.start_xy[rows] + strokes.end_xy[rows]) / 2).T)
        on_edge = (radius > inner - 0.05) & (middle > inner - 0.05)
        self.assertGreater(float(strokes.length_mm[rows][on_edge].sum()), 0.3 * 2 * np.pi * inner)

    def test_an_overlap_is_counted_as_laid_twice(self) -> None:
        solid = box(40, 30, 20)
        plain, deep = (
            Engine(0).estimate(PrintJob(solid, Recipe.model_validate(BARE | {"infill": {"overlap_mm": overlap}})))
            for overlap in (0, 0.3)
        )
        more = deep.filament_mm3 - plain.filament_mm3
        self.assertGreater(more, 50)
        self.assertAlmostEqual((deep.overfilled_mm3 - plain.overfilled_mm3) / more, 1, delta=0.25)


class OneByOne(unittest.TestCase):
    def test_the_head_lifts_above_the_finished_piece_before_it_travels(self) -> None:
        for height, count in ((0.2, 2), (0.2, 3), (6.0, 3)):
            keys = {"copies": {"count": count, "order": "one_by_one", "gap_mm": 20}, "layer_height_mm": 0.2}
            plan = resolve(Recipe.model_validate(BARE | keys), Printer(), Nozzle(), Material())
            strokes = plan_strokes(box(20, 20, height), plan.shape)
            moves = moves_of(strokes, plan, Printer())
            z = 0.2 + np.cumsum(moves.delta[:, 2])
            far = np.flatnonzero(np.hypot(moves.delta[:, 0], moves.delta[:, 1]) > 15)
            crossing = [k for k in far.tolist() if strokes.is_travel[moves.stroke[k]]]
            self.assertGreaterEqual(len(crossing), count - 1)
            between = [k for k in crossing if z[k] > height + CLEAR_MM - 1e-6]
            self.assertEqual(len(between), count - 1)
            # And down again before the next piece is begun.
            self.assertAlmostEqual(z[-1], height, places=6)
            self.assertGreater(z.min(), 0.2 - 1e-9)

    def test_a_single_layer_twice_is_an_estimate(self) -> None:
        copies = {"count": 2, "order": "one_by_one"}
        one, two = (
            Engine(0).estimate(PrintJob(box(20, 20, 0.2), Recipe.model_validate(BARE | {"copies": c})))
            for c in ({}, copies)
        )
        self.assertAlmostEqual(two.filament_mm3 / one.filament_mm3, 2, places=9)
        self.assertGreater(two.print_time_s, 2 * one.print_time_s)
