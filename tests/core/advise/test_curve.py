"""Curves of numbers: each point the engine's own, bends against brute force, marks where they belong."""

from __future__ import annotations

import unittest
from dataclasses import replace
from functools import lru_cache

from hypothesis import given
from hypothesis import strategies as st

from meanbead.core.advise.context import AdviceContext
from meanbead.core.advise.curve import SHARE, Curve, CurvePoint, bend_of, curve
from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob, prepare
from meanbead.core.formulas.bead import bead_area_mm2
from meanbead.core.model import Printer, Recipe
from meanbead.core.part.facts import part_facts
from meanbead.core.recipe.choices import choices, with_value
from tests.core.advise.test_next_moves import vase

ENGINE = Engine()


@lru_cache(maxsize=1)
def of_vase() -> tuple[PrintJob, AdviceContext]:
    solid = vase()
    printer = Printer.model_validate({"z_screw": {"lead_mm": 8, "steps_per_turn": 200}})
    return PrintJob(solid, Recipe(), printer), AdviceContext(part_facts(solid), ENGINE.insight(solid).facts)


@lru_cache(maxsize=8)
def last(key: str) -> Curve:
    return list(curve(ENGINE, *of_vase(), key))[-1]


class Points(unittest.TestCase):
    def test_each_point_is_what_the_value_takes_when_it_is_typed(self) -> None:
        job, _ = of_vase()
        for key in ("layer_height_mm", "walls", "infill.density", "speed_mm_s.outer_wall"):
            drawn = last(key)
            self.assertEqual(len(drawn.points), drawn.of)
            values = [point.value for point in drawn.points]
            self.assertEqual(values, sorted(set(values)))
            self.assertIn(drawn.now, values)
            for point in drawn.points[::2]:
                asked = int(point.value) if key == "walls" else point.value
                full = ENGINE.estimate(replace(job, recipe=with_value(job.recipe, key, asked)))
                assert point.piece_time_s is not None
                assert point.filament_g is not None
                with self.subTest(key, value=point.value):
                    share = abs(point.piece_time_s - full.print_time_s) / full.print_time_s
                    self.assertLess(share, 0.05)
                    self.assertAlmostEqual(point.filament_g, full.filament_g, delta=0.05 * full.filament_g)

    def test_every_number_of_a_recipe_has_a_curve_or_says_why_not(self) -> None:
        job, context = of_vase()
        drawn = 0
        for choice in choices():
            if choice.kind not in ("number", "whole", "percent"):
                continue
            try:
                first = next(iter(curve(ENGINE, job, context, choice.key)))
            except MeanBeadError as problem:
                self.assertIn("no value", str(problem), choice.key)
                continue
            drawn += 1
            self.assertEqual([point.value for point in first.points], [first.now], choice.key)
        self.assertGreater(drawn, 30)

    def test_heights_are_full_steps_within_the_bore(self) -> None:
        values = [point.value for point in last("layer_height_mm").points]
        own = {mark.value for mark in last("layer_height_mm").marks}
        for value in values:
            self.assertTrue(value in own or abs(value / 0.04 - round(value / 0.04)) < 1e-6, value)
        self.assertGreaterEqual(min(values), 0.1)
        self.assertLessEqual(max(values), 0.32)

    def test_a_pick_has_no_curve(self) -> None:
        for key in ("infill.pattern", "machine", "no.such"):
            with self.subTest(key), self.assertRaises(MeanBeadError) as caught:
                next(iter(curve(ENGINE, *of_vase(), key)))
            self.assertEqual(caught.exception.field, "key")


class Marks(unittest.TestCase):
    def test_the_speed_that_melts_is_flow_over_section(self) -> None:
        job, _ = of_vase()
        prepared = prepare(job)
        width = prepared.plan.shape.width_mm.infill
        area = bead_area_mm2(width, prepared.plan.shape.layer_height_mm)
        melts = next(mark for mark in last("speed_mm_s.infill").marks if mark.label == "all that melts")
        self.assertAlmostEqual(melts.value, prepared.ceiling.plan_mm3_s / area, delta=0.06)


class Bends(unittest.TestCase):
    @given(
        st.lists(st.tuples(st.integers(0, 60), st.floats(60, 9000)), min_size=2, max_size=12, unique_by=lambda x: x[0]),
        st.data(),
    )
    def test_against_a_walk_from_here_to_the_quickest(
        self, drawn: list[tuple[int, float]], data: st.DataObject
    ) -> None:
        points = [CurvePoint(value=value, piece_time_s=seconds) for value, seconds in sorted(drawn)]
        now = data.draw(st.sampled_from(points)).value
        here = next(point.piece_time_s for point in points if point.value == now) or 0.0
        found = bend_of(points, now)
        least = min(point.piece_time_s or 0.0 for point in points)
        if found is None:
            self.assertLessEqual(here - least, max(1.0, 0.003 * here) + 1e-9)
            return
        self.assertLessEqual(abs(found.saves_s - (here - least)), 0.001 * here + 1e-9)
        between = [p for p in points if min(now, found.best) <= p.value <= max(now, found.best)]
        for point in between:
            saved = here - (point.piece_time_s or 0.0)
            if abs(point.value - now) < abs(found.value - now):
                self.assertLess(saved, SHARE * found.saves_s)
        self.assertGreaterEqual(found.has_s, SHARE * found.saves_s - 1e-9)

    def test_what_the_sample_may_be_off_by_is_no_saving(self) -> None:
        points = [
            CurvePoint(value=1, piece_time_s=1000),
            CurvePoint(value=2, piece_time_s=990, bound_s=12),
            CurvePoint(value=3, problem="too wide"),
        ]
        self.assertIsNone(bend_of(points, 1))

    def test_layer_heights_bend_where_most_is_had(self) -> None:
        found = last("layer_height_mm").bend
        assert found is not None
        self.assertGreater(found.best, found.now)
        self.assertLessEqual(found.value, found.best)


if __name__ == "__main__":
    unittest.main()
