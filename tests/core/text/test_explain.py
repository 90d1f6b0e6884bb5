import unittest

from pydantic import BaseModel, ValidationError

from meanbead.core.model import Material, Printer, Recipe
from meanbead.core.text.explain import explain


def said(model: type[BaseModel], keys: dict) -> dict[str, str]:
    try:
        model.model_validate(keys)
    except ValidationError as error:
        return {problem.field: problem.message for problem in explain(error, model)}
    raise AssertionError("it was accepted")


class Sentences(unittest.TestCase):
    def test_bounds_say_the_bound_and_what_was_given(self) -> None:
        self.assertEqual(said(Recipe, {"walls": -1}), {"walls": "Must be at least 0, not -1."})
        self.assertEqual(said(Recipe, {"layer_height_mm": 0}), {"layer_height_mm": "Must be more than 0, not 0."})
        self.assertEqual(said(Recipe, {"infill": {"density": 15}}), {"infill.density": "Must be at most 1, not 15."})

    def test_unknown_keys_get_the_nearest_known_one(self) -> None:
        self.assertIn("Did you mean inner_wall?", said(Recipe, {"speed_mm_s": {"inner": 5}})["speed_mm_s.inner"])
        self.assertIn("Did you mean bed_mm?", said(Printer, {"bed": {}})["bed"])
        self.assertIn("Remove it.", said(Recipe, {"zzz": 1})["zzz"])
        self.assertIn("Remove it.", said(Recipe, {"walls": {"zzz": 1}} | {"qqq": 2})["qqq"])

    def test_a_key_of_before_gets_its_new_name(self) -> None:
        found = said(Recipe, {"infill": {"line_multiplier": 2}})
        self.assertIn("Did you mean lines_side_by_side?", found["infill.line_multiplier"])
        self.assertNotIn("lines_side_by_side", said(Recipe, {"line_multiplier": 2})["line_multiplier"])

    def test_kinds(self) -> None:
        self.assertIn("a number, not 'wide'", said(Recipe, {"flow_ratio": "wide"})["flow_ratio"])
        self.assertIn("whole number", said(Recipe, {"walls": 2.5})["walls"])
        self.assertIn("'grid'", said(Recipe, {"infill": {"pattern": "waves"}})["infill.pattern"])
        self.assertIn("a number", said(Recipe, {"nozzle_temp_c": float("inf")})["nozzle_temp_c"])

    def test_rules_across_fields_keep_their_own_words(self) -> None:
        self.assertIn("must lie within", next(iter(said(Material, {"nozzle_temp_c": 300}).values())))

    def test_kinds_are_told_apart_by_codes(self) -> None:
        cases = {
            "not_a_number": {"flow_ratio": "wide"},
            "not_whole": {"walls": 2.5},
            "too_large": {"flow_ratio": 9},
            "too_small": {"walls": -1},
            "unknown_option": {"seam": "left"},
            "unknown_key": {"zzz": 1},
        }
        for code, keys in cases.items():
            with self.assertRaises(ValidationError) as caught:
                Recipe.model_validate(keys)
            self.assertEqual([problem.code for problem in explain(caught.exception, Recipe)], [code])

    def test_long_input_is_cut(self) -> None:
        self.assertLess(len(said(Recipe, {"walls": "9" * 500 + "x"})["walls"]), 100)

    def test_several_problems_are_all_told(self) -> None:
        self.assertEqual(set(said(Recipe, {"walls": -1, "flow_ratio": 9})), {"walls", "flow_ratio"})
