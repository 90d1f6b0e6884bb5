"""Whatever a recipe holds: its sheet, its copy for another nozzle and its pieces of text mean the same recipe."""

import csv
import io
import struct
import unittest
from dataclasses import replace
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from meanbead.api.binary import FLOW_UNIT_MM3_S, SPEED_UNIT_MM_S, mesh_bytes, strokes_bytes
from meanbead.core.compare.waterfall import changes_between, mixed
from meanbead.core.errors import RecipeError
from meanbead.core.estimate import Engine
from meanbead.core.estimate.detail import StrokeDetail
from meanbead.core.estimate.job import PrintJob
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from meanbead.core.recipe.adapt import adapted, short_line
from meanbead.core.recipe.choices import choices, value_at, with_value
from meanbead.core.recipe.resolve import resolve
from meanbead.core.recipe.settings_sheet import as_csv, settings_sheet
from tests.running.effort import cases
from tests.support.any_recipe import recipes
from tests.support.solids import box

RECIPES = recipes(without=("nozzle_diameter_mm",))
"""The nozzle is a row of its own on a sheet."""

BORES = st.sampled_from([0.25, 0.4, 0.6, 0.8, 1.0])
SOLID = box(10, 10, 5)


def possible(recipe: Recipe, printer: Printer, nozzle: Nozzle) -> bool:
    """Whether a recipe contradicts itself on a nozzle."""
    try:
        resolve(recipe, printer, nozzle, Material())
    except RecipeError:
        return False
    return True


class Sheets(unittest.TestCase):
    @given(RECIPES)
    def test_what_is_chosen_is_marked_and_everything_has_a_word(self, keys: dict[str, Any]) -> None:
        recipe = Recipe.model_validate(keys)
        if not possible(recipe, Printer(), Nozzle()):
            return
        rows = settings_sheet(recipe, Printer(), Nozzle(), Material())
        known = {choice.key: choice for choice in choices()}
        self.assertEqual(len({row.key for row in rows}), len(rows))
        for row in rows:
            self.assertNotIn(row.shown, ("", "None"), row.key)
            if row.key in known:
                self.assertEqual((row.label, row.unit), (known[row.key].label, known[row.key].unit))
                self.assertEqual(row.chosen, value_at(recipe, row.key) not in (None, ()), row.key)

    @given(RECIPES)
    def test_the_exported_recipe_means_the_same_plan(self, keys: dict[str, Any]) -> None:
        recipe = Recipe.model_validate(keys)
        if not possible(recipe, Printer(), Nozzle()):
            return
        plan = resolve(recipe, Printer(), Nozzle(), Material())
        exported = Recipe.model_validate_json(plan.as_recipe().model_dump_json(exclude_none=True))
        self.assertEqual(resolve(exported, Printer(), Nozzle(), Material()), plan)

    @given(RECIPES)
    def test_numbers_in_the_file_are_those_of_the_plan(self, keys: dict[str, Any]) -> None:
        recipe = Recipe.model_validate(keys)
        if not possible(recipe, Printer(), Nozzle()):
            return
        plan = resolve(recipe, Printer(), Nozzle(), Material()).as_recipe()
        lines = csv.DictReader(io.StringIO(as_csv(settings_sheet(recipe, Printer(), Nozzle(), Material()))))
        for line in lines:
            value = value_at(plan, line["key"])
            if isinstance(value, float) and line["key"] != "nozzle_diameter_mm":
                shown = float(line["value"]) / (100 if line["unit"] == "%" else 1)
                self.assertAlmostEqual(shown, value, delta=1e-5 * max(1.0, abs(value)), msg=line["key"])


class Values(unittest.TestCase):
    @given(RECIPES, st.sampled_from([choice for choice in choices() if choice.kind in ("whole", "percent", "yesno")]))
    def test_setting_and_leaving_open_touches_nothing_else(self, keys: dict[str, Any], choice: Any) -> None:
        recipe = Recipe.model_validate(keys)
        value = True if choice.kind == "yesno" else 1
        changed = with_value(recipe, choice.key, value)
        self.assertEqual(value_at(changed, choice.key), value)
        for other in choices():
            if other.key != choice.key and other.kind not in ("machine", "nozzle", "material"):
                self.assertEqual(value_at(changed, other.key), value_at(recipe, other.key), other.key)
        open_again = with_value(changed, choice.key, None)
        self.assertIsNone(value_at(open_again, choice.key))
        self.assertEqual(with_value(open_again, choice.key, value), changed)

    @given(RECIPES, RECIPES, BORES)
    def test_all_differences_together_are_the_other_recipe(
        self, one_keys: dict[str, Any], other_keys: dict[str, Any], bore: float
    ) -> None:
        one = PrintJob(SOLID, Recipe.model_validate(one_keys))
        other = PrintJob(SOLID, Recipe.model_validate(other_keys), nozzle=Nozzle(bore_mm=bore))
        changes = changes_between(one, other)
        self.assertEqual(mixed(one, other, changes), other)
        self.assertEqual(mixed(one, other, []), one)
        keys = [key for change in changes for key in change.keys]
        self.assertEqual(len(keys), len(set(keys)))


class OtherNozzles(unittest.TestCase):
    @given(RECIPES, BORES, BORES, st.sampled_from([None, 0.02, 0.04, 0.05]))
    def test_what_could_be_printed_can_be_printed_with_the_other_nozzle(
        self, keys: dict[str, Any], old: float, new: float, step: float | None
    ) -> None:
        recipe, printer = Recipe.model_validate(keys), Printer(z_step_mm=step)
        if not possible(recipe, printer, Nozzle(bore_mm=old)):
            return
        after = adapted(recipe, printer, Nozzle(bore_mm=old), Nozzle(bore_mm=new), Material())
        for choice in ("infill.density", "infill.pattern", "seam", "supports.kind", "copies.count", "travel"):
            self.assertEqual(value_at(after, choice), value_at(recipe, choice))
        height = after.layer_height_mm or 0.0
        if step is not None:
            self.assertAlmostEqual(height / step, round(height / step), places=5)
        self.assertGreater(height, 0)

    @given(st.sampled_from([0.4, 0.6, 0.8]), st.integers(1, 5))
    def test_there_and_back_is_where_it_was(self, new: float, walls: int) -> None:
        printer, material = Printer(z_step_mm=0.02), Material()
        there = adapted(Recipe(walls=walls, layer_height_mm=0.2), printer, Nozzle(), Nozzle(bore_mm=new), material)
        back = adapted(there, printer, Nozzle(bore_mm=new), Nozzle(), material)
        self.assertAlmostEqual(back.layer_height_mm or 0, 0.2, delta=0.021)
        # Whole lines of the thicker nozzle round the shell once.
        self.assertLessEqual(abs((back.walls or 0) - walls), 1)

    @given(BORES, st.floats(0.05, 0.25), st.floats(0.26, 1.4))
    def test_lines_of_text_are_read_however_they_are_split(self, bore: float, height: float, width: float) -> None:
        height, width = round(height, 2), round(width, 2)
        if height > bore:
            return
        for between in (" / ", "/", " x ", " , ", "; ", " mm, "):
            said = short_line(f"{bore}{between}{height}{between}{width}")
            self.assertEqual((said.bore_mm, said.layer_height_mm, said.line_width_mm), (bore, height, width))


class Binary(unittest.TestCase):
    """Strokes as the page reads them: rounded to their units, cut off at their ends, padded to four bytes."""

    detail: StrokeDetail

    @classmethod
    def setUpClass(cls) -> None:
        cls.detail = Engine().detail(PrintJob(box(12, 9, 1), Recipe()))

    def read(self, data: bytes) -> dict[str, np.ndarray]:
        """An independent reader, by the table in docs/formats.md."""
        self.assertEqual(data[:4], b"MBS2")
        count = struct.unpack_from("<I", data, 4)[0]
        at, found = 16, {}
        for name, kind, each in (
            ("ends", "<f4", 2), ("seconds", "<f4", 1), ("width", "<u2", 1), ("height", "<u2", 1), ("speed", "<u2", 1),
            ("flow", "<u2", 1), ("layer", "<u4", 1), ("feature", "u1", 1), ("cause", "u1", 1), ("flags", "u1", 1),
            ("resting", "u1", 1),
        ):  # fmt: skip
            found[name] = np.frombuffer(data, kind, each * count, at)
            size = found[name].nbytes
            at += size + (-size) % 4
        self.assertEqual(at, len(data))
        return found

    @settings(max_examples=cases(10, 400))
    @given(st.integers(0, 300), st.integers(0, 300))
    def test_any_piece_is_read_back(self, one: int, other: int) -> None:
        rows = slice(min(one, other), min(len(self.detail.strokes), max(one, other)))
        count = max(0, rows.stop - rows.start)
        found = self.read(strokes_bytes(self.detail, rows, np.linspace(0, 1, count)))
        strokes = self.detail.strokes
        np.testing.assert_allclose(found["ends"].reshape(-1, 2), strokes.end_xy[rows], atol=1e-5)
        np.testing.assert_allclose(found["width"] / 1000, strokes.width_mm[rows], atol=0.00051)
        np.testing.assert_allclose(found["speed"] * SPEED_UNIT_MM_S, self.detail.speed_mm_s[rows], atol=0.026)
        np.testing.assert_allclose(found["flow"] * FLOW_UNIT_MM3_S, self.detail.flow_mm3_s[rows], atol=0.0026)
        np.testing.assert_array_equal(found["feature"], strokes.feature[rows])
        np.testing.assert_array_equal(found["flags"] == 1, self.detail.pulled[rows])
        np.testing.assert_allclose(found["resting"] / 255, np.linspace(0, 1, count), atol=0.002)

    def test_what_is_beyond_the_scale_is_cut_off_not_wrapped(self) -> None:
        fast = replace(self.detail, speed_mm_s=np.full(len(self.detail.strokes), 1e6))
        found = self.read(strokes_bytes(fast, slice(0, 5), None))
        self.assertEqual(set(found["speed"]), {65535})
        self.assertEqual(set(found["resting"]), {255})

    def test_layers_over_sixteen_bits_are_not_wrapped(self) -> None:
        high = replace(self.detail, strokes=replace(self.detail.strokes, layer=self.detail.strokes.layer + 70_000))
        found = self.read(strokes_bytes(high, slice(0, 5), None))
        np.testing.assert_array_equal(found["layer"], self.detail.strokes.layer[:5] + 70_000)

    def test_a_mesh_is_read_back(self) -> None:
        data = mesh_bytes(SOLID)
        corners, triangles = struct.unpack_from("<II", data, 4)
        points = np.frombuffer(data, "<f4", 3 * corners, 12).reshape(-1, 3)
        faces = np.frombuffer(data, "<u4", 3 * triangles, 12 + 12 * corners).reshape(-1, 3)
        np.testing.assert_allclose(points, SOLID.vertices, atol=1e-5)
        np.testing.assert_array_equal(faces, SOLID.faces)


if __name__ == "__main__":
    unittest.main()
