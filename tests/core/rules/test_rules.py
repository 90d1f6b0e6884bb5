"""Each rule speaks where it should, once, and each remedy, applied, silences it."""

from __future__ import annotations

import unittest
from collections import Counter
from dataclasses import replace
from functools import lru_cache
from typing import Any
from unittest import mock

from hypothesis import given, settings
from hypothesis import strategies as st

from meanbead.core.advise.confirm import remedies_tried
from meanbead.core.advise.context import AdviceContext, with_settings
from meanbead.core.advise.trial import try_out
from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.model import Limits, Material, Nozzle, Printer, Recipe
from meanbead.core.model.finding import Finding
from meanbead.core.model.house import HouseRules
from meanbead.core.model.insight import Spot
from meanbead.core.model.shop import Shop
from meanbead.core.part import slices
from meanbead.core.part.facts import part_facts
from meanbead.core.part.solid import Solid
from meanbead.core.rules import RULES, findings
from meanbead.core.rules.conventions import convention_label, topics
from tests.core.test_any_recipe import SOLIDS
from tests.running.effort import cases
from tests.support.any_recipe import numbers, recipes, some
from tests.support.estimating import estimate_with_findings
from tests.support.insights import insight
from tests.support.solids import block, box, cone, cylinder, ledge, solid_of, table

ENGINE = Engine()
BLOCK = box(30, 30, 20)
ON_HAND = {1: Nozzle(), 2: Nozzle(bore_mm=0.6), 3: Nozzle(bore_mm=0.8, metal="hardened_steel"), 4: Nozzle(bore_mm=0.25)}
HARD_PLA = Material(name="Filled", abrasive=True, min_bore_mm=0.6)
PLAIN = insight()
STEPS = Printer(z_step_mm=0.04)
CASES: tuple[tuple[str, dict[str, Any]], ...] = (
    ("layer_height_high", {"recipe": {"layer_height_mm": 0.34}}),
    ("layer_pressed_less", {"recipe": {"layer_height_mm": 0.31}}),
    ("layer_height_low", {"recipe": {"layer_height_mm": 0.08}}),
    ("full_steps", {"recipe": {"layer_height_mm": 0.19}, "printer": STEPS}),
    ("full_steps", {"recipe": {"variable_height": {"kind": "by_slope", "full_steps": False}}, "printer": STEPS}),
    ("wide_line", {"recipe": {"line_width_mm": {"outer_wall": 0.7, "top": 0.65}}}),
    ("narrow_line", {"recipe": {"line_width_mm": {"outer_wall": 0.35}, "layer_height_mm": 0.2}}),
    ("narrow_line_fast", {"recipe": {"line_width_mm": {"outer_wall": 0.36}, "layer_height_mm": 0.16}}),
    ("first_layer_height", {"recipe": {"first_layer_height_mm": 0.06}}),
    ("first_layer_height", {"recipe": {"first_layer_height_mm": 0.38}}),
    (
        "ptfe_lining",
        {"recipe": {"nozzle_temp_c": 255}, "printer": Printer.model_validate({"hotend": {"lining": "ptfe"}})},
    ),
    ("hot_end_limit", {"recipe": {"nozzle_temp_c": 290}}),
    ("material_window", {"recipe": {"nozzle_temp_c": 180}}),
    ("melt_cap", {"recipe": {"speed_mm_s": {"infill": 200, "solid": 200}}}),
    ("flow_margin", {"recipe": {"speed_mm_s": {"infill": 100}}, "limits": Limits(flow_margin=0.3)}),
    ("hotter_than_needed", {"recipe": {"nozzle_temp_c": 229}}),
    ("cold_metal", {"nozzle": Nozzle(metal="stainless_steel")}),
    ("sliver", {"insight": insight(walls={2.4: 4000.0})}),
    ("shell_limit", {"limits": Limits(shell_mm=1.6)}),
    ("shell_changed", {"shell_before_mm": 1.7}),
    ("density_limit", {"limits": Limits(infill_density=0.3)}),
    ("thin_top", {"recipe": {"infill": {"density": 0.05}}}),
    ("thin_floor", {"recipe": {"bottom_layers": 1}}),
    (
        "ridge",
        {"recipe": {"layer_height_mm": 0.28}, "insight": insight(slopes={22.5: 300}), "limits": Limits(ridge_mm=0.15)},
    ),
    ("outer_speed", {"recipe": {"speed_mm_s": {"outer_wall": 90}}, "limits": Limits(outer_speed_mm_s=50)}),
    ("ripples", {"recipe": {"acceleration_mm_s2": {"outer_wall": 2000}}}),
    ("fast_top", {"recipe": {"speed_mm_s": {"top": 100}}}),
    ("ironing", {"recipe": {"ironing": {"kind": "all_tops"}}, "solid": box(40, 40, 2)}),
    ("seam", {"recipe": {"seam": "scattered"}}),
    ("seam", {"house": HouseRules(seam="scattered")}),
    ("overhang", {"insight": insight(overhang={62.5: 300})}),
    ("overhang", {"insight": insight(overhang={87.5: 300})}),
    ("long_bridge", {"insight": insight(longest_bridge_mm=45.0)}),
    ("fast_bridge", {"recipe": {"speed_mm_s": {"bridge": 60}}, "insight": insight(bridge_mm2=120.0)}),
    ("rich_bridge", {"recipe": {"bridge_flow_ratio": 1.1}, "insight": insight(bridge_mm2=120.0)}),
    (
        "support_interface",
        {"recipe": {"supports": {"kind": "columns", "interface_layers": 4}}, "solid": table(12, 10, 4, 6, 1.5)},
    ),
    ("needless_supports", {"recipe": {"supports": {"kind": "columns"}}, "solid": table(12, 10, 4, 6, 1.5)}),
    ("needs_brim", {"insight": insight(tip_angle_deg=5.0)}),
    (
        "needs_brim",
        {
            "insight": insight(sharp_corners=4),
            "recipe": {"adhesion": {"kind": "skirt"}},
            "material": Material(warp_prone=True),
        },
    ),
    ("needless_brim", {"recipe": {"adhesion": {"kind": "brim"}}}),
    ("needless_raft", {"recipe": {"adhesion": {"kind": "raft"}}}),
    ("no_prime", {"recipe": {"adhesion": {"kind": "none"}}}),
    ("fast_first_layer", {"recipe": {"speed_mm_s": {"first_layer": 60}}}),
    ("cooling_time", {"solid": cylinder(4, 12)}),
    ("short_layers", {"recipe": {"cooling": {"min_layer_time_s": 2}}, "solid": cylinder(4, 12)}),
    ("fan", {"recipe": {"cooling": {"fan": 1}}, "material": Material(fan_max=0.3)}),
    ("abrasive", {"material": HARD_PLA, "nozzle": Nozzle(bore_mm=0.6)}),
    ("small_bore", {"material": HARD_PLA, "nozzle": Nozzle(metal="hardened_steel")}),
    (
        "room_on_machine",
        {"recipe": {"copies": {"count": 16}}, "printer": Printer.model_validate({"bed_mm": {"x": 60, "y": 60}})},
    ),
    ("copies_in_turn", {"recipe": {"copies": {"count": 2, "order": "one_by_one"}}}),
)
ONLY_WORDS: tuple[tuple[str, dict[str, Any]], ...] = (
    ("damp", {"material": Material(damp_prone=True), "shop": Shop(spool_dry=False)}),
    ("face_down", {"insight": insight(flat_top_mm2=900.0), "house": HouseRules(smooth_top="face_down")}),
    ("ventilation", {"material": Material(ventilate=True)}),
    ("no_chamber", {"material": Material(warp_prone=True), "solid": box(20, 20, 60)}),
    ("spool", {"shop": Shop(spool_left_g=1.0)}),
    ("long_print", {"shop": Shop(long_print_h=0.1)}),
    ("trimming", {"recipe": {"adhesion": {"kind": "brim"}}}),
    ("detail_limit", {"limits": Limits(detail_mm=0.2), "insight": insight(smallest_detail_mm=0.2)}),
)


def job_and_context(
    *,
    recipe: dict[str, Any] | None = None,
    solid: Solid = BLOCK,
    nozzle: Nozzle = ON_HAND[1],
    material: Material | None = None,
    printer: Printer | None = None,
    insight: Any = PLAIN,
    **around: Any,
) -> tuple[PrintJob, AdviceContext]:
    job = PrintJob(solid, Recipe.model_validate(recipe or {}), printer or Printer(), nozzle, material or Material())
    return job, AdviceContext(part_facts(solid), insight, nozzles=ON_HAND, **around)


class EachRule(unittest.TestCase):
    def test_speaks_where_it_should_and_its_remedies_silence_it(self) -> None:
        for rule, case in CASES:
            with self.subTest(rule=rule, **{key: str(value)[:60] for key, value in case.items()}):
                job, context = job_and_context(**case)
                found = try_out(ENGINE, job, context, 6).findings
                mine = [item for item in found if item.rule == rule]
                self.assertEqual(len(mine), 1, [item.rule for item in found])
                self.assertTrue(mine[0].remedies)
                self.assertTrue(mine[0].reason)
                self.assertTrue(mine[0].source)
                tried = remedies_tried(ENGINE, job, context).remedies
                cleared = [lever for lever in tried if lever.rule == rule]
                self.assertTrue(any(rule in lever.clears for lever in cleared), [item.label for item in cleared])
                if rule not in DYNAMIC:
                    self.assertTrue(all(rule in lever.clears for lever in cleared))

    def test_what_no_setting_clears_says_what_to_do(self) -> None:
        for rule, case in ONLY_WORDS:
            with self.subTest(rule=rule):
                job, context = job_and_context(**case)
                mine = [finding for finding in try_out(ENGINE, job, context, 6).findings if finding.rule == rule]
                self.assertEqual(len(mine), 1)
                self.assertTrue(mine[0].remedy)

    def test_the_plain_recipe_on_a_block_is_beyond_reproach(self) -> None:
        job, context = job_and_context()
        self.assertEqual(try_out(ENGINE, job, context, 6).findings, [])

    def test_the_first_layers_temperature_is_bound_like_the_others(self) -> None:
        ptfe = Printer.model_validate({"hotend": {"lining": "ptfe", "max_temp_c": 260}})
        hot = Material(nozzle_temp_max_c=260)
        job, context = job_and_context(recipe={"first_layer_nozzle_temp_c": 250}, printer=ptfe, material=hot)
        (mine,) = findings(context.rule_input(job))
        self.assertEqual((mine.rule, mine.severity, mine.field), ("ptfe_lining", "stop", "first_layer_nozzle_temp_c"))
        changed = with_settings(job, mine.remedies[0].settings, {})
        self.assertEqual(findings(context.rule_input(changed)), [])

    def test_only_the_gravest_bound_of_temperature_speaks(self) -> None:
        ptfe = Printer.model_validate({"hotend": {"lining": "ptfe", "max_temp_c": 260}})
        job, context = job_and_context(recipe={"nozzle_temp_c": 300}, printer=ptfe)
        self.assertEqual([finding.rule for finding in findings(context.rule_input(job))], ["ptfe_lining"])


def rules(
    keys: dict[str, Any] | None = None, *, solid: Solid = BLOCK, bore: float = 0.4, **printer: Any
) -> dict[str, Finding]:
    """What is said without insight or purpose, by rule."""
    job = PrintJob(solid, Recipe.model_validate(keys or {}), Printer.model_validate(printer), Nozzle(bore_mm=bore))
    return {finding.rule: finding for finding in estimate_with_findings(ENGINE, job).findings}


class OfTheEngineAlone(unittest.TestCase):
    def test_room_on_the_machine_also_turned(self) -> None:
        small = {"x": 103, "y": 63, "z": 50}
        self.assertNotIn("room_on_machine", rules(solid=box(50, 90, 3), bed_mm=small))
        self.assertIn("room_on_machine", rules(solid=box(70, 90, 3), bed_mm=small))

    def test_a_brim_that_does_not_fit_is_told_apart_from_the_part(self) -> None:
        brim = {"adhesion": {"kind": "brim", "width_mm": 9}}
        found = rules(brim, solid=box(50, 50, 2), bed_mm={"x": 60, "y": 60, "z": 50})
        self.assertEqual(found["room_on_machine"].field, "adhesion.kind")

    def test_gravest_first(self) -> None:
        job = PrintJob(BLOCK, Recipe(nozzle_temp_c=290, layer_height_mm=0.32))
        order = [finding.severity for finding in estimate_with_findings(ENGINE, job, 6).findings]
        self.assertEqual(order, sorted(order, key=["stop", "risk", "caution", "waste", "note"].index))

    def test_lost_detail_is_a_share_and_a_narrower_line_brings_it_back(self) -> None:
        comb = solid_of(sum((block(0.22, 12, 2, (1.2 * k, 0, 0)) for k in range(8)), block(10, 3, 2)))
        wide = rules(solid=comb)["lost_detail"].value or 0
        narrow = rules({"line_width_mm": {"outer_wall": 0.25}}, solid=comb, bore=0.25).get("lost_detail")
        self.assertGreater(wide, 0.05)
        self.assertLess((narrow.value or 0) if narrow else 0, 0.2 * wide)

    def test_what_has_to_come_off_again_carries_the_caution(self) -> None:
        for keys in ({"adhesion": {"kind": "brim"}}, {"adhesion": {"kind": "raft"}}, {"supports": {"kind": "columns"}}):
            self.assertIn("eye protection", rules(keys, solid=ledge(12))["trimming"].remedy)

    def test_layers_that_cannot_be_cut_stand_in_from_neighbours_and_are_told(self) -> None:
        real = slices._Cutter._cut

        def broken(self: Any, height_mm: float) -> Any:
            return None if 2.0 < height_mm < 2.3 else real(self, height_mm)

        with mock.patch.object(slices._Cutter, "_cut", broken):
            result = estimate_with_findings(ENGINE, PrintJob(cone(14.2, 60), Recipe()))
        found = next(finding for finding in result.findings if finding.rule == "layers_from_neighbours")
        self.assertEqual(found.value, 1)
        self.assertIn("Layer 11", found.sentence)
        whole = ENGINE.estimate(PrintJob(cone(14.2001, 60), Recipe()))
        self.assertAlmostEqual(result.print_time_s / whole.print_time_s, 1, delta=0.01)


class Schools(unittest.TestCase):
    def test_the_first_school_is_the_default_and_all_are_in_the_model(self) -> None:
        house = HouseRules()
        self.assertEqual([entry.key for entry in topics()], list(HouseRules.model_fields))
        for topic in topics():
            self.assertEqual(topic.schools[0].value, getattr(house, topic.key))
            for school in topic.schools:
                changed = HouseRules.model_validate({topic.key: school.value})
                self.assertIn(topic.label, convention_label(changed, topic.key))

    def test_schools_decide(self) -> None:
        cases: tuple[tuple[str, dict[str, Any], HouseRules, bool], ...] = (
            (
                "layer_height_high",
                {"recipe": {"layer_height_mm": 0.32}},
                HouseRules(layer_height_ceiling="four_fifths"),
                False,
            ),
            ("layer_height_high", {"recipe": {"layer_height_mm": 0.31}}, HouseRules(), False),
            ("layer_pressed_less", {"recipe": {"layer_height_mm": 0.31}}, HouseRules(), True),
            (
                "layer_height_high",
                {"recipe": {"layer_height_mm": 0.31}},
                HouseRules(layer_height_ceiling="three_quarters"),
                True,
            ),
            ("hotter_than_needed", {"recipe": {"nozzle_temp_c": 229}}, HouseRules(temperature="leave"), False),
            ("needless_raft", {"recipe": {"adhesion": {"kind": "raft"}}}, HouseRules(adhesion="raft"), False),
            (
                "needs_brim",
                {"recipe": {"adhesion": {"kind": "skirt"}}, "material": Material(warp_prone=True)},
                HouseRules(adhesion="brim_for_warp"),
                True,
            ),
        )
        for rule, case, house, speaks in cases:
            with self.subTest(rule=rule):
                job, context = job_and_context(**case, house=house)
                found = [finding.rule for finding in try_out(ENGINE, job, context, 6).findings]
                self.assertEqual(rule in found, speaks)

    def test_off_step_heights_are_a_risk_only_for_the_school_of_full_steps(self) -> None:
        for school, severity in (("any", "note"), ("full_steps", "risk")):
            case = {"recipe": {"layer_height_mm": 0.19}, "printer": STEPS, "house": HouseRules(layer_heights=school)}
            job, context = job_and_context(**case)  # type: ignore[arg-type]
            (mine,) = [finding for finding in findings(context.rule_input(job)) if finding.rule == "full_steps"]
            self.assertEqual(mine.severity, severity)
            self.assertIn("Layer heights", mine.school)


@lru_cache(maxsize=32)
def context_of(which: int) -> AdviceContext:
    solid = SOLIDS[which]
    return AdviceContext(
        part_facts(solid), ENGINE.insight(solid).facts, Limits(ridge_mm=0.15, shell_mm=0.8), nozzles=ON_HAND
    )


DYNAMIC = (
    "ironing",
    "cooling_time",
    "melt_cap",
    "lost_detail",
    "travel_share",
    "room_on_machine",
    "flow_margin",
    "short_hops",
)
"""What the engine has to be asked about: a remedy of these is offered only once it was tried and found to clear."""

PACED = some(
    nozzle_temp_c=numbers(170, 300),
    speed_mm_s=some(**{name: numbers(5, 250) for name in ("outer_wall", "inner_wall", "infill", "top", "bridge")}),
    acceleration_mm_s2=some(outer_wall=numbers(200, 9000)),
)


class AnyRemedy(unittest.TestCase):
    @settings(max_examples=cases(30, 1200), deadline=None)
    @given(recipes(), PACED, st.sampled_from(range(len(SOLIDS))), st.booleans())
    def test_applied_it_clears_its_finding(
        self, keys: dict[str, Any], pace: dict[str, Any], which: int, steps: bool
    ) -> None:
        context = context_of(which)
        printer = Printer(z_step_mm=0.04 if steps else None)
        job = PrintJob(SOLIDS[which], Recipe.model_validate(keys | pace), printer, Nozzle(), Material(fan_min=0.5))
        try:
            found = try_out(ENGINE, job, context, 6).findings
        except MeanBeadError:
            return
        self.assertEqual(max(Counter(item.rule for item in found).values(), default=1), 1, "no finding repeats another")
        for finding in found:
            if finding.rule not in DYNAMIC:
                self.check(job, context, finding)

    def check(self, job: PrintJob, context: AdviceContext, finding: Finding) -> None:
        for way in finding.remedies:
            try:
                changed = with_settings(job, way.settings, context.nozzles)
                after = try_out(ENGINE, changed, context, 6).findings
            except MeanBeadError:
                continue  # it contradicts another choice; such a remedy is not offered
            self.assertNotIn(finding.rule, [item.rule for item in after], way.label)


class Places(unittest.TestCase):
    def test_a_finding_says_where_on_the_part(self) -> None:
        spot = Spot(kind="thin_wall", x=1, y=2, z=3, value=2.4, sentence="2.40 mm thick")
        job, context = job_and_context(insight=insight(walls={2.4: 4000.0}, spots=[spot]))
        (sliver,) = [finding for finding in findings(context.rule_input(job)) if finding.rule == "sliver"]
        self.assertEqual(sliver.where, [spot])

    def test_slivers_are_found_in_new_thin_walled_parts(self) -> None:
        # A square cup with walls of 2.4 mm and a floor: made here, not one of the samples.
        cup = solid_of(block(40, 40, 30) - block(35.2, 35.2, 40, (2.4, 2.4, 2.0)))
        found = ENGINE.insight(cup).facts
        self.assertAlmostEqual(max(found.walls, key=lambda band: band.area_mm2).thickness_mm, 2.4, delta=0.05)
        job = PrintJob(cup, Recipe())
        (sliver,) = [
            finding
            for finding in findings(AdviceContext(part_facts(cup), found).rule_input(job))
            if finding.rule == "sliver"
        ]
        self.assertEqual(sliver.remedies[0].settings[0].value, 3)

    def test_no_rule_needs_what_is_not_there(self) -> None:
        job, context = job_and_context()
        bare = replace(context, insight=None).rule_input(job)
        self.assertEqual([list(rule(bare)) for rule in RULES if list(rule(bare))], [])
