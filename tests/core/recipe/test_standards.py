"""Defaults that hold up: by house rules and purpose, over all shipped nozzles, plastics and machines."""

from __future__ import annotations

import itertools
import unittest
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from meanbead.core.advise.context import AdviceContext
from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.formulas.bead import bead_area_mm2
from meanbead.core.formulas.strength import filled_density, open_span_mm, shell_mm
from meanbead.core.model import Material, Nozzle, Printer, Recipe, Standards
from meanbead.core.model.house import HouseRules
from meanbead.core.model.plan import Plan
from meanbead.core.model.purpose import PURPOSES
from meanbead.core.part.facts import part_facts
from meanbead.core.recipe.preview import preview
from meanbead.core.recipe.reasons import HOUSE_KEYS, decided_by, why
from meanbead.core.recipe.resolve import resolve
from meanbead.core.recipe.settings_sheet import settings_sheet
from meanbead.core.rules import findings
from meanbead.core.rules.shell import SAG_ROOT_MM
from meanbead.core.shelf import Answers, typical_plastics, typical_printer
from meanbead.core.shelf.wizard import HOTENDS
from meanbead.demo.workshop import MACHINES, MATERIALS, NOZZLES
from tests.support.solids import box

ENGINE = Engine()
BLOCK = box(30, 24, 12)
FACTS = part_facts(BLOCK)
SHIPPED_NOZZLES = [Nozzle.model_validate(keys) for keys in NOZZLES.values()]
BORES = [Nozzle(bore_mm=bore) for bore in (0.2, 0.3, 0.5, 1.0, 1.2)]
SHIPPED_MACHINES = [
    *(Printer.model_validate(keys) for keys in MACHINES.values()),
    *(
        typical_printer(Answers.model_validate({"hotend": kind, "frame": frame, "enclosed": enclosed}))
        for kind, frame, enclosed in itertools.product(HOTENDS, ("light_bed", "coupled_gantry"), (False, True))
    ),
]
SHIPPED_PLASTICS = [*(Material.model_validate(keys) for keys in MATERIALS.values()), *typical_plastics()]


def nozzle_for(plastic: Material) -> Nozzle:
    """What a sensible person fits: hard for abrasive plastic, wide enough for its filling."""
    bore = max(0.4, plastic.min_bore_mm)
    return Nozzle(bore_mm=bore, metal="hardened_steel" if plastic.abrasive else "brass")


def plan_by(
    house: dict[str, str] | None = None, purpose: str | None = None, nozzle: Nozzle | None = None, **keys: Any
) -> Plan:
    limits = {} if purpose is None else {"limits": PURPOSES[purpose]}
    standards = Standards(house=HouseRules.model_validate(house or {}), **limits)
    return resolve(Recipe.model_validate(keys), Printer(), nozzle or Nozzle(), Material(), standards)


class NothingSilly(unittest.TestCase):
    def test_no_default_of_any_nozzle_breaks_a_shipped_purpose(self) -> None:
        for nozzle, (name, limits) in itertools.product([*SHIPPED_NOZZLES, *BORES], PURPOSES.items()):
            for printer in SHIPPED_MACHINES[:2]:
                with self.subTest(bore=nozzle.bore_mm, purpose=name):
                    standards = Standards(limits=limits)
                    job = PrintJob(BLOCK, Recipe(), printer, nozzle, Material(), standards)
                    context = AdviceContext(FACTS, ENGINE.insight(BLOCK).facts, limits)
                    estimate = ENGINE.estimate(job, 6)
                    told = {item.rule for item in findings(context.rule_input(job, estimate))}
                    self.assertFalse(
                        told & {"shell_limit", "density_limit", "outer_speed", "flow_margin", "melt_cap"}, told
                    )

    def test_no_plastic_gets_a_risk_for_a_default_column_on_a_machine_that_can_melt_it(self) -> None:
        refused = 0
        for plastic, printer in itertools.product(SHIPPED_PLASTICS, SHIPPED_MACHINES):
            job = PrintJob(BLOCK, Recipe(), printer, nozzle_for(plastic), plastic)
            context = AdviceContext(FACTS, ENGINE.insight(BLOCK).facts)
            with self.subTest(plastic=plastic.name, lining=printer.hotend.lining, hottest=printer.highest_nozzle_c):
                if printer.highest_nozzle_c < plastic.nozzle_temp_min_c:
                    refused += 1
                    told = findings(context.rule_input(job))
                    self.assertIn("stop", [item.severity for item in told])
                    continue
                told = findings(context.rule_input(job, ENGINE.estimate(job, 6)))
                self.assertEqual([item.rule for item in told if item.severity in ("stop", "risk")], [])
        self.assertGreater(refused, 3)

    def test_walls_are_two_lines_or_what_reaches_the_shell_and_not_one_more(self) -> None:
        for nozzle in [*SHIPPED_NOZZLES, *BORES]:
            shape = resolve(Recipe(), Printer(), nozzle, Material()).shape
            self.assertGreaterEqual(shape.walls, 2)
            plan = resolve(Recipe(walls=shape.walls), Printer(), nozzle, Material())
            self.assertGreaterEqual(shell_mm(plan), 0.8)
            if shape.walls > 2:
                fewer = resolve(Recipe(walls=shape.walls - 1), Printer(), nozzle, Material())
                self.assertLess(shell_mm(fewer), 0.8)

    @given(st.sampled_from([0.25, 0.4, 0.6, 0.8]), st.floats(0.05, 0.6), st.floats(0.3, 0.8))
    def test_tops_are_thick_enough_by_millimetres_and_by_layers(
        self, bore: float, density: float, bores: float
    ) -> None:
        height = round(bore * bores, 2)
        plan = plan_by(nozzle=Nozzle(bore_mm=bore), layer_height_mm=height, infill={"density": density})
        layers = plan.shape.top_layers - (1 if density <= 0.10 else 0)
        self.assertGreaterEqual(layers * height, 0.79)
        self.assertGreaterEqual(layers, 3 if height >= 0.32 - 1e-9 else 4)

    def test_tops_that_sag_in_practice_are_named_and_those_that_do_not_are_silent(self) -> None:
        def named(layers: int, density: float) -> bool:
            job = PrintJob(BLOCK, Recipe.model_validate({"top_layers": layers, "infill": {"density": density}}))
            context = AdviceContext(FACTS, ENGINE.insight(BLOCK).facts)
            return "thin_top" in {item.rule for item in findings(context.rule_input(job, ENGINE.estimate(job, 6)))}

        for density in (0.10, 0.12, 0.15):
            self.assertTrue(named(2, density) and named(3, density), density)
            self.assertFalse(named(5, density), density)
        self.assertFalse(named(4, 0.15))

    def test_default_tops_close_over_the_default_filling_of_every_nozzle(self) -> None:
        for nozzle in [*SHIPPED_NOZZLES, *BORES]:
            for density in (None, 0.08, 0.10, 0.2):
                plan = plan_by(nozzle=nozzle, infill={} if density is None else {"density": density})
                thick = (plan.shape.top_layers + 0.5) * plan.shape.layer_height_mm
                self.assertGreaterEqual(thick, SAG_ROOT_MM * open_span_mm(plan) ** 0.5 - 1e-9)

    def test_default_speeds_melt_and_never_sink_below_what_melts(self) -> None:
        for printer, nozzle in itertools.product(SHIPPED_MACHINES, [*SHIPPED_NOZZLES, *BORES]):
            shown = preview(Recipe(), printer, nozzle, Material())
            for bead in shown.beads:
                self.assertLessEqual(bead.flow_mm3_s, shown.melt_ceiling_mm3_s + 1e-9)
                usual = {"outer_wall": 40, "inner_wall": 60, "infill": 80, "solid": 60, "top": 40}[bead.feature]
                spare = bead_area_mm2(bead.width_mm, bead.height_mm) / 0.92 * (bead.speed_mm_s + 1.01)
                self.assertTrue(
                    bead.speed_mm_s >= min(usual, 250) or spare > shown.melt_ceiling_mm3_s or bead.feature == "top"
                )


class HouseRulesAct(unittest.TestCase):
    def test_each_school_sets_what_is_left_open(self) -> None:
        usual = plan_by()
        self.assertEqual(plan_by({"line_width": "as_bore"}).shape.width_mm.outer_wall, 0.4)
        self.assertEqual(plan_by({"line_width": "quarter_wider"}).shape.width_mm.infill, 0.5)
        inside = plan_by({"line_width": "wide_inside"}).shape.width_mm
        self.assertEqual((inside.outer_wall, inside.inner_wall, inside.infill, inside.top), (0.4, 0.6, 0.6, 0.4))
        narrow = plan_by({"line_width": "narrow"})
        self.assertLessEqual(narrow.shape.layer_height_mm, narrow.shape.width_mm.outer_wall / 2)
        self.assertLessEqual(narrow.speed_mm_s.outer_wall, 25)
        self.assertEqual(plan_by({"temperature": "ten_a_size"}, nozzle=Nozzle(bore_mm=0.6)).nozzle_temp_c, 220)
        self.assertEqual(plan_by({"temperature": "leave"}, nozzle=Nozzle(bore_mm=0.6)).nozzle_temp_c, 210)
        self.assertEqual(plan_by({"strength": "denser"}).shape.infill_density, 0.2)
        doubled = plan_by({"strength": "doubled_lines"})
        self.assertEqual((doubled.shape.infill_lines_side_by_side, doubled.shape.infill_density), (2, 0.08))
        self.assertEqual(plan_by({"strength": "adaptive"}).shape.infill_pattern, "adaptive")
        pace = plan_by({"pace": "one_pace"}).speed_mm_s
        self.assertEqual({pace.outer_wall, pace.inner_wall, pace.infill, pace.solid}, {50.0})
        self.assertEqual(plan_by({"smooth_top": "ironing"}).shape.ironing.kind, "topmost")
        self.assertEqual(
            (usual.shape.skins.order, plan_by({"smooth_top": "one_way"}).shape.skins.order), ("sweep", "one_way")
        )
        self.assertEqual(plan_by({"seam": "scattered"}).shape.seam, "scattered")
        self.assertEqual(plan_by({"retraction": "every_hop"}).min_travel_mm, 0.0)

    def test_the_start_follows_plastic_bed_and_school(self) -> None:
        def kind(school: str, warp: bool = False, enclosed: bool = False, surface: str = "flat") -> str:
            printer = Printer.model_validate({"enclosed": enclosed, "bed_surface": surface})
            house = Standards(house=HouseRules.model_validate({"adhesion": school}))
            return resolve(Recipe(), printer, Nozzle(), Material(warp_prone=warp), house).shape.adhesion

        self.assertEqual(kind("by_risk"), "skirt")
        self.assertEqual(kind("by_risk", warp=True), "brim")
        self.assertEqual(kind("by_risk", warp=True, enclosed=True), "skirt")
        self.assertEqual(kind("brim_for_warp", warp=True, enclosed=True), "brim")
        self.assertEqual((kind("raft"), kind("raft", surface="damaged")), ("skirt", "raft"))

    def test_what_is_chosen_goes_before_every_school(self) -> None:
        keys = {"seam": "corner", "infill": {"density": 0.3, "pattern": "lines"}, "walls": 5, "nozzle_temp_c": 205}
        house = {"seam": "scattered", "strength": "adaptive", "temperature": "ten_a_size"}
        plan = plan_by(house, "Workhorse", Nozzle(bore_mm=0.6), **keys)
        self.assertEqual((plan.shape.seam, plan.shape.infill_pattern, plan.shape.walls), ("corner", "lines", 5))
        self.assertEqual((plan.shape.infill_density, plan.nozzle_temp_c), (0.3, 205))

    def test_a_plan_as_a_recipe_gives_the_plan_again_under_any_house(self) -> None:
        for topic, field in HouseRules.model_fields.items():
            for school in field.annotation.__args__:  # type: ignore[union-attr]
                for purpose in (None, "Workhorse", "Show piece"):
                    plan = plan_by({topic: school}, purpose)
                    self.assertEqual(
                        resolve(plan.as_recipe(), Printer(), Nozzle(), Material()), plan, f"{topic} {school}"
                    )

    def test_purposes_ask_for_shell_filling_and_pace(self) -> None:
        work = plan_by(purpose="Workhorse")
        self.assertGreaterEqual(shell_mm(work), 1.6)
        self.assertGreaterEqual(filled_density(work), 0.25)
        doubled = plan_by({"strength": "doubled_lines"}, "Workhorse")
        self.assertGreaterEqual(filled_density(doubled), 0.25)

    def test_a_column_says_who_decided(self) -> None:
        standards = Standards(house=HouseRules(seam="scattered"), limits=PURPOSES["Workhorse"])
        around = (Printer(), Material(bridge_speed_mm_s=20), standards)
        recipe = Recipe(walls=3)
        says = {
            key: decided_by(key, recipe, *around) for key in ("seam", "walls", "infill.density", "speed_mm_s.bridge")
        }
        self.assertEqual(
            says, {"seam": "house", "walls": "choice", "infill.density": "purpose", "speed_mm_s.bridge": "plastic"}
        )
        self.assertIn("By house rule", why("seam", recipe, *around))
        shown = preview(recipe, around[0], Nozzle(), around[1], standards)
        self.assertEqual(shown.decided_by["seam"], "house")
        self.assertNotIn("walls", shown.decided_by)
        rows = {row.key: row for row in settings_sheet(recipe, around[0], Nozzle(), around[1], standards)}
        self.assertEqual((rows["seam"].by, rows["walls"].by, rows["seam"].shown), ("house", "choice", "scattered"))
        self.assertTrue(all(row.why for row in rows.values()))

    def test_every_key_of_a_school_is_one_that_a_school_changes(self) -> None:
        fields = {topic: field.annotation.__args__ for topic, field in HouseRules.model_fields.items()}  # type: ignore[union-attr]
        for key, topic in HOUSE_KEYS.items():
            values = set()
            for school in fields[topic]:
                nozzle = Nozzle(bore_mm=0.4 if topic == "pace" else 0.6)
                printer, material = Printer(bed_surface="uneven"), Material(warp_prone=True)
                standards = Standards(house=HouseRules.model_validate({topic: school}))
                rows = settings_sheet(Recipe(), printer, nozzle, material, standards)
                values.add(next((row.shown for row in rows if row.key == key), ""))
            self.assertGreater(len(values), 1, key)


class FromPlastic(unittest.TestCase):
    def test_it_decides_heat_fan_tops_and_bridges(self) -> None:
        sticky = Material(
            first_layer_nozzle_temp_c=220,
            first_layer_bed_temp_c=65,
            fan_max=0.5,
            bridge_fan=0.9,
            fan_off_layers=3,
            top_speed_mm_s=22,
            bridge_speed_mm_s=15,
            bridge_flow_ratio=0.88,
        )
        plan = resolve(Recipe(), Printer(), Nozzle(), sticky)
        self.assertEqual((plan.first_layer_nozzle_temp_c, plan.first_layer_bed_temp_c), (220, 65))
        self.assertEqual((plan.fan, plan.bridge_fan, plan.fan_off_layers), (0.5, 0.9, 3))
        self.assertEqual((plan.speed_mm_s.top, plan.speed_mm_s.bridge, plan.shape.bridge_flow_ratio), (22, 15, 0.88))
        own = resolve(Recipe(nozzle_temp_c=205, bed_temp_c=50), Printer(), Nozzle(), sticky)
        self.assertEqual((own.first_layer_nozzle_temp_c, own.first_layer_bed_temp_c), (205, 50))

    def test_hot_end_and_lining_bound_its_usual_temperature(self) -> None:
        lined = Printer.model_validate({"hotend": {"lining": "ptfe", "max_temp_c": 260}})
        hot = Material(nozzle_temp_min_c=230, nozzle_temp_c=250, nozzle_temp_max_c=265)
        self.assertEqual(resolve(Recipe(), lined, Nozzle(), hot).nozzle_temp_c, 240)
        # What cannot be melted below the limit keeps its own figure, and is stopped by a rule.
        hotter = Material(nozzle_temp_min_c=255, nozzle_temp_c=270, nozzle_temp_max_c=290)
        self.assertEqual(resolve(Recipe(), lined, Nozzle(), hotter).nozzle_temp_c, 270)

    def test_supports_stand_from_what_this_bead_prints_clean_on_this_machine(self) -> None:
        steep, flat = (resolve(Recipe(), Printer(overhang_limit_deg=deg), Nozzle(), Material()) for deg in (60, 40))
        self.assertGreater(steep.shape.supports.angle_deg, flat.shape.supports.angle_deg + 15)

    def test_impossible_descriptions_are_refused(self) -> None:
        for wrong in ({"fan_min": 0.8, "fan_max": 0.4}, {"first_layer_nozzle_temp_c": 260}):
            with self.assertRaises(ValueError):
                Material.model_validate(wrong)
        with self.assertRaises(ValueError):
            Nozzle(channels=3)
        with self.assertRaises(MeanBeadError):
            resolve(
                Recipe.model_validate({"infill": {"pattern": "honeycomb_3d", "lines_side_by_side": 2}}),
                Printer(),
                Nozzle(),
                Material(),
            )
