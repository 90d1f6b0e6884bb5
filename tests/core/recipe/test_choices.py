import csv
import io
import re
import unittest
from pathlib import Path
from typing import Any

from hypothesis import given
from hypothesis import strategies as st
from pydantic import BaseModel, ValidationError

from meanbead.core.errors import RecipeError
from meanbead.core.formulas.bead import bead_spacing_mm
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from meanbead.core.recipe import defaults
from meanbead.core.recipe.adapt import adapted, short_line
from meanbead.core.recipe.choices import choices, value_at, with_value
from meanbead.core.recipe.defaults import DEFAULTS
from meanbead.core.recipe.resolve import resolve
from meanbead.core.recipe.settings_sheet import as_csv, harmless, settings_sheet
from tests.support.any_recipe import paths


def leaves(model: type[BaseModel], path: str = "") -> set[str]:
    """Dotted names of everything that a model holds."""
    found: set[str] = set()
    for name, field in model.model_fields.items():
        inner = field.annotation
        if isinstance(inner, type) and issubclass(inner, BaseModel):
            found |= leaves(inner, f"{path}{name}.")
        else:
            found.add(path + name)
    return found


FORMATS = Path(__file__).resolve().parents[3] / "docs" / "formats.md"


class Defaults(unittest.TestCase):
    def test_there_is_one_for_each_choice(self) -> None:
        self.assertEqual(set(DEFAULTS), {choice.key for choice in choices()})

    def test_what_is_the_same_for_everybody_is_what_an_empty_recipe_comes_to(self) -> None:
        plan = resolve(Recipe(), Printer(), Nozzle(), Material()).as_recipe()
        rules = (*BY_RULE, "machine", "nozzle", "material", "spool")
        for key, default in DEFAULTS.items():
            if default.value is not None and not isinstance(default.value, dict) and key not in rules:
                self.assertEqual(value_at(plan, key), default.value, key)

    def test_what_depends_on_a_choice_follows_it(self) -> None:
        def comes_to(key: str, choices: dict[str, Any], printer: Printer = PRINTER) -> Any:
            recipe = Recipe.model_validate(choices)
            return value_at(resolve(recipe, printer, Nozzle(), Material()).as_recipe(), key)

        for drive in ("direct", "long_tube"):
            for default in (defaults.RETRACTION_MM, defaults.RETRACTION_MM_S):
                self.assertEqual(comes_to(default.key, {}, Printer(drive=drive)), default.value[drive])
        for key, path in (
            ("adhesion.width_mm", "adhesion.kind"),
            ("copies.gap_mm", "copies.order"),
        ):
            topic, name = path.split(".")
            for value, expected in DEFAULTS[key].value.items():  # type: ignore[attr-defined]
                self.assertEqual(comes_to(key, {topic: {name: value}}), expected, f"{key} {value}")

    def test_rules_hold_at_other_bores_and_heights(self) -> None:
        for bore in (0.25, 0.4, 0.6, 0.8):
            plan = resolve(Recipe(), Printer(), Nozzle(bore_mm=bore), Material()).as_recipe()
            self.assertAlmostEqual(plan.layer_height_mm or 0, bore / 2, delta=0.006)
            self.assertAlmostEqual(plan.line_width_mm.outer_wall or 0, 1.1 * bore, delta=0.006)
            self.assertAlmostEqual(plan.ironing.spacing_mm or 0, 0.25 * bore, delta=0.006)
            self.assertAlmostEqual(plan.adhesion.raft_layer_mm or 0, 0.6 * bore, delta=0.006)

    def test_the_file_formats_give_the_same(self) -> None:
        """Each key that is followed by a bracket in the table of all keys has its default in it."""
        told = {key: brief for key, brief in keys_of_formats().items() if brief}
        self.assertGreater(len(told), 40)
        self.assertEqual(told, {key: DEFAULTS[key].brief for key in told})

    def test_the_file_formats_name_every_key_and_no_other(self) -> None:
        everything = {path for path in paths() if not any(other.startswith(f"{path}.") for other in paths())}
        self.assertEqual(everything, set(keys_of_formats()))


def keys_of_formats() -> dict[str, str]:
    """Every key in the table of all keys, with what stands in brackets behind it."""
    table = FORMATS.read_text().split("| topic | keys |")[1].split("\n\n")[0].replace("\\|", "/")
    said: dict[str, str] = {}
    for code in re.findall(r"`([^`]+)`(?: \(([^)]*)\))?", table):
        group = re.match(r"(\w+)(?:\.|\[\])\{(.*)\}$", code[0])
        if group is None:
            said[code[0].split(" ")[0]] = code[1]
            continue
        for part in re.findall(r"(\w+)[^,(]*(?:\(([^)]*)\))?", group[2]):
            said[f"{group[1]}.{part[0]}"] = part[1]
    return said


BY_RULE = {
    "layer_height_mm",
    "variable_height.ridge_mm",
    "variable_height.min_mm",
    "variable_height.max_mm",
    "variable_height.max_step_mm",
    "line_width_mm.outer_wall",
    "walls",
    "top_layers",
    "bottom_layers",
    "adhesion.raft_layer_mm",
    "ironing.spacing_mm",
    "ironing.inset_mm",
}
PRINTER = Printer()


class Catalogue(unittest.TestCase):
    def test_it_names_every_key_of_a_recipe_once(self) -> None:
        keys = [choice.key for choice in choices()]
        self.assertEqual(len(keys), len(set(keys)))
        # The nozzle is picked from the shelf.
        self.assertEqual(
            set(keys) - {"machine", "nozzle", "material", "spool"}, leaves(Recipe) - {"nozzle_diameter_mm"}
        )

    def test_each_says_what_it_does_and_what_its_default_is(self) -> None:
        for choice in choices():
            self.assertTrue(choice.label and choice.explain and choice.default, choice.key)

    def test_bounds_are_those_that_are_accepted(self) -> None:
        for choice in choices():
            if choice.kind not in ("number", "whole", "percent"):
                continue
            low, high = choice.low, choice.high
            assert low is not None, choice.key
            assert high is not None, choice.key
            for bad in (low - 1, high + 1):
                with self.assertRaises(ValidationError, msg=choice.key):
                    with_value(Recipe(), choice.key, int(bad) if choice.kind == "whole" else bad)
            self.assertEqual(value_at(with_value(Recipe(), choice.key, high), choice.key), high)

    def test_options_are_those_that_are_accepted(self) -> None:
        for choice in choices():
            for option in choice.options:
                value: Any = option.value == "true" if choice.kind == "yesno" else option.value
                self.assertEqual(value_at(with_value(Recipe(), choice.key, value), choice.key), value)

    def test_a_value_is_set_and_left_open_again(self) -> None:
        recipe = with_value(Recipe.model_validate({"walls": 3}), "infill.density", 0.3)
        self.assertEqual((recipe.walls, recipe.infill.density), (3, 0.3))
        self.assertEqual(with_value(recipe, "infill.density", None), Recipe(walls=3))


class Carrying(unittest.TestCase):
    @given(st.sampled_from([0.25, 0.4, 0.5, 0.6, 0.8, 1.0]), st.sampled_from([0.25, 0.4, 0.6, 0.8]), st.integers(1, 6))
    def test_the_shell_stays_and_the_ratios_too(self, new: float, old: float, walls: int) -> None:
        printer, material = Printer(z_step_mm=0.04), Material()
        before = Recipe(walls=walls)
        after = adapted(before, printer, Nozzle(bore_mm=old), Nozzle(bore_mm=new), material)
        one = resolve(before, printer, Nozzle(bore_mm=old), material).shape
        two = resolve(after, printer, Nozzle(bore_mm=new), material).shape
        self.assertAlmostEqual(two.layer_height_mm / 0.04, round(two.layer_height_mm / 0.04), places=6)
        self.assertAlmostEqual(two.layer_height_mm / new, one.layer_height_mm / old, delta=0.04 / new)
        self.assertAlmostEqual(two.width_mm.outer_wall / new, one.width_mm.outer_wall / old, delta=0.02 / min(new, old))
        # As near as whole lines of the new nozzle come.
        line = bead_spacing_mm(two.width_mm.inner_wall, two.layer_height_mm)
        if two.walls > 1:
            self.assertLessEqual(abs(shell(two) - shell(one)), line / 2 + 0.05)

    def test_what_was_chosen_otherwise_is_kept(self) -> None:
        recipe = Recipe.model_validate(
            {"infill": {"density": 0.3}, "line_width_mm": {"infill": 0.6}, "speed_mm_s": {"infill": 90}}
        )
        after = adapted(recipe, Printer(), Nozzle(), Nozzle(bore_mm=0.8), Material())
        self.assertEqual((after.infill.density, after.speed_mm_s.infill), (0.3, 90))
        self.assertAlmostEqual(after.line_width_mm.infill or 0, 1.2)
        self.assertIsNone(after.line_width_mm.outer_wall)

    def test_short_lines(self) -> None:
        for text in ("0.6 / 0.4 / 0.75", "0,6/0,4/0,75", " 0.6mm  .4  0.75 mm"):
            said = short_line(text)
            self.assertEqual((said.bore_mm, said.layer_height_mm, said.line_width_mm), (0.6, 0.4, 0.75))
        self.assertIsNone(short_line("0.8").layer_height_mm)
        for bad in ("", "thin", "1 2 3 4", "0.4 / 0.6", "7 / 0.2"):
            with self.assertRaises(RecipeError) as caught:
                short_line(bad)
            self.assertEqual(caught.exception.field, "line")


def shell(shape: Any) -> float:
    return float(
        shape.width_mm.outer_wall
        + (shape.walls - 1) * bead_spacing_mm(shape.width_mm.inner_wall, shape.layer_height_mm)
    )


class SettingsSheet(unittest.TestCase):
    def rows(self, **recipe: Any) -> dict[str, Any]:
        sheet = settings_sheet(Recipe.model_validate(recipe), Printer(), Nozzle(), Material())
        return {row.key: row for row in sheet}

    def test_it_tells_choices_from_defaults_and_carries_units(self) -> None:
        rows = self.rows(infill={"density": 0.35}, layer_height_mm=0.2)
        self.assertEqual((rows["infill.density"].shown, rows["infill.density"].unit), ("35", "%"))
        self.assertTrue(rows["infill.density"].chosen)
        self.assertFalse(rows["walls"].chosen)
        self.assertEqual(rows["walls"].shown, "2")
        self.assertEqual(rows["nozzle_diameter_mm"].shown, "0.4")

    def test_what_plays_no_part_is_left_out(self) -> None:
        plain = self.rows()
        self.assertNotIn("supports.spacing_mm", plain)
        self.assertNotIn("ironing.flow", plain)
        self.assertIn("adhesion.loops", plain)
        full = self.rows(supports={"kind": "trees"}, ironing={"kind": "topmost"}, adhesion={"kind": "brim"})
        self.assertIn("supports.spacing_mm", full)
        self.assertIn("ironing.flow", full)
        self.assertNotIn("adhesion.loops", full)
        self.assertEqual(full["supports.kind"].shown, "trees")

    def test_height_ranges_are_words(self) -> None:
        rows = self.rows(height_ranges=[{"from_mm": 0, "to_mm": 5, "infill_density": 0.5, "walls": 4}])
        self.assertEqual(rows["height_ranges"].shown, "0 to 5 mm: infill 50 %, walls 4")

    def test_csv_can_be_read_back(self) -> None:
        sheet = settings_sheet(Recipe(walls=5), Printer(), Nozzle(), Material())
        lines = list(csv.DictReader(io.StringIO(as_csv(sheet))))
        self.assertEqual(len(lines), len(sheet))
        walls = next(line for line in lines if line["key"] == "walls")
        self.assertEqual((walls["value"], walls["unit"], walls["chosen"]), ("5", "lines", "chosen"))


class Csv(unittest.TestCase):
    def test_no_cell_is_a_formula_and_numbers_stay_numbers(self) -> None:
        for cell in ("=1+1", "+cmd|' /C calc'!A0", "-2+3", "@SUM(A1)", "\t=1", "\r=1"):
            self.assertEqual(harmless(cell), f"'{cell}")
        for cell in ("-0.2", "+3", "", "0.2", "plain = text"):
            self.assertEqual(harmless(cell), cell)


if __name__ == "__main__":
    unittest.main()
