"""How the checks themselves run: what a change reaches, what fits the time, and that what fails has failed."""

from __future__ import annotations

import sys
import unittest
from unittest import mock

from tests.running import changed
from tests.running.queue import Queue, Report
from tests.running.tasks import STATIC, Task, test_modules
from tests.running.worker import run


class Reached(unittest.TestCase):
    def test_a_changed_module_reaches_its_tests_and_those_of_what_imports_it(self) -> None:
        found = changed.reached(["meanbead/core/formulas/bead.py"])
        self.assertEqual(found["tests.core.formulas.test_bead"], 1)
        self.assertEqual(found["tests.core.gcode.test_replay"], 2)

    def test_a_changed_test_reaches_itself_and_a_text_nothing(self) -> None:
        self.assertEqual(changed.reached(["tests/core/formulas/test_bead.py"])["tests.core.formulas.test_bead"], 0)
        self.assertEqual(changed.reached(["README.md", "ui/src/main.tsx"]), {})

    def test_the_nearest_and_quickest_are_kept_and_what_changed_itself_always(self) -> None:
        tasks = [
            Task("far", guess_s=1),
            Task("near", guess_s=50),
            Task("slow", guess_s=90),
            Task("itself", guess_s=500),
        ]
        found = {"far": 2, "near": 1, "slow": 1, "itself": 0}
        kept = [task.name for task in changed.within(found, tasks, {"near": 5.0}, 100)]
        self.assertEqual(kept, ["itself"])
        kept = [task.name for task in changed.within(found | {"itself": 2}, tasks, {"near": 5.0}, 100)]
        self.assertEqual(kept, ["near", "slow", "far"])


class Queued(unittest.TestCase):
    def run_all(self, *tasks: Task, slots: int = 2) -> tuple[Report, list[str]]:
        said: list[str] = []
        # The run that this test is part of has a cluster of its own: it is left alone.
        with mock.patch.dict("os.environ"):
            return Queue(tasks, slots=slots, say=said.append).run(), said

    def test_commands_count_as_one_check_each_and_say_what_failed(self) -> None:
        good, bad = ((sys.executable, "-c", f"print('so'); raise SystemExit({code})") for code in (0, 1))
        report, said = self.run_all(Task("good", good), Task("bad", bad))
        self.assertEqual((report.passed, report.failed), (1, 1))
        self.assertTrue(any(line.startswith("FAIL: bad") and "so" in line for line in said))

    def test_what_a_command_and_its_children_compute_is_told(self) -> None:
        spin = "import time\nwhile time.process_time() < 0.4: pass"
        child = f"import subprocess, sys; subprocess.run([sys.executable, '-c', {spin!r}])"
        report, said = self.run_all(Task("busy", (sys.executable, "-c", child)), slots=1)
        self.assertGreaterEqual(report.cores_s, 0.4)
        self.assertIn("of a core  busy", said[0])

    def test_the_longest_go_first(self) -> None:
        quick = (sys.executable, "-c", "")
        with mock.patch("tests.running.queue.last_times", return_value={"b": 9.0, "c": 1.0}):
            _, said = self.run_all(Task("a", quick, guess_s=5), Task("b", quick), Task("c", quick), slots=1)
        self.assertEqual([line.split()[-1] for line in said], ["b", "a", "c"])

    def test_modules_run_in_processes_that_are_kept_and_one_that_dies_has_failed(self) -> None:
        report, said = self.run_all(
            Task("tests.core.formulas.test_bead"),
            Task("tests.no_such_module"),
            Task("tests.core.text.test_durations"),
            slots=1,
        )
        self.assertGreater(report.passed, 5)
        self.assertEqual(report.failed, 1)
        self.assertTrue(any("no_such_module" in line and line.startswith("!!") for line in said))

    def test_nothing_is_tried_twice(self) -> None:
        outcome = run("tests.no_such_module")
        self.assertEqual((outcome.passed, outcome.failed), (0, 1))
        self.assertIn("ERROR", outcome.said)


class Named(unittest.TestCase):
    def test_every_test_module_is_a_task_once_and_static_checks_are_commands(self) -> None:
        names = [task.name for task in test_modules()]
        self.assertEqual(len(names), len(set(names)))
        self.assertIn("tests.test_running", names)
        self.assertTrue(all(task.command for task in STATIC))
