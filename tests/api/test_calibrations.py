"""What the log teaches, over HTTP: from the first entered run to every interval; limits applied and taken back."""

from __future__ import annotations

import time
import uuid
from datetime import UTC, datetime, timedelta
from typing import Any

import trimesh

from tests.api.worker import WorkerCase
from tests.support.patience import PATIENCE_S
from tests.support.solids import stl_bytes

SLOWER = 1.2
"""The machine of these tests takes this much longer than is computed, whatever it prints."""


class Learning(WorkerCase):
    def setUp(self) -> None:
        self.part = self.upload(stl_bytes(trimesh.creation.box((24, 18, 9))), name=f"{uuid.uuid4().hex[:8]}.stl")
        machine = self.call("POST", "/api/machines", {"name": f"Crane {uuid.uuid4().hex[:6]}"}, 201)
        self.machine_id: int = machine["id"]
        self.column = self.on_machine(self.columns(self.part)[0])

    def on_machine(self, column: dict[str, Any]) -> dict[str, Any]:
        body = {"version": column["version"], "machine_id": self.machine_id}
        found: dict[str, Any] = self.call("PATCH", f"/api/recipes/{column['id']}", body)
        return found

    def estimate(self, column: dict[str, Any] | None = None) -> dict[str, Any]:
        found: dict[str, Any] = self.call("POST", f"/api/recipes/{(column or self.column)['id']}/estimate")
        return found

    def log(
        self, minutes_ago: float, factor: float = SLOWER, column: dict[str, Any] | None = None, **entry: Any
    ) -> int:
        at = datetime.now(UTC) - timedelta(minutes=minutes_ago)
        body = {"key": str(uuid.uuid4()), "started_at": at.isoformat()}
        run = self.call("POST", f"/api/recipes/{(column or self.column)['id']}/runs", body, 201)
        told = {"state": "kept", "time_s": factor * run["predicted_s"], **entry}
        self.call("PATCH", f"/api/runs/{run['id']}", {"version": run["version"], "entry": told})
        number: int = run["id"]
        return number

    def calibration(self) -> dict[str, Any]:
        found: dict[str, Any] = self.call("GET", f"/api/machines/{self.machine_id}/calibration")
        return found


class Intervals(Learning):
    def test_every_estimate_of_the_machine_follows_its_runs(self) -> None:
        before = self.estimate()
        self.assertEqual((before["interval"]["source"], before["interval"]["runs"]), ("typical", 0))
        self.assertIn("no run of this machine", before["interval"]["basis"])
        listed = self.call("GET", "/api/parts")["parts"][0]["headline"]
        for end in ("low_s", "high_s"):
            self.assertAlmostEqual(listed[end], before["interval"][end], places=6)
        for number in range(6):
            self.log(600 - 60 * number)
        after = self.estimate()
        interval = after["interval"]
        self.assertEqual((interval["source"], interval["runs"]), ("measured", 6))
        self.assertIn("from 6 runs of Crane", interval["basis"])
        self.assertAlmostEqual(interval["expected_s"] / after["print_time_s"], SLOWER, delta=0.03)
        self.assertLess(interval["low_s"], SLOWER * after["print_time_s"])
        self.assertGreater(interval["high_s"], SLOWER * after["print_time_s"])
        width = interval["high_s"] - interval["low_s"]
        self.assertLess(width, before["interval"]["high_s"] - before["interval"]["low_s"])
        self.assertEqual(self.columns(self.part)[0]["estimate"]["interval"], interval)
        headline = self.call("GET", "/api/parts")["parts"][0]["headline"]
        self.assertEqual(headline["runs"], 6)
        self.assertAlmostEqual(headline["expected_s"], interval["expected_s"], places=6)
        # What a run is started with says what was expected then.
        run = self.call("POST", f"/api/recipes/{self.column['id']}/runs", {"key": str(uuid.uuid4())}, 201)
        frozen = self.call("GET", f"/api/runs/{run['id']}")["prediction"]["interval"]
        self.assertEqual(frozen["runs"], 6)

    def test_differences_have_intervals_of_their_own_and_ledgers_can_be_asked(self) -> None:
        other = self.on_machine(self.columns(self.part)[1])
        ends = self.estimate(), self.estimate(other)
        # A machine that accelerates less than described: what it takes more hangs on ramps and corners.
        real = [end["print_time_s"] + 0.4 * (end["by_cause"]["ramps_s"] + end["by_cause"]["corners_s"]) for end in ends]
        for number in range(4):
            which = number % 2
            factor = real[which] / ends[which]["print_time_s"]
            self.log(300 - 40 * number, factor, (self.column, other)[which])
        body = {"from_id": self.column["id"], "to_ids": [other["id"], self.column["id"]]}
        found = self.call("POST", "/api/differences", body)["columns"]
        step = real[1] - real[0]
        difference = found[0]["difference"]
        self.assertLess(difference["low_s"], step)
        self.assertGreater(difference["high_s"], step)
        self.assertTrue(difference["real"])
        self.assertAlmostEqual(found[1]["difference"]["value_s"], 0)
        # Narrower than two intervals side by side: what both are off by falls out.
        alone = [self.estimate(one)["interval"] for one in (self.column, other)]
        apart = sum(one["high_s"] - one["low_s"] for one in alone)
        self.assertLess(difference["high_s"] - difference["low_s"], apart)
        asked = {"prints": [end["by_cause"] for end in ends], "against": ends[0]["by_cause"]}
        told = self.call("POST", f"/api/recipes/{self.column['id']}/expected", asked)
        self.assertAlmostEqual(told["prints"][0]["expected_s"], alone[0]["expected_s"], places=6)
        self.assertAlmostEqual(told["prints"][1]["difference"]["value_s"], difference["value_s"], places=6)
        # A print that is known from a sample of layers only is known less well.
        unsure = self.call("POST", f"/api/recipes/{self.column['id']}/expected", asked | {"errors_s": [0, 60]})[
            "prints"
        ]
        widths = [one["difference"]["high_s"] - one["difference"]["low_s"] for one in (told["prints"][1], unsure[1])]
        self.assertGreater(widths[1], widths[0])
        self.assertEqual(unsure[0], told["prints"][0])

    def test_a_pause_is_told_apart_and_a_changed_firmware_ends_an_era(self) -> None:
        runs = [self.log(900 - 60 * number) for number in range(7)]
        paused = self.log(400, 3.5)
        told = self.calibration()
        self.assertEqual([point["run_id"] for point in told["points"] if point["odd"]], [paused])
        self.assertEqual(told["head"]["runs"], len(runs) + 1)
        self.assertLess(told["head"]["off_expected"], told["head"]["off_computed"])
        weights = [self.log(300 - number, weight_g=0.97 * self.estimate()["filament_g"]) for number in range(3)]
        grams = self.calibration()["grams"][0]
        self.assertEqual(grams["weighed"], len(weights))
        self.assertAlmostEqual(grams["ratio"], 0.97, delta=0.012)
        self.assertAlmostEqual(grams["flow"]["value"] * grams["density"]["value"], grams["ratio"], delta=0.005)
        self.assertTrue(self.calibration()["teaches"][0]["narrower"] >= 0)
        entry = self.call(
            "POST",
            "/api/journal",
            {"key": str(uuid.uuid4()), "kind": "limits_changed", "machine_id": self.machine_id},
            201,
        )
        told = self.calibration()
        self.assertEqual((told["head"]["runs"], told["head"]["before"]), (0, 11))
        self.assertEqual(self.estimate()["interval"]["source"], "typical")
        body = {"version": entry["version"], "kind": "limits_corrected"}
        self.call("PATCH", f"/api/journal/{entry['id']}", body)
        self.assertEqual(self.calibration()["head"]["runs"], 11)
        machines = self.call("GET", "/api/calibrations")["machines"]
        self.assertEqual(next(one for one in machines if one["machine_id"] == self.machine_id)["runs"], 11)


class Limits(Learning):
    def test_inferred_limits_are_applied_and_taken_back(self) -> None:
        job = self.call("POST", f"/api/machines/{self.machine_id}/limits", status=202)
        self.assertIn("at least 4 timed runs", self.wait(job)["problem"])
        columns = [self.column, self.on_machine(self.columns(self.part)[1])]
        for number in range(7):
            self.log(900 - 60 * number, 1.3, columns[number % 2])
        found = self.wait(self.call("POST", f"/api/machines/{self.machine_id}/limits", status=202))["limits"]
        self.assertEqual(found["runs"], 7)
        self.assertTrue(found["says"])
        version = self.calibration()["machine_version"]
        before = self.estimate()
        change = {"acceleration_mm_s2.print": 400.0, "corner.jerk_mm_s.x": 5.0}
        body = {"version": version, "change": change}
        applied = self.call("POST", f"/api/machines/{self.machine_id}/limits/apply", body)
        slower = self.estimate()
        self.assertGreater(slower["print_time_s"], before["print_time_s"])
        self.assertEqual(self.calibration()["head"]["stale"], 7)
        # Made again with what is described now, they count as before: no era has ended.
        job = self.wait(self.call("POST", f"/api/machines/{self.machine_id}/again", status=202))
        self.assertEqual(job["state"], "done")
        told = self.calibration()
        self.assertEqual((told["head"]["runs"], told["head"]["stale"], told["head"]["before"]), (7, 0, 0))
        again = [point for point in told["points"] if point["part_id"] == self.part["id"]]
        self.assertIn(round(slower["print_time_s"], 3), [round(point["predicted_s"], 3) for point in again])
        self.call("POST", f"/api/machines/{self.machine_id}/limits/apply", body, 409)
        undo = {"version": applied["version"], "change": applied["before"]}
        self.call("POST", f"/api/machines/{self.machine_id}/limits/apply", undo)
        self.assertEqual(self.estimate()["print_time_s"], before["print_time_s"])
        self.assertEqual(self.calibration()["head"]["runs"], 7)
        version = self.calibration()["machine_version"]
        for key, value in (("name", 3), ("bed_mm.x", 3), ("acceleration_mm_s2.print", -3)):
            body = {"version": version, "change": {key: value}}
            self.call("POST", f"/api/machines/{self.machine_id}/limits/apply", body, 422)

    def test_runs_count_again_by_themselves_however_their_part_stands_now(self) -> None:
        for number in range(3):
            self.log(300 - 60 * number)
        before = self.estimate()["interval"]
        part = self.call("GET", f"/api/parts/{self.part['id']}")
        turned = {"version": part["version"], "pose": {"matrix": [1, 0, 0, 0, 0, -1, 0, 1, 0]}}
        self.call("PATCH", f"/api/parts/{self.part['id']}", turned)
        change = {"version": self.calibration()["machine_version"], "change": {"acceleration_mm_s2.print": 500.0}}
        self.call("POST", f"/api/machines/{self.machine_id}/limits/apply", change)
        self.assertIn("still to be computed", self.estimate()["interval"]["basis"])
        until = time.monotonic() + PATIENCE_S
        while self.calibration()["head"]["stale"] and time.monotonic() < until:
            self.call("POST", f"/api/recipes/{self.column['id']}/figures")
            time.sleep(0.2)
        after = self.estimate()["interval"]
        self.assertEqual((after["source"], after["runs"]), ("measured", before["runs"]))
        # What was printed is still that part as it stood then, on the machine as it is described now.
        self.assertNotAlmostEqual(
            self.calibration()["points"][0]["predicted_s"], self.estimate()["print_time_s"], places=1
        )

    def test_two_test_prints_become_parts(self) -> None:
        asked = {"recipe_id": self.column["id"]}
        job = self.call("POST", f"/api/machines/{self.machine_id}/test-prints", asked, 202)
        found = self.wait(job)["test_prints"]
        self.assertEqual(len(found["prints"]), 2)
        self.assertLess(found["known_after"], found["known_before"])
        names = [one["name"] for one in found["prints"]]
        added = self.call("POST", f"/api/machines/{self.machine_id}/test-prints/add", {"names": names}, 201)["part_ids"]
        self.assertEqual(self.columns({"id": added[0]})[0]["machine_id"], self.machine_id)
        self.call("POST", f"/api/machines/{self.machine_id}/test-prints/add", {"names": ["Moon"]}, 422)

    def test_two_machines_differ_by_what_is_described(self) -> None:
        other = self.call("POST", "/api/machines", {"name": "Slow crane", "copy_of": self.machine_id}, 201)
        printer = other["printer"] | {"acceleration_mm_s2": {"print": 300, "travel": 600}, "start_time_s": 120}
        self.call("PATCH", f"/api/machines/{other['id']}", {"version": other["version"], "printer": printer})
        body = {
            "recipe_id": self.column["id"],
            "here": {"machine_id": self.machine_id},
            "there": {"machine_id": other["id"]},
        }
        found = self.wait(self.call("POST", "/api/machine-comparisons", body, 202))["machines"]
        shares = {one["name"]: one["time_s"] for one in found["shares"]}
        self.assertGreater(shares["acceleration"], 0)
        self.assertAlmostEqual(shares["start"], 75)
        self.assertAlmostEqual(sum(shares.values()) + found["rest_s"], found["to_s"] - found["from_s"], places=6)
        run = self.log(30)
        body |= {"there": {"run_id": run}}
        self.assertEqual(self.wait(self.call("POST", "/api/machine-comparisons", body, 202))["machines"]["shares"], [])
        self.call("POST", "/api/machine-comparisons", body | {"there": {}}, 422)
        self.call("POST", "/api/machine-comparisons", body | {"there": {"run_id": 10**6}}, 404)
