"""Figures and remedies of rules against closed forms: what is left between walls, which layers keep a step, which heat is needed."""

from __future__ import annotations

import math
import unittest
from typing import Any

from meanbead.core.formulas.bead import bead_spacing_mm
from meanbead.core.formulas.melt import temperature_for_flow_c
from meanbead.core.model import Limits, Material, Nozzle, Printer
from meanbead.core.model.finding import Finding
from meanbead.core.model.house import HouseRules
from tests.core.rules.test_rule_edges import ESTIMATE, said
from tests.support.insights import insight

SPACING = bead_spacing_mm(0.44, 0.2)
"""Of the plain recipe: lines of 0.44 mm, layers of 0.2 mm, two walls."""


def settings(finding: Finding) -> dict[str, dict[str, Any]]:
    """What each remedy sets, by its label."""
    return {one.label: {key.key: key.value for key in one.settings} for one in finding.remedies}


class Slivers(unittest.TestCase):
    def at(self, *thickness_mm: float, **areas: float) -> Finding | None:
        walls = dict.fromkeys(thickness_mm, 2000.0) | {float(key[1:]) / 100: area for key, area in areas.items()}
        return said(insight=insight(walls=walls)).get("sliver")

    def test_it_speaks_between_one_spacing_and_two_and_a_half(self) -> None:
        laid = 4 * SPACING
        for rest, speaks in ((0.95, False), (1.05, True), (2.55, True), (2.65, False), (-0.5, False)):
            self.assertEqual(self.at(laid + rest * SPACING) is not None, speaks, rest)

    def test_what_is_left_is_the_wall_less_two_lines_from_each_side(self) -> None:
        found = self.at(2.4)
        assert found is not None
        self.assertAlmostEqual(found.value or 0, 2.4 - 4 * SPACING, places=9)
        self.assertAlmostEqual(found.limit or 0, SPACING, places=9)
        self.assertEqual(settings(found), {"3 walls": {"walls": 3}})

    def test_it_tells_of_the_band_with_most_surface_and_clears_all(self) -> None:
        few, many = 4 * SPACING + 1.5 * SPACING, 4 * SPACING + 2.3 * SPACING
        found = said(insight=insight(walls={few: 900.0, many: 3000.0}))["sliver"]
        self.assertAlmostEqual(found.value or 0, 2.3 * SPACING, places=9)
        (walls,) = (one["walls"] for one in settings(found).values())
        for thickness in (few, many):
            rest = thickness - 2 * walls * SPACING
            self.assertFalse(SPACING < rest < 2.6 * SPACING, thickness)


class Steps(unittest.TestCase):
    """A slope of 22.5 degrees shows steps of the layer times its cosine."""

    def at(self, height_mm: float, limit_mm: float, **more: Any) -> Finding | None:
        around = {"insight": insight(slopes={22.5: 300}), "limits": Limits(ridge_mm=limit_mm)} | more
        return said({"layer_height_mm": height_mm}, **around).get("ridge")

    def test_the_step_and_the_highest_layer_that_keeps_it(self) -> None:
        found = self.at(0.28, 0.15)
        assert found is not None
        cosine = math.cos(math.radians(22.5))
        self.assertAlmostEqual(found.value or 0, 0.28 * cosine, places=6)
        lower = next(one["layer_height_mm"] for one in settings(found).values() if "layer_height_mm" in one)
        self.assertLessEqual(lower * cosine, 0.15 + 1e-9)
        self.assertGreater((lower + 0.011) * cosine, 0.15)

    def test_heights_by_slope_are_offered_between_the_least_and_what_is_there(self) -> None:
        found = self.at(0.28, 0.15)
        assert found is not None
        (by_slope,) = (one for one in settings(found).values() if "variable_height.kind" in one)
        self.assertEqual(by_slope["variable_height.max_mm"], 0.28)
        self.assertEqual(by_slope["variable_height.ridge_mm"], 0.15)
        self.assertAlmostEqual(by_slope["variable_height.min_mm"], 0.1)

    def test_where_this_bore_cannot_a_smaller_one_that_can_is_offered(self) -> None:
        nozzles = {4: Nozzle(bore_mm=0.25), 2: Nozzle(bore_mm=0.6)}
        found = self.at(0.28, 0.07, nozzles=nozzles)
        assert found is not None
        self.assertEqual([one.get("nozzle") for one in settings(found).values()], [4])
        none = self.at(0.28, 0.03, nozzles=nozzles)
        assert none is not None
        self.assertEqual(none.remedies, [])

    def test_gloss_is_told_where_it_moves_the_limit(self) -> None:
        for gloss, word in (("satin", None), ("shiny", "shiny plastic"), ("matte", "matte plastic")):
            found = said(
                {"layer_height_mm": 0.28},
                material=Material.model_validate({"gloss": gloss}),
                insight=insight(slopes={22.5: 300}),
                limits=Limits(ridge_mm=0.15),
            )["ridge"]
            self.assertEqual("plastic" in found.sentence, word is not None, gloss)
            self.assertIn(word or "", found.sentence)


class Heat(unittest.TestCase):
    def test_what_is_said_to_be_enough_carries_the_flow_and_is_never_below_the_usual(self) -> None:
        found = said({"nozzle_temp_c": 229})["hotter_than_needed"]
        flow = ESTIMATE.asked_flow_mm3_s
        needed = temperature_for_flow_c(Printer(), Nozzle(), Material(), flow * 1.001, 229)
        assert needed is not None
        self.assertEqual(found.limit, math.ceil(max(Material().nozzle_temp_c, needed)))
        self.assertEqual(settings(found), {f"{found.limit:g} °C": {"nozzle_temp_c": found.limit}})

    def test_who_leaves_heat_alone_or_raises_it_by_size_is_not_told(self) -> None:
        self.assertNotIn("hotter_than_needed", said({"nozzle_temp_c": 229}, house=HouseRules(temperature="leave")))
        by_size = HouseRules(temperature="ten_a_size")
        large = said({"nozzle_temp_c": 229}, nozzle=Nozzle(bore_mm=0.8), house=by_size)
        self.assertNotIn("hotter_than_needed", large)

    def test_steel_is_told_from_four_degrees_on_and_brass_never(self) -> None:
        self.assertNotIn("cold_metal", said())
        steel = said(nozzle=Nozzle(metal="stainless_steel"))["cold_metal"]
        self.assertGreaterEqual((steel.limit or 0) - Material().nozzle_temp_c, 4)
        self.assertEqual(settings(steel), {f"{steel.limit:g} °C": {"nozzle_temp_c": steel.limit}})
        hot = {"nozzle_temp_c": steel.limit}
        self.assertNotIn("cold_metal", said(hot, nozzle=Nozzle(metal="stainless_steel")))
        self.assertIn(
            "cold_metal", said({"nozzle_temp_c": (steel.limit or 0) - 1}, nozzle=Nozzle(metal="stainless_steel"))
        )


class Shells(unittest.TestCase):
    def test_walls_that_reach_the_shell_that_is_wanted(self) -> None:
        for wanted in (0.9, 1.3, 1.7, 2.4):
            found = said(limits=Limits(shell_mm=wanted))["shell_limit"]
            (walls,) = (one["walls"] for one in settings(found).values())
            reached = 0.44 + (walls - 1) * SPACING
            self.assertGreaterEqual(reached, wanted - 1e-6)
            self.assertLess(reached - SPACING, wanted)

    def test_another_nozzles_shell_is_matched_to_the_nearest_wall(self) -> None:
        found = said(shell_before_mm=1.7)["shell_changed"]
        (walls,) = (one["walls"] for one in settings(found).values())
        self.assertEqual(walls, round((1.7 - 0.44) / SPACING + 1))


class Beginnings(unittest.TestCase):
    def test_nothing_primes_without_a_loop_of_skirt_and_anything_else_does(self) -> None:
        for adhesion, speaks in (
            ({"kind": "none"}, True),
            ({"kind": "skirt", "loops": 0}, True),
            ({"kind": "skirt", "loops": 1}, False),
            ({"kind": "brim"}, False),
            ({"kind": "raft"}, False),
        ):
            self.assertEqual("no_prime" in said({"adhesion": adhesion}), speaks, adhesion)

    def test_a_part_that_needs_a_brim_is_offered_no_skirt(self) -> None:
        tippy = said({"adhesion": {"kind": "none"}}, insight=insight(tip_angle_deg=4.0))["no_prime"]
        self.assertEqual(tippy.remedies, [])
