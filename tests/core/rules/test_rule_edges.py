"""Rules at the edge of their limits: silent up to the figure, speaking beyond it, and telling that figure."""

from __future__ import annotations

import unittest
from collections.abc import Callable
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from meanbead.core.advise.context import AdviceContext
from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.formulas.surface import clean_overhang_deg
from meanbead.core.model import Limits, Material, Nozzle, Printer, Recipe
from meanbead.core.model.finding import Finding
from meanbead.core.model.insight import PartInsight
from meanbead.core.model.shop import Shop
from meanbead.core.part.facts import part_facts
from meanbead.core.rules import findings
from tests.running.effort import cases
from tests.support.insights import insight
from tests.support.solids import box

ENGINE = Engine()
BLOCK = box(30, 30, 20)
FACTS = part_facts(BLOCK)
ESTIMATE = ENGINE.sampled(PrintJob(BLOCK, Recipe()), 6).estimate


def said(
    keys: dict[str, Any] | None = None, nozzle: Nozzle | None = None, material: Material | None = None, **around: Any
) -> dict[str, Finding]:
    """Findings on the plain estimate, with other choices or surroundings: what needs no new strokes."""
    job = PrintJob(BLOCK, Recipe.model_validate(keys or {}), around.pop("printer", Printer()), nozzle or Nozzle())
    if material is not None:
        job = PrintJob(BLOCK, job.recipe, job.printer, job.nozzle, material)
    context = AdviceContext(FACTS, around.pop("insight", insight()), **around)
    return {finding.rule: finding for finding in findings(context.rule_input(job, estimate=ESTIMATE))}


# rule, its limit, and what is said at a value
EDGES: tuple[tuple[str, float, bool, Callable[[float], dict[str, Finding]]], ...] = (
    ("layer_pressed_less", 0.3, True, lambda v: said({"layer_height_mm": v})),
    ("layer_height_high", 0.32, True, lambda v: said({"layer_height_mm": v})),
    ("layer_height_low", 0.1, False, lambda v: said({"layer_height_mm": v})),
    ("wide_line", 0.6, True, lambda v: said({"line_width_mm": {"infill": v, "solid": 0.44}})),
    ("fast_first_layer", 40, True, lambda v: said({"speed_mm_s": {"first_layer": v}})),
    ("fast_top", 70, True, lambda v: said({"speed_mm_s": {"top": v}})),
    ("fast_bridge", 35, True, lambda v: said({"speed_mm_s": {"bridge": v}}, insight=insight(bridge_mm2=99.0))),
    ("ripples", 800, True, lambda v: said({"acceleration_mm_s2": {"outer_wall": v}})),
    ("hot_end_limit", 280, True, lambda v: said({"nozzle_temp_c": v}, material=Material(nozzle_temp_max_c=400))),
    ("material_window", 190, False, lambda v: said({"nozzle_temp_c": v})),
    ("shell_limit", 0.837, True, lambda v: said(limits=Limits(shell_mm=v))),
    ("outer_speed", 40, False, lambda v: said(limits=Limits(outer_speed_mm_s=v))),
    ("density_limit", 0.15, True, lambda v: said(limits=Limits(infill_density=v))),
    ("long_bridge", 30, True, lambda v: said(insight=insight(longest_bridge_mm=v))),
    ("needs_brim", 8, False, lambda v: said(insight=insight(tip_angle_deg=v))),
    ("spool", ESTIMATE.filament_g, False, lambda v: said(shop=Shop(spool_left_g=v))),
    ("long_print", ESTIMATE.whole_time_s / 3600, False, lambda v: said(shop=Shop(long_print_h=v))),
    ("small_bore", 0.4, True, lambda v: said(material=Material(min_bore_mm=v))),
    ("fan", 1.0, True, lambda v: said({"cooling": {"fan": 1.0}}, material=Material(fan_max=min(1.0, 2 - v)))),
)


class Edges(unittest.TestCase):
    def test_silent_up_to_the_limit_and_speaking_beyond_it(self) -> None:
        for rule, limit, above, at in EDGES:
            with self.subTest(rule=rule):
                inside, outside = (limit * 0.999, limit * 1.02) if above else (limit * 1.001, limit * 0.98)
                self.assertNotIn(rule, at(inside))
                self.assertIn(rule, at(outside))

    def test_the_figures_stand_in_the_finding(self) -> None:
        high = said({"layer_height_mm": 0.33})["layer_height_high"]
        self.assertEqual((high.value, high.field), (0.33, "layer_height_mm"))
        self.assertAlmostEqual(high.limit or 0, 0.32)
        self.assertIn("0.33", high.sentence)
        shell = said(limits=Limits(shell_mm=1.3))["shell_limit"]
        self.assertAlmostEqual(shell.value or 0, 0.44 + 0.44 - 0.2 * (1 - 0.7853981633974483), places=9)
        self.assertEqual(shell.limit, 1.3)


class Overhangs(unittest.TestCase):
    @settings(max_examples=cases(20, 800))
    @given(st.integers(2, 15).map(lambda k: 5 * k + 2.5), st.floats(0.1, 0.28))
    def test_speak_just_where_the_bead_no_longer_carries(self, angle: float, height: float) -> None:
        keys = {"layer_height_mm": round(height, 2)}
        leaning: PartInsight = insight(overhang={angle: 500.0})
        job = PrintJob(BLOCK, Recipe.model_validate(keys))
        clean = clean_overhang_deg(AdviceContext(FACTS, leaning).rule_input(job).plan, Printer())
        found = said(keys, insight=leaning)
        if abs(angle - clean) > 1:
            self.assertEqual("overhang" in found, angle > clean)
        held = said(keys | {"supports": {"kind": "columns", "angle_deg": max(5, int(clean) - 1)}}, insight=leaning)
        self.assertNotIn("overhang", held)

    def test_lower_layers_are_offered_only_where_they_help(self) -> None:
        thick = {"layer_height_mm": 0.32}
        near, far = (said(thick, insight=insight(overhang={angle: 500.0}))["overhang"] for angle in (50.5, 77.5))
        self.assertTrue(any(way.settings[0].key == "layer_height_mm" for way in near.remedies))
        self.assertFalse(any(way.settings[0].key == "layer_height_mm" for way in far.remedies))

    def test_another_way_to_stand_is_named_where_one_needs_no_support(self) -> None:
        leaning = insight(overhang={67.5: 900.0})
        self.assertIn("Get ready", said(insight=leaning, lying_overhang_mm2=10.0)["overhang"].remedy)
        self.assertNotIn("Get ready", said(insight=leaning, lying_overhang_mm2=800.0)["overhang"].remedy)


class Slivers(unittest.TestCase):
    @given(st.floats(0.8, 6.0), st.integers(1, 6))
    def test_the_remedy_leaves_none_and_takes_no_wall_too_many(self, thickness: float, walls: int) -> None:
        found = said({"walls": walls}, insight=insight(walls={thickness: 4000.0}))
        if "sliver" not in found:
            return
        requested = int(found["sliver"].remedies[0].settings[0].value or 0)
        self.assertGreater(requested, walls)
        after = said({"walls": requested}, insight=insight(walls={thickness: 4000.0}))
        self.assertNotIn("sliver", after)
        before = said({"walls": requested - 1}, insight=insight(walls={thickness: 4000.0}))
        self.assertIn("sliver", before)
