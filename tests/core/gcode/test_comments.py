"""Settings that a file names in its comments, matched by the user; nothing of any program is known beforehand."""

import io
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from meanbead.core.compare.waterfall import waterfall, with_files
from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.gcode.comments import CommentMatch, named_values, recipe_of
from meanbead.core.model import Recipe
from tests.running.effort import cases
from tests.support.solids import box

TEXT = b"""; made by nobody
; bead height = 0.24
; shell_count: 4
; fill = 35 %
; pattern of fill = waves
; odd = = =
G1 X1 ; bead height in passing
; fill = 40 %
;no value =
"""


class Names(unittest.TestCase):
    def test_names_and_values_the_last_of_each(self) -> None:
        found = named_values(io.BytesIO(TEXT))
        self.assertEqual(
            found, {"bead height": "0.24", "shell_count": "4", "fill": "40 %", "pattern of fill": "waves", "odd": "= ="}
        )

    def test_a_pattern_of_ones_own(self) -> None:
        self.assertEqual(named_values(io.BytesIO(b";!a~1\n"), r"^;!(?P<name>\w+)~(?P<value>\d+)$"), {"a": "1"})
        for bad in ("(", "no groups", "(?P<name>a)"):
            with self.assertRaises(MeanBeadError) as refused:
                named_values(io.BytesIO(TEXT), bad)
            self.assertEqual(refused.exception.field, "comment_pattern")

    def test_both_ends_of_a_long_file_are_read(self) -> None:
        text = b"; first = 1\n" + b"G1 X1 Y1\n" * 400_000 + b"; last = 2\n"
        self.assertEqual(named_values(io.BytesIO(text)), {"first": "1", "last": "2"})

    @settings(max_examples=cases(30, 1200), deadline=None)
    @given(st.binary(max_size=600))
    def test_whatever_it_holds(self, text: bytes) -> None:
        named_values(io.BytesIO(b";" + text))

    def test_matched_to_our_settings(self) -> None:
        matches = [
            CommentMatch(name="bead height", key="layer_height_mm"),
            CommentMatch(name="shell_count", key="walls"),
            CommentMatch(name="fill", key="infill.density", factor=0.01),
            CommentMatch(name="pattern of fill", key="infill.pattern", values={"waves": "gyroid"}),
            CommentMatch(name="not there", key="top_layers"),
        ]
        told = recipe_of(named_values(io.BytesIO(TEXT)), matches)
        self.assertEqual(told.refused, {})
        expected = {"layer_height_mm": 0.24, "walls": 4, "infill": {"density": 0.4, "pattern": "gyroid"}}
        self.assertEqual(told.recipe, Recipe.model_validate(expected))

    def test_what_a_setting_cannot_take_is_told_and_left_out(self) -> None:
        matches = [
            CommentMatch(name="bead height", key="walls", factor=1000),
            CommentMatch(name="pattern of fill", key="infill.pattern"),
            CommentMatch(name="odd", key="layer_height_mm"),
            CommentMatch(name="fill", key="no.such"),
            CommentMatch(name="shell_count", key="walls"),
        ]
        told = recipe_of(named_values(io.BytesIO(TEXT)), matches)
        self.assertEqual(set(told.refused), {"bead height", "pattern of fill", "odd", "fill"})
        self.assertEqual(told.recipe, Recipe(walls=4))


class Waterfalls(unittest.TestCase):
    def test_a_files_own_way_is_a_step_and_all_add_up(self) -> None:
        engine, solid = Engine(), box(14, 14, 4)
        first, second = PrintJob(solid, Recipe(walls=2)), PrintJob(solid, Recipe(walls=4))
        found = waterfall(engine, first, second)
        # A file that takes a tenth longer than its settings do here.
        own = engine.estimate(first)
        of_file = own.model_copy(update={"print_time_s": 1.1 * own.print_time_s, "filament_g": own.filament_g + 1})
        shown = with_files(found, of_file, None)
        self.assertEqual((shown.from_s, shown.to_s), (of_file.print_time_s, found.to_s))
        self.assertAlmostEqual(shown.steps[0].time_s, -0.1 * own.print_time_s)
        for made in (shown, with_files(found, None, of_file), with_files(found, of_file, of_file)):
            self.assertAlmostEqual(
                made.from_s + sum(step.time_s for step in made.steps) + made.rest_s, made.to_s, places=6
            )
            self.assertAlmostEqual(
                made.from_g + sum(step.filament_g for step in made.steps) + made.rest_g, made.to_g, places=6
            )
        self.assertEqual(with_files(found, None, None), found)


if __name__ == "__main__":
    unittest.main()
