import itertools
import json
import math
import tempfile
import unittest
from contextlib import redirect_stderr, redirect_stdout
from io import StringIO
from pathlib import Path
from typing import Any

from meanbead.cli import main
from meanbead.core.errors import MeanBeadError
from meanbead.core.formulas.melt import melt_ceiling
from meanbead.core.gcode.flow_program import flow_program
from meanbead.core.learn.flow import plan_flow_test
from meanbead.core.learn.flow.wear import ask_again
from meanbead.core.model import Material, Nozzle, Printer
from tests.support.flow_tests import Truth, ladder

PRINTER, NOZZLE, PLA = Printer(), Nozzle(), Material()


class Plan(unittest.TestCase):
    def test_flows_start_at_half_of_what_is_expected_and_widen(self) -> None:
        plan = plan_flow_test(PRINTER, NOZZLE, PLA, [215])
        flows = [step.flow_mm3_s for step in plan.steps]
        knee = melt_ceiling(PRINTER, NOZZLE, PLA, 215).knee_mm3_s
        self.assertAlmostEqual(flows[0], knee / 2, delta=0.1)
        self.assertGreater(flows[-1], 1.6 * knee)
        gaps = [after - before for before, after in itertools.pairwise(flows)]
        self.assertGreater(gaps[-1], 1.8 * gaps[0])

    def test_a_strand_weighs_a_hundred_steps_of_the_scale(self) -> None:
        for scale in (0.001, 0.01, 0.1):
            plan = plan_flow_test(PRINTER, NOZZLE, PLA, [215], scale_g=scale)
            for step in plan.steps:
                by_hand = step.length_mm * math.pi * 1.75**2 / 4 * PLA.density_g_cm3 / 1000
                self.assertAlmostEqual(step.expected_g, by_hand)
                self.assertGreaterEqual(step.expected_g, 100 * scale * (1 - 1e-9))
                self.assertAlmostEqual(step.speed_mm_s * math.pi * 1.75**2 / 4, step.flow_mm3_s)
                self.assertGreaterEqual(step.length_mm, 200)

    def test_beyond_lining_hot_end_plastic_or_drive_it_is_refused(self) -> None:
        lined = Printer.model_validate({"hotend": {"lining": "ptfe"}})
        hot = Material(nozzle_temp_max_c=290, nozzle_temp_min_c=200)
        slow = Printer.model_validate({"max_speed_mm_s": {"e": 1.0}})
        for printer, material, temp, field in (
            (lined, hot, 250, "temps_c"),
            (PRINTER, hot, 285, "temps_c"),
            (PRINTER, PLA, 240, "temps_c"),
            (PRINTER, PLA, 180, "temps_c"),
            (slow, PLA, 215, "flows_mm3_s"),
        ):
            with self.subTest(temp=temp), self.assertRaises(MeanBeadError) as caught:
                plan_flow_test(printer, NOZZLE, material, [temp])
            self.assertEqual(caught.exception.field, field)

    def test_cautions_speak_of_people(self) -> None:
        said = " ".join(plan_flow_test(PRINTER, NOZZLE, PLA, [215]).cautions)
        for word in ("Stay", "wrap", "entilate"):
            self.assertIn(word, said)

    def test_the_file_never_feeds_cold_and_ends_with_the_heater_off(self) -> None:
        plan = plan_flow_test(PRINTER, NOZZLE, PLA, [205, 220], fan=1)
        lines = flow_program(plan, PRINTER, "a test\nM104 S300").splitlines()
        self.assertFalse(any(line.startswith("M104 S300") for line in lines))
        feeds = [at for at, line in enumerate(lines) if line.startswith("G1 E")]
        self.assertLess(lines.index("M109 S205"), feeds[0])
        self.assertEqual([line for line in lines if line.startswith(("M104", "M107"))], ["M104 S0", "M107"])
        self.assertTrue(all(float(lines[at].split("E")[1].split()[0]) <= 50.00001 for at in feeds))
        self.assertFalse(any(word in line for line in lines for word in (" X", " Y")))


class Wear(unittest.TestCase):
    def test_hours_and_grit_ask_for_a_new_test(self) -> None:
        from datetime import date

        day = date(2026, 1, 1)
        self.assertEqual(ask_again(NOZZLE, day, 100, 50), "")
        self.assertIn("Test again", ask_again(NOZZLE, day, 10, 400))
        self.assertEqual(ask_again(Nozzle(metal="hardened_steel"), day, 10, 400), "")
        self.assertIn("test again", ask_again(NOZZLE, day, 500, 0))
        self.assertIn("fitted", ask_again(NOZZLE, day, 0, 0, date(2026, 2, 1)))


class Shell(unittest.TestCase):
    def run_it(self, *words: str) -> tuple[int, str, str]:
        out, err = StringIO(), StringIO()
        with redirect_stdout(out), redirect_stderr(err):
            code = main(list(words))
        return code, out.getvalue(), err.getvalue()

    def file(self, content: dict[str, Any]) -> str:
        folder = tempfile.mkdtemp()
        path = Path(folder) / "TEST.json"
        path.write_text(json.dumps(content))
        return str(path)

    def test_plan_and_fit_print_one_object(self) -> None:
        import numpy as np

        code, out, _ = self.run_it("flow", "plan", "--temp", "205,220", "--json")
        self.assertEqual((code, {step["temp_c"] for step in json.loads(out)["steps"]}), (0, {205, 220}))
        test = ladder(np.random.default_rng(5), Truth(), 6, 20, 9)
        code, out, _ = self.run_it("flow", "fit", self.file(test.model_dump(exclude_none=True)), "--json")
        fit = json.loads(out)
        self.assertEqual(code, 0)
        self.assertEqual(set(fit["by_temp"][0]["knee_mm3_s"]), {"value", "low", "high"})
        for key in ("drive_ratio", "next_flow_mm3_s", "enough", "notes"):
            self.assertIn(key, fit)

    def test_bad_points_are_named_in_one_line(self) -> None:
        good = {"flow_mm3_s": 8, "length_mm": 300, "mass_g": 0.9, "temp_c": 210, "fan": False, "strand": "straight"}
        for change, name in (
            ({"flow_mm3_s": -1}, "flow_mm3_s"),
            ({"temp_c": "hot"}, "temp_c"),
            ({"strand": "wavy"}, "strand"),
            ({"mass_g": None, "lenght_mm": 3}, "lenght_mm"),
        ):
            code, _, err = self.run_it("flow", "fit", self.file({"points": [good, good | change]}))
            self.assertEqual(code, 2)
            self.assertEqual(len(err.strip().splitlines()), 1)
            self.assertIn("points.1", err)
            self.assertIn(name, err)
        self.assertEqual(self.run_it("flow", "plan", "--temp", "300")[0], 2)
        self.assertEqual(self.run_it("flow", "fit", self.file({"points": []}))[0], 2)
