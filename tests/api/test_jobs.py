import threading
import time
import unittest
from typing import Any
from unittest import mock

import trimesh
from sqlalchemy import event

from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate import Engine
from meanbead.core.part.orientations import OrientationEstimates
from meanbead.jobs import kinds
from meanbead.jobs.queue import Queue
from meanbead.jobs.work import Toolbox, run_job
from meanbead.store import jobs
from meanbead.store.database import plain_url
from meanbead.store.tables import JobRow, now
from tests.api.test_api import ApiCase
from tests.api.worker import WorkerCase
from tests.support.patience import PATIENCE_S
from tests.support.solids import stl_bytes


class Background(WorkerCase):
    """Jobs from the request to the result, by a worker on the same database."""

    def test_ways_to_stand_are_ranked_and_a_second_ask_finds_them(self) -> None:
        part = self.upload()
        ask = {"recipe_id": self.columns(part)[0]["id"]}
        done = self.wait(self.call("POST", f"/api/parts/{part['id']}/stances", ask, 202))
        self.assertEqual((done["state"], done["share"]), ("done", 1.0))
        ways = done["stances"]["ways"]
        # A block of 20 x 20 x 10 mm stands in two ways, and lying it is quicker and lower.
        self.assertEqual({round(way["stance"]["height_mm"]) for way in ways}, {10, 20})
        self.assertEqual(ways[0]["stance"]["height_mm"], 10)
        self.assertEqual([way["present"] for way in ways].count(True), 1)
        self.assertTrue(all(way["support_g"] == 0 for way in ways))
        times = [way["print_time_s"] for way in ways]
        self.assertEqual(times, sorted(times))
        again = self.call("POST", f"/api/parts/{part['id']}/stances", ask, 202)
        self.assertEqual((again["id"], again["state"]), (done["id"], "done"))

    def test_a_waterfall_adds_up(self) -> None:
        part = self.upload()
        one, other = self.columns(part)
        self.call("PATCH", f"/api/recipes/{other['id']}", {"version": other["version"], "choices": {"walls": 4}})
        ask = {"from_id": one["id"], "to_id": other["id"]}
        done = self.wait(self.call("POST", "/api/waterfalls", ask, 202))
        result = done["waterfall"]
        self.assertEqual([step["label"] for step in result["steps"]], ["Nozzle", "Walls"])
        total = sum(step["time_s"] for step in result["steps"]) + result["rest_s"]
        self.assertAlmostEqual(total, result["to_s"] - result["from_s"], places=6)

    def test_a_job_that_cannot_be_done_says_why(self) -> None:
        with mock.patch.dict(kinds.KINDS, {"waterfall": _fails}):
            part = self.upload()
            one, other = self.columns(part)
            done = self.wait(self.call("POST", "/api/waterfalls", {"from_id": one["id"], "to_id": other["id"]}, 202))
        self.assertEqual((done["state"], done["problem"]), ("failed", "This cannot be."))

    def test_a_running_job_is_stopped_and_keeps_what_it_found(self) -> None:
        begun = threading.Event()

        def endless(tools: Toolbox, arguments: dict[str, Any]) -> dict[str, Any]:
            for k in range(10_000):
                tools.progress(k / 10_000, f"step {k}", OrientationEstimates(ways=[]).model_dump())
                begun.set()
                time.sleep(0.01)
            return {}

        with mock.patch.dict(kinds.KINDS, {"stances": endless}):
            part = self.upload(stl_bytes(trimesh.creation.box((7, 8, 9))))
            ask = {"recipe_id": self.columns(part)[0]["id"]}
            job = self.call("POST", f"/api/parts/{part['id']}/stances", ask, 202)
            self.assertTrue(begun.wait(PATIENCE_S))
            self.call("POST", f"/api/jobs/{job['id']}/cancel")
            done = self.wait(job)
        self.assertEqual(done["state"], "cancelled")
        self.assertEqual(done["stances"], {"ways": []})

    def test_there_is_no_job_of_that_number(self) -> None:
        self.call("GET", "/api/jobs/99999", status=404)
        self.call("POST", "/api/jobs/99999/cancel", status=404)


class Rows(ApiCase):
    """What happens to a job's row, without a worker."""

    def add(self, kind: str = "waterfall", inputs: str = "a") -> int:
        with self.database.session.begin() as session:
            return jobs.find_or_add(session, kind, inputs, {})[0].id

    def state(self, job_id: int) -> str:
        with self.database.session.begin() as session:
            return jobs.get(session, job_id).state

    def test_a_waiting_job_is_cancelled_at_once_and_never_run(self) -> None:
        job = self.add(inputs="waits")
        self.assertEqual(self.call("POST", f"/api/jobs/{job}/cancel")["state"], "cancelled")
        with mock.patch.dict(kinds.KINDS, {"waterfall": _fails}):
            run_job(self.database, Engine(), job)
        self.assertEqual(self.state(job), "cancelled")
        self.assertNotEqual(self.add(inputs="waits"), job)

    def test_two_workers_do_not_take_the_same_job(self) -> None:
        job = self.add(inputs="once")
        with self.database.session.begin() as session:
            self.assertIsNotNone(jobs.begin(session, job, "a:1"))
        with self.database.session.begin() as session:
            self.assertIsNone(jobs.begin(session, job, "a:1"))

    def test_a_defect_closes_the_job_too(self) -> None:
        job = self.add(inputs="broken")
        with (
            mock.patch.dict(kinds.KINDS, {"waterfall": lambda tools, arguments: {}[0]}),  # type: ignore[index]
            self.assertLogs("meanbead.jobs.work", "ERROR"),
        ):
            run_job(self.database, Engine(), job)
        self.assertEqual(self.state(job), "failed")

    def test_what_is_known_is_neither_read_nor_sent_again(self) -> None:
        job = self.add("stances", "grows")
        ways: dict[str, Any] = OrientationEstimates(ways=[]).model_dump()
        read: list[str] = []

        def note(*told: Any) -> None:
            read.append(told[2])

        event.listen(self.database.engine, "before_cursor_execute", note)
        self.addCleanup(event.remove, self.database.engine, "before_cursor_execute", note)

        def look(seen: int | None, *, share: float, revision: int, sent: bool) -> None:
            read.clear()
            found = self.call("GET", f"/api/jobs/{job}" + ("" if seen is None else f"?seen={seen}"))
            self.assertEqual((found["share"], found["revision"]), (share, revision))
            self.assertEqual(found["stances"], {"ways": []} if sent else None)
            self.assertEqual(any("jobs.result" in statement for statement in read), sent)

        def report(share: float, result: dict[str, Any] | None) -> None:
            with self.database.session.begin() as session:
                jobs.report(session, job, "a:1", share, "", result)

        look(0, share=0.0, revision=0, sent=False)
        with self.database.session.begin() as session:
            jobs.begin(session, job, "a:1")
        report(0.25, ways)
        look(None, share=0.25, revision=1, sent=True)
        look(0, share=0.25, revision=1, sent=True)
        report(0.5, None)
        look(1, share=0.5, revision=1, sent=False)
        report(0.75, ways)
        look(1, share=0.75, revision=2, sent=True)
        with self.database.session.begin() as session:
            jobs.end(session, job, "a:1", "done", result=ways)
        look(2, share=1.0, revision=3, sent=True)
        self.call("GET", f"/api/jobs/{job}?seen=-1", status=422)

    def lose(self, job: int, worker: str = "elsewhere:1") -> None:
        """Begin a job and let its worker fall silent."""
        with self.database.session.begin() as session:
            row = jobs.begin(session, job, worker)
            assert row is not None
            row.beat_at = now() - 2 * jobs.LOST_AFTER

    def sweep(self) -> list[int]:
        with self.database.session.begin() as session:
            return [number for number, _ in jobs.sweep(session)]

    def test_a_job_whose_worker_has_gone_is_done_again_and_given_up_in_the_end(self) -> None:
        job = self.add(inputs="orphan")
        self.lose(job)
        self.assertIn(job, self.sweep())
        self.assertEqual(self.state(job), "waiting")
        self.lose(job)
        self.assertNotIn(job, self.sweep())
        self.assertEqual(self.state(job), "failed")
        self.assertNotEqual(self.add(inputs="orphan"), job)

    def test_a_worker_that_was_thought_lost_changes_nothing_any_more(self) -> None:
        job = self.add(inputs="taken away")
        self.lose(job, "slow:1")
        self.sweep()
        with self.database.session.begin() as session:
            self.assertIsNotNone(jobs.begin(session, job, "quick:1"))
        with self.database.session.begin() as session:
            self.assertTrue(jobs.report(session, job, "slow:1", 0.9, "late", None), "it is told to stop")
            jobs.end(session, job, "slow:1", "failed", problem="late")
        self.assertEqual(self.state(job), "running")
        with self.database.session.begin() as session:
            self.assertFalse(jobs.report(session, job, "quick:1", 0.5, "at it", None))
            jobs.end(session, job, "quick:1", "done", result={})
        self.assertEqual(self.state(job), "done")

    def test_signs_of_life_keep_a_job_that_says_nothing_for_long(self) -> None:
        job, other = self.add(inputs="quiet"), self.add(inputs="dead")
        for each_job in (job, other):
            self.lose(each_job, "w:1")
        with self.database.session.begin() as session:
            jobs.beat(session, "w:1", [job])
        self.assertEqual([job_id for job_id in self.sweep() if job_id in (job, other)], [other])
        self.assertEqual((self.state(job), self.state(other)), ("running", "waiting"))

    def test_a_new_server_gives_back_at_once_what_the_last_one_left(self) -> None:
        mine, its = self.add(inputs="mine"), self.add(inputs="its")
        with self.database.session.begin() as session:
            jobs.begin(session, mine, "server:old")
            jobs.begin(session, its, "far:1")
        with self.database.session.begin() as session:
            self.assertEqual(jobs.give_back(session, "server"), 1)
        self.assertEqual((self.state(mine), self.state(its)), ("waiting", "running"))
        self.assertIn(mine, self.sweep())

    def test_a_job_that_could_not_be_sent_is_sent_by_the_sweep(self) -> None:
        queue = Queue(self.database)
        self.addCleanup(queue.close)
        with mock.patch.object(Queue, "send", side_effect=OSError("no way")), self.assertLogs("meanbead.jobs.queue"):
            queue.try_to_send(self.add(inputs="unsent"), "long")
        job = self.add(inputs="unsent")
        self.assertNotIn(job, self.sweep(), "it may still be on its way")
        with self.database.session.begin() as session:
            session.get_one(JobRow, job).updated_at = now() - 2 * jobs.FORGOTTEN_AFTER
        self.assertIn(job, self.sweep())
        queue.send(job, "long")
        self.assertNotIn(job, self.sweep(), "it stands in the queue now")

    def test_of_the_same_work_one_job_is_under_way_whoever_asks_at_once(self) -> None:
        found: list[tuple[int, bool]] = []
        gate = threading.Barrier(8)

        def ask() -> None:
            gate.wait(PATIENCE_S)
            with self.database.session.begin() as session:
                row, new = jobs.find_or_add(session, "waterfall", "all at once", {})
                found.append((row.id, new))

        threads = [threading.Thread(target=ask) for _ in range(8)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(30)
        self.assertEqual(len({job for job, _ in found}), 1)
        self.assertEqual([new for _, new in found].count(True), 1)

    def test_work_on_a_column_that_changed_is_stopped_and_no_other(self) -> None:
        part = self.upload()
        one, other = self.columns(part)
        started = [
            self.call("POST", f"/api/recipes/{column['id']}/levers", {"goal": "minutes"}, 202)["id"]
            for column in (one, other)
        ]
        self.call("PATCH", f"/api/recipes/{one['id']}", {"version": one["version"], "name": "Renamed"})
        self.assertEqual([self.state(job) for job in started], ["waiting", "waiting"])
        body = {"version": one["version"] + 1, "choices": {"walls": 4}}
        self.call("PATCH", f"/api/recipes/{one['id']}", body)
        self.assertEqual([self.state(job) for job in started], ["cancelled", "waiting"])
        again = self.call("POST", f"/api/recipes/{one['id']}/levers", {"goal": "minutes"}, 202)
        self.assertNotIn(again["id"], started)

    def test_what_was_found_long_ago_is_forgotten_and_work_under_way_is_not(self) -> None:
        old, waiting, new = (self.add(inputs=f"age {name}") for name in ("old", "waiting", "new"))
        with self.database.session.begin() as session:
            for job, state in ((old, "done"), (waiting, "waiting")):
                row = session.get_one(JobRow, job)
                row.state, row.updated_at = state, now() - 2 * jobs.KEPT_FOR
            session.get_one(JobRow, new).state = "done"
        with self.database.session.begin() as session:
            self.assertEqual(jobs.forget_old(session), 1)
            self.assertIsNone(session.get(JobRow, old))
            self.assertIsNotNone(session.get(JobRow, waiting))
            self.assertIsNotNone(session.get(JobRow, new))

    def test_the_queue_takes_the_address_without_the_driver(self) -> None:
        self.assertEqual(plain_url("postgresql+psycopg://a:b@h:1/d"), "postgresql://a:b@h:1/d")


def _fails(tools: Toolbox, arguments: dict[str, Any]) -> dict[str, Any]:
    raise MeanBeadError("This cannot be.")


if __name__ == "__main__":
    unittest.main()
