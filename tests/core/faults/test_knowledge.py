"""The knowledge of faults: held to its schema, whole, and drawn."""

from __future__ import annotations

import ast
import re
import unittest
from importlib.resources import files
from pathlib import Path

from pydantic import ValidationError

from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob, prepare
from meanbead.core.faults import Cause, changed_settings, evidence, knowledge
from meanbead.core.faults.evidence import LIMITS
from meanbead.core.faults.knowledge import JOURNAL_KINDS, read
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from meanbead.core.part.facts import part_facts
from meanbead.core.recipe.choices import choices, value_at, with_value
from meanbead.core.recipe.resolve import resolve
from meanbead.core.rules import RuleInput, findings
from tests.support.solids import box

PLASTIC, PRINTER = Material(), Printer()
ROOT = Path(__file__).resolve().parents[3]
SEEN = [
    "open_cracks",
    "gaps",
    "sagging_top",
    "pattern_through",
    "torn_top",
    "ripple",
    "curled_tips",
    "strings",
    "blobs",
    "blobs_under",
    "steps",
    "lost_detail",
    "fuzzy_text",
    "seam",
    "lifted_corners",
    "spread_foot",
    "weak_layers",
    "wet_bubbles",
    "support_scars",
    "shifted_layers",
    "stopped_feeding",
    "loose_from_bed",
]


def rules_of_the_engine() -> set[str]:
    """Every name that a rule gives its findings, read from the source: a new rule cannot be forgotten here."""
    found: set[str] = set()
    for path in (ROOT / "meanbead/core/rules").glob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.keyword) and node.arg == "rule" and isinstance(node.value, ast.Constant):
                found.add(str(node.value.value))
            if isinstance(node, ast.Dict):
                for key, value in zip(node.keys, node.values, strict=True):
                    if isinstance(key, ast.Constant) and key.value == "rule" and isinstance(value, ast.Constant):
                        found.add(str(value.value))
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "_shell":
                found.add(str(ast.literal_eval(node.args[3])))
    return found


class Knowledge(unittest.TestCase):
    def setUp(self) -> None:
        self.known = knowledge()
        self.text = files("meanbead.core.faults").joinpath("faults.toml").read_text("utf-8")

    def test_all_that_people_see_is_there_and_drawn(self) -> None:
        self.assertLessEqual(set(SEEN), set(self.known.faults))
        drawn = (ROOT / "ui/src/features/run/faultDrawings.ts").read_text()
        self.assertEqual(set(re.findall(r"^  (\w+): \{ soft", drawn, re.M)), set(self.known.faults))

    def test_every_rule_of_the_engine_is_used_and_none_is_invented(self) -> None:
        engine = rules_of_the_engine()
        self.assertGreater(len(engine), 55)
        used = {rule for cause in self.known.causes.values() for rule in cause.rules}
        self.assertEqual(engine - used - set(self.known.no_fault), set())
        self.assertEqual((used | set(self.known.no_fault)) - engine, set())
        self.assertFalse(used & set(self.known.no_fault))

    def test_settings_limits_and_entries_are_such_as_there_are(self) -> None:
        keys = {choice.key for choice in choices()} | {"acceleration_mm_s2.outer_wall", "acceleration_mm_s2.travel"}
        resolved = resolve(Recipe(), Printer(), Nozzle(), Material()).as_recipe()
        for cause in self.known.causes.values():
            with self.subTest(cause=cause.key):
                self.assertTrue(cause.looks_at in ("", "flow") or value_at(resolved, cause.looks_at) is not None)
                self.assertTrue(not cause.limit or cause.limit in LIMITS)
                self.assertTrue(all(change.key in keys for change in cause.change))
                for change in cause.change:
                    if change.set is not None:
                        with_value(Recipe(), change.key, change.set)
                self.assertTrue(
                    cause.kind in ("machine", "plastic") or cause.change or cause.rules, "nothing speaks for it"
                )
        used = {cause.limit for cause in self.known.causes.values()} - {""}
        self.assertEqual(used, set(LIMITS))
        spoken = {cause.journal for cause in self.known.causes.values() if cause.journal}
        self.assertLessEqual(spoken, set(JOURNAL_KINDS))

    def test_what_can_hurt_somebody_has_its_caution(self) -> None:
        self.assertIn("fumes", self.known.causes["heat_creep"].caution)
        self.assertIn("burn", self.known.causes["worn_nozzle"].caution)
        self.assertIn("ventilate", self.known.causes["draught"].caution)
        self.assertIn("eye", self.known.faults["support_scars"].caution)
        self.assertIn("Power off", self.known.causes["loose_part"].caution)
        self.assertIn("not ratings", self.known.faults["weak_layers"].caution)

    def test_what_does_not_hold_together_is_refused(self) -> None:
        for old, new in (
            ("wet_plastic = 0.9,", "gremlins = 0.9,"),
            ('side = "high"\nrules = ["hotter_than_needed"]', 'rules = ["hotter_than_needed"]'),
            ("add = -10 }", "add = -10, times = 2 }"),
            ("draught = 0.3,", "draught = 1.3,"),
            ('[{ for = "blobs_under"', '[{ for = "spread_foot"'),
            ('kind = "plastic"', 'kind = "weather"'),
        ):
            self.assertIn(old, self.text)
            with self.assertRaises(ValidationError):
                read(self.text.replace(old, new, 1))


class EvidenceOfARun(unittest.TestCase):
    engine = Engine()

    def seen(self, recipe: Recipe, cause: str, material: Material = PLASTIC, printer: Printer = PRINTER) -> str:
        solid = box(30, 30, 8)
        prepared = prepare(PrintJob(solid, recipe, printer, Nozzle(), material))
        rule_input = RuleInput(
            prepared, part_facts(solid), self.engine.estimate(prepared), self.engine.insight(solid).facts
        )
        return evidence(knowledge().causes[cause], rule_input, findings(rule_input)).standing

    def test_values_stand_where_they_stand(self) -> None:
        material = Material()
        usual = material.nozzle_temp_c
        self.assertEqual(self.seen(Recipe(nozzle_temp_c=usual + 15), "too_hot"), "beyond")
        self.assertEqual(self.seen(Recipe(nozzle_temp_c=usual), "too_hot"), "within")
        self.assertEqual(self.seen(Recipe(nozzle_temp_c=usual), "too_cold"), "within")
        self.assertEqual(self.seen(Recipe(nozzle_temp_c=190), "too_cold"), "beyond")
        pulled = Printer(pull_length_mm=2.0)
        short, long = (Recipe.model_validate({"retraction": {"length_mm": mm}}) for mm in (0.5, 4.0))
        self.assertEqual(self.seen(short, "pull_short", printer=pulled), "beyond")
        self.assertEqual(self.seen(long, "pull_short", printer=pulled), "within")

    def test_each_value_changes_its_standing_where_its_limit_is_and_on_its_side_only(self) -> None:
        """Every cause that holds a setting against a limit: well over it on the suspect side is beyond, well over it on the
        other side is within, just inside is near, but for what is usual."""
        solid, tried = box(20, 20, 4), 0
        printer = Printer(pull_length_mm=2.0)
        material = Material(fan_min=0.3, fan_max=0.7, bridge_speed_mm_s=40, top_speed_mm_s=50)
        for cause in knowledge().causes.values():
            if not cause.limit or cause.looks_at == "flow" or cause.limit == "shortest_layer_s":
                continue

            def standing(value: float, cause: Cause = cause) -> str | None:
                try:
                    recipe = with_value(Recipe(), cause.looks_at, value)
                    prepared = prepare(PrintJob(solid, recipe, printer, Nozzle(), material))
                except (ValidationError, MeanBeadError):
                    return None  # no recipe can hold it
                return evidence(cause, RuleInput(prepared, part_facts(solid)), []).standing

            usual = RuleInput(prepare(PrintJob(solid, Recipe(), printer, Nozzle(), material)), part_facts(solid))
            limit = LIMITS[cause.limit][1](usual)
            assert limit is not None
            way = 1 if cause.side == "high" else -1
            expected = {
                "beyond": limit * (1 + 0.15 * way),
                "near": limit * (1 - 0.04 * way),
                "within": limit * (1 - 0.3 * way),
            }
            with self.subTest(cause=cause.key):
                for wanted, value in expected.items():
                    found = standing(round(value, 4))
                    wanted = "within" if wanted == "near" and cause.limit.startswith("usual_") else wanted
                    self.assertIn(found, (wanted, None))
                    tried += found is not None
        self.assertGreater(tried, 40)

    def test_a_rule_that_found_something_speaks_for_its_cause(self) -> None:
        self.assertEqual(self.seen(Recipe(top_layers=1), "top_thin"), "beyond")
        self.assertEqual(self.seen(Recipe(top_layers=8), "top_thin"), "within")
        self.assertEqual(self.seen(Recipe(), "loose_part"), "unknown")
        self.assertEqual(self.seen(Recipe(), "draught"), "unknown")  # that no rule fears one is no sign against it

    def test_changes_stay_within_plastic_lining_and_recipe(self) -> None:
        known = knowledge().causes
        printer = Printer.model_validate({"hotend": {"lining": "ptfe", "max_temp_c": 260}})
        hot = Material(nozzle_temp_min_c=200, nozzle_temp_max_c=250, nozzle_temp_c=235)

        def change(cause: str, recipe: Recipe, material: Material = PLASTIC) -> dict[str, object]:
            resolved = resolve(recipe, printer, Nozzle(), material).as_recipe()
            return {
                setting.key: setting.value for setting in changed_settings(known[cause], resolved, printer, material)
            }

        self.assertEqual(change("too_cold", Recipe(nozzle_temp_c=235), hot), {"nozzle_temp_c": 240})
        self.assertEqual(change("too_cold", Recipe(nozzle_temp_c=240), hot), {})
        self.assertEqual(change("too_hot", Recipe(nozzle_temp_c=195)), {"nozzle_temp_c": 190})
        # Beyond the window already: going back into it would try the opposite.
        self.assertEqual(change("too_cold", Recipe(nozzle_temp_c=245), hot), {})
        self.assertEqual(change("too_hot", Recipe(nozzle_temp_c=180)), {})
        self.assertEqual(change("few_walls", Recipe(walls=2)), {"walls": 3})
        fans = {"cooling": {"fan": 1.0}}
        self.assertEqual(change("fan_weak", Recipe.model_validate(fans)), {})
        for cause in known.values():
            resolved = resolve(Recipe(), printer, Nozzle(), Material()).as_recipe()
            for setting in changed_settings(cause, resolved, printer, Material()):
                with_value(Recipe(), setting.key, setting.value)  # each is one that a recipe takes


if __name__ == "__main__":
    unittest.main()
