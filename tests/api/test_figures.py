"""Figures in the background, and the worker as a process of its own."""

import os
import signal
import subprocess
import sys
import threading
import time
import unittest
from typing import Any
from unittest import mock

import trimesh

from meanbead.api import estimates as estimates_api
from meanbead.core.estimate import Engine
from meanbead.core.model import Pose, Recipe
from meanbead.core.part.orientations import OrientationEstimate, measure
from meanbead.jobs import kinds
from meanbead.jobs.kinds import _ranked, _supported, estimate_orientations
from meanbead.jobs.work import Cancelled, Progress, Toolbox
from meanbead.store import jobs
from tests.api.test_api import ApiCase
from tests.api.worker import WorkerCase
from tests.support.patience import PATIENCE_S
from tests.support.solids import box, stl_bytes


class InBackground(WorkerCase):
    def setUp(self) -> None:
        super().setUp()
        # However slow the machine is: small figures come with the answer. What must not wait says so itself.
        patient = mock.patch.object(estimates_api, "PATIENCE_S", PATIENCE_S)
        patient.start()
        self.addCleanup(patient.stop)

    def figures(self, column: dict[str, Any], status: int = 200) -> Any:
        return self.call("POST", f"/api/recipes/{column['id']}/figures", status=status)

    def slow(self, gate: threading.Event, told: list[float]) -> Any:
        """The real work, held until a gate is opened; it looks up between its steps as the real one does."""
        real = kinds.KINDS["estimate"]

        def work(tools: Toolbox, arguments: dict[str, Any]) -> dict[str, Any]:
            for step in range(2000):
                tools.progress(step / 2000, "held", None)
                told.append(step / 2000)
                if gate.wait(0.02):
                    break
            return real(tools, arguments)

        return mock.patch.dict(kinds.KINDS, {"estimate": work})

    def test_quick_figures_come_at_once_and_are_kept(self) -> None:
        part = self.upload()
        column = self.columns(part)[0]
        found = self.figures(column)
        self.assertIsNone(found["job"])
        self.assertEqual(found["estimate"]["layers"], 50)
        self.assertEqual(self.columns(part)[0]["estimate"], found["estimate"])
        self.assertEqual(self.figures(column)["estimate"], found["estimate"])

    def test_slow_figures_are_a_job_and_known_when_it_is_done(self) -> None:
        column = self.columns(self.upload(stl_bytes(trimesh.creation.box((21, 20, 10)))))[0]
        gate = threading.Event()
        told: list[float] = []
        with self.slow(gate, told), mock.patch.object(estimates_api, "PATIENCE_S", 0.2):
            job = self.figures(column)["job"]
            self.assertIn(job["state"], jobs.UNDER_WAY)
            # Whoever asks again meanwhile follows the same job.
            self.assertEqual(self.figures(column)["job"]["id"], job["id"])
            gate.set()
            self.assertEqual(self.wait(job)["state"], "done")
        self.assertEqual(self.figures(column)["estimate"]["layers"], 50)

    def test_stopped_figures_can_be_asked_for_again(self) -> None:
        column = self.columns(self.upload(stl_bytes(trimesh.creation.box((22, 20, 10)))))[0]
        gate = threading.Event()
        told: list[float] = []
        with self.slow(gate, told), mock.patch.object(estimates_api, "PATIENCE_S", 0.2):
            job = self.figures(column)["job"]
            self.call("POST", f"/api/jobs/{job['id']}/cancel")
            self.assertEqual(self.wait(job)["state"], "cancelled")
        again = self.figures(column)
        self.assertIsNotNone(again["estimate"])

    def test_a_recipe_that_changes_while_it_waits_is_not_computed(self) -> None:
        part = self.upload(stl_bytes(trimesh.creation.box((23, 20, 10))))
        column = self.columns(part)[0]
        gate = threading.Event()
        told: list[float] = []
        with self.slow(gate, told), mock.patch.object(estimates_api, "PATIENCE_S", 0.2):
            job = self.figures(column)["job"]
            body = {"version": column["version"], "choices": {"walls": 4}}
            self.call("PATCH", f"/api/recipes/{column['id']}", body)
            gate.set()
            ended = self.wait(job)
        # It was told to stop; where it does not look up before its turn comes, it finds another recipe.
        self.assertIn(ended["state"], ("cancelled", "failed"))
        self.assertIn("changed", ended["problem"])
        self.assertIsNone(self.columns(part)[0]["estimate"])
        self.assertIsNotNone(self.figures(column)["estimate"])

    def test_what_cannot_be_printed_is_told(self) -> None:
        part = self.upload(stl_bytes(trimesh.creation.box((24, 20, 10))))
        column = self.columns(part)[0]
        body = {"version": column["version"], "choices": {"nozzle_temp_c": 101}}
        self.call("PATCH", f"/api/recipes/{column['id']}", body)
        job = self.figures(column)["job"]
        self.assertEqual(job["state"], "failed")
        self.assertIn("does not melt", job["problem"])


class WaysToStand(ApiCase):
    def tools(self) -> Toolbox:
        with self.database.session.begin() as session:
            row, _ = jobs.find_or_add(session, "stances", str(time.monotonic()), {})
            jobs.begin(session, row.id, "here")
        return Toolbox(self.database, Engine(), Progress(self.database, row.id, "here"))

    def test_a_way_that_does_not_fit_comes_last_and_says_so(self) -> None:
        # Longer than the bed is wide, and lower than the room is high: it can only stand upright.
        part = self.upload(stl_bytes(trimesh.creation.box((12, 12, 240))))
        found = estimate_orientations(self.tools(), {"recipe_id": self.columns(part)[0]["id"]})["ways"]
        self.assertTrue(found[0]["present"])
        self.assertEqual(found[0]["problem"], "")
        self.assertIn("does not fit", found[-1]["problem"])

    def test_unsteady_ways_come_after_steady_ones(self) -> None:
        stance = measure(box(5, 5, 5), Pose(), 0.2)

        def way(seconds: float, steady: bool = True, problem: str = "") -> OrientationEstimate:
            return OrientationEstimate(
                stance=stance, present=False, picture="", steady=steady, print_time_s=seconds, filament_g=1.0,
                support_s=0.0, support_g=0.0, problem=problem,
            )  # fmt: skip

        ways = [way(9, problem="no"), way(1, steady=False), way(5), way(3), way(2, steady=False)]
        self.assertEqual([entry.print_time_s for entry in _ranked(ways)], [3, 5, 1, 2, 9])

    def test_supports_are_columns_unless_the_recipe_has_its_own(self) -> None:
        self.assertEqual(_supported(Recipe()).supports.kind, "columns")
        trees = Recipe.model_validate({"supports": {"kind": "trees", "angle_deg": 40}})
        self.assertIs(_supported(trees), trees)
        none = Recipe.model_validate({"supports": {"kind": "none", "angle_deg": 40}})
        self.assertEqual((_supported(none).supports.kind, _supported(none).supports.angle_deg), ("columns", 40))

    def test_stopping_keeps_what_was_found(self) -> None:
        part = self.upload(stl_bytes(trimesh.creation.box((9, 12, 15))))
        tools = self.tools()
        job = tools.progress.job_id
        with self.database.session.begin() as session:
            jobs.ask_to_stop(session, job)
        with self.assertRaises(Cancelled):
            estimate_orientations(tools, {"recipe_id": self.columns(part)[0]["id"]})
        with self.database.session.begin() as session:
            self.assertEqual(jobs.get(session, job).result, {"ways": []})

    def test_progress_is_told_seldom_but_results_at_once(self) -> None:
        tools = self.tools()
        for step in range(50):
            tools.progress(step / 50, f"step {step}")
        with self.database.session.begin() as session:
            self.assertLess(jobs.get(session, tools.progress.job_id).share, 0.5)
        tools.progress(0.9, "found", {"ways": []})
        with self.database.session.begin() as session:
            row = jobs.get(session, tools.progress.job_id)
            self.assertEqual((row.share, row.doing, row.result), (0.9, "found", {"ways": []}))


class Process(ApiCase):
    """A second machine's worker, against the same database."""

    def test_it_does_the_work_and_stops_when_it_is_told_to(self) -> None:
        command = [sys.executable, "-m", "meanbead.cli", "worker", "--database", self.database.url]
        worker = subprocess.Popen(
            command, stdout=subprocess.PIPE, text=True, env=os.environ | {"PYTHONUNBUFFERED": "1"}
        )
        self.addCleanup(worker.kill)
        assert worker.stdout is not None
        self.assertIn("Waiting for work", worker.stdout.readline())
        part = self.upload(stl_bytes(trimesh.creation.box((14, 13, 6))))
        column = self.columns(part)[0]
        with mock.patch.object(estimates_api, "PATIENCE_S", PATIENCE_S):
            found = self.call("POST", f"/api/recipes/{column['id']}/figures")
        self.assertIsNotNone(found["estimate"])
        worker.send_signal(signal.SIGTERM)
        self.assertEqual(worker.wait(PATIENCE_S), 0)


if __name__ == "__main__":
    unittest.main()
