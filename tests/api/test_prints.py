"""To the machine and back over HTTP: a file written and looked over, sent, started, followed, in the log."""

from __future__ import annotations

import io
import logging
import re
import tempfile
import threading
import time
import uuid
import zipfile
from pathlib import Path
from typing import Any, ClassVar
from unittest import mock

from sqlalchemy import text

from meanbead.core.gcode.placeholders import SIMPLE_END, SIMPLE_START
from meanbead.devices.folder import FolderWay
from meanbead.jobs.work import run_job
from meanbead.services.dispatch import Dispatch
from meanbead.simulators.machine import Faults, MachineServer, SimulatedMachine
from meanbead.simulators.web_store import WebStore
from meanbead.store import archive
from tests.api.test_api import ApiCase
from tests.support.server import app_of, shared_engine

READY = {"nozzle": True, "spool": True, "plate": True}


class Machines(ApiCase):
    folder: ClassVar[tempfile.TemporaryDirectory[str]]
    data: ClassVar[Path]
    card: ClassVar[Path]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.folder = tempfile.TemporaryDirectory()
        cls.data = Path(cls.folder.name) / "data"
        cls.card = Path(cls.folder.name) / "card"
        cls.card.mkdir()

    @classmethod
    def tearDownClass(cls) -> None:
        super().tearDownClass()
        cls.folder.cleanup()

    def setUp(self) -> None:
        for name, value in (("ANSWER_S", 0.5), ("SETTLE_S", 0.02)):
            self.enterContext(mock.patch(f"meanbead.devices.machine_console.{name}", value))
        self.dispatch = Dispatch(self.database, self.data)
        self.addCleanup(self.dispatch.stop)
        type(self).app = app_of(self.database, self.dispatch)
        type(self).client = self.app.test_client()
        with self.database.session.begin() as db:
            db.execute(
                text(
                    "update prints set state = 'left' where state in ('sending','sent','starting','printing','paused')"
                )
            )
        self.part = self.upload()
        self.column = self.columns(self.part)[0]
        self.machine_id = self.column["machine_id"]
        self.with_texts(SIMPLE_START, SIMPLE_END)

    def with_texts(self, start: str, end: str) -> None:
        row = next(one for one in self.call("GET", "/api/shelf")["machines"] if one["id"] == self.machine_id)
        printer = row["printer"] | {"start_gcode": start, "end_gcode": end}
        self.call("PATCH", f"/api/machines/{row['id']}", {"version": row["version"], "printer": printer})

    def sending(self, status: int = 200, **change: Any) -> Any:
        held = self.call("GET", f"/api/machines/{self.machine_id}/sending")
        if not change:
            return held
        return self.call(
            "PUT", f"/api/machines/{self.machine_id}/sending", {"version": held["version"]} | change, status
        )

    def write(self, column: dict[str, Any] | None = None) -> dict[str, Any]:
        """Have a column's file made; what came of the job."""
        column_id = (column or self.column)["id"]
        job = self.call("POST", f"/api/recipes/{column_id}/file", status=202)
        run_job(self.database, shared_engine(), job["id"])
        return self.call("GET", f"/api/jobs/{job['id']}")

    def file(self, column: dict[str, Any] | None = None) -> dict[str, Any]:
        done = self.write(column)
        self.assertEqual(done["state"], "done", done["problem"])
        return self.call("GET", f"/api/recipes/{(column or self.column)['id']}/file")["file"]

    def read_caution(self) -> None:
        self.call("POST", f"/api/machines/{self.machine_id}/first-file")

    def sent(self, status: int = 201, **said: Any) -> Any:
        body = {"key": str(uuid.uuid4()), "file_id": self.file()["id"], **said}
        made = self.call("POST", "/api/prints", body, status)
        self.dispatch.wait()
        return made if status != 201 else self.call("GET", f"/api/prints/{made['id']}")

    def simulated(self, **keys: Any) -> SimulatedMachine:
        """A machine on a console, which the column's machine is reached over."""
        machine = SimulatedMachine(**keys)
        self.server = MachineServer(machine)
        threading.Thread(target=self.server.serve_forever, daemon=True).start()
        self.addCleanup(self.server.server_close)
        self.addCleanup(self.server.shutdown)
        self.sending(
            way={"kind": "console", "address": self.server.address, "allowed": True},
            options={"names": "short", "progress": "message"},
        )
        self.read_caution()
        return machine

    def look(self, print_id: int) -> dict[str, Any]:
        self.dispatch._patience.clear()
        self.dispatch._written.clear()
        self.dispatch.look()
        found: dict[str, Any] = self.call("GET", f"/api/prints/{print_id}")
        return found


class Files(Machines):
    def test_a_column_is_written_and_equals_its_estimate(self) -> None:
        file = self.file()
        self.assertEqual((file["state"], file["ours"]), ("ready", True))
        self.assertEqual([check["name"] for check in file["checks"] if not check["ok"]], [])
        estimate = self.call("POST", f"/api/recipes/{self.column['id']}/estimate")
        self.assertAlmostEqual(file["print_time_s"] / estimate["print_time_s"], 1, delta=0.003)
        self.assertAlmostEqual(file["filament_g"] / estimate["filament_g"], 1, delta=0.001)
        self.assertRegex(file["name"], r"^small-box-04n-\d{3}h-\dh\d\d\.gcode$")
        with self.database.session.begin() as db:
            db.execute(text("update machines set first_file_at = null"))
        problem = self.call("GET", f"/api/files/{file['id']}/content", status=422)
        self.assertEqual(problem["errors"][0]["field"], "first_file")
        self.read_caution()
        answer = self.client.get(f"/api/files/{file['id']}/content")
        self.assertEqual(len(answer.data), file["size_bytes"])
        self.assertIn(b"M109 S210", answer.data)
        self.assertNotIn(b"{", answer.data)

    def test_without_a_start_text_nothing_is_written(self) -> None:
        self.with_texts("", "")
        done = self.write()
        self.assertEqual(done["state"], "failed")
        self.assertIn("no start text", done["problem"])

    def test_a_word_that_stands_for_nothing_is_named(self) -> None:
        self.with_texts(SIMPLE_START + "M117 {nozle_temp}\n", SIMPLE_END)
        self.assertIn("{nozle_temp}", self.write()["problem"])

    def test_a_start_that_never_waits_and_an_end_that_leaves_it_hot_are_refused(self) -> None:
        self.with_texts("G28\nM104 S{nozzle_temp_c}\n", "M140 S0\n")
        file = self.file()
        self.assertEqual(file["state"], "refused")
        self.assertEqual({check["name"] for check in file["checks"] if not check["ok"]}, {"cold", "heaters_off"})
        self.assertEqual(self.client.get(f"/api/files/{file['id']}/content").status_code, 404)
        self.call("POST", "/api/prints", {"key": str(uuid.uuid4()), "file_id": file["id"]}, 422)

    def test_an_edit_makes_it_old(self) -> None:
        file = self.file()
        self.call(
            "PATCH",
            f"/api/recipes/{self.column['id']}",
            {"version": self.columns(self.part)[0]["version"], "choices": {"walls": 4}},
        )
        self.assertIsNone(self.call("GET", f"/api/recipes/{self.column['id']}/file")["file"])
        self.sending(way={"kind": "folder", "folder": str(self.card)})
        self.read_caution()
        problem = self.call("POST", "/api/prints", {"key": str(uuid.uuid4()), "file_id": file["id"]}, 422)
        self.assertIn("changed since", problem["detail"])

    def test_a_file_made_elsewhere_is_told_not_refused(self) -> None:
        gcode = b"G28\nM83\nG1 X10 Y10 F6000\nG1 X90 E4 F3000\nG1 X90 Y300 E8 F90000\n"
        fields = {"file": (io.BytesIO(gcode), "theirs.gcode")}
        column = self.call(
            "POST", f"/api/parts/{self.part['id']}/gcode", status=201, data=fields, content_type="multipart/form-data"
        )
        file = self.file(column)
        self.assertEqual((file["state"], file["ours"]), ("ready", False))
        wrong = {check["name"]: check["line"] for check in file["checks"] if not check["ok"]}
        self.assertEqual(wrong["cold"], 4)
        self.assertEqual(wrong["inside"], 5)
        self.assertEqual(wrong["speed"], 5)
        self.read_caution()
        self.assertEqual(self.client.get(f"/api/files/{file['id']}/content").data, gcode)


class Ways(Machines):
    def test_into_a_folder_and_started_by_hand(self) -> None:
        self.sending(way={"kind": "folder", "folder": str(self.card)})
        self.assertIn("MB are free", self.call("POST", f"/api/machines/{self.machine_id}/way-test")["says"])
        self.read_caution()
        made = self.sent()
        self.assertEqual(made["state"], "sent", made["problem"])
        content = self.client.get(f"/api/files/{made['file_id']}/content").data
        self.assertEqual((self.card / made["file_name"]).read_bytes(), content)
        started = self.call("POST", f"/api/prints/{made['id']}/start", READY)
        self.assertEqual(started["state"], "handed")
        self.assertEqual(self.call("GET", f"/api/runs/{started['run_id']}")["state"], "running")

    def test_its_own_folder_is_no_way(self) -> None:
        self.data.mkdir(exist_ok=True)
        self.sending(way={"kind": "folder", "folder": str(self.data)})
        problem = self.call("POST", f"/api/machines/{self.machine_id}/way-test", status=422)
        self.assertEqual(problem["errors"][0]["field"], "folder")

    def test_the_first_file_asks_to_be_read_once(self) -> None:
        with self.database.session.begin() as db:
            db.execute(text("update machines set first_file_at = null"))
        self.sending(way={"kind": "folder", "folder": str(self.card)})
        problem = self.sent(status=422)
        self.assertEqual(problem["errors"][0]["field"], "first_file")
        self.read_caution()
        self.assertTrue(self.sending()["first_file_read"])
        self.assertEqual(self.sent()["state"], "sent")

    def test_every_question_is_asked_before_a_start(self) -> None:
        self.sending(way={"kind": "folder", "folder": str(self.card)})
        self.read_caution()
        made = self.sent()
        for name in READY:
            problem = self.call("POST", f"/api/prints/{made['id']}/start", READY | {name: False}, 422)
            self.assertEqual(problem["errors"][0]["field"], name)
        self.assertIsNone(self.call("GET", f"/api/prints/{made['id']}")["run_id"])

    def test_a_full_card_is_said_and_can_be_tried_again(self) -> None:
        self.sending(way={"kind": "folder", "folder": str(self.card)})
        self.read_caution()
        with mock.patch("shutil.disk_usage", return_value=mock.Mock(free=10)):
            made = self.sent()
        self.assertEqual(made["state"], "failed")
        self.assertIn("are free there", made["problem"])
        self.assertEqual(self.sent()["state"], "sent")

    def test_two_things_at_once_are_refused_and_one_can_be_given_up(self) -> None:
        self.sending(way={"kind": "folder", "folder": str(self.card)})
        self.read_caution()
        first = self.sent()
        self.assertIn("just now", self.sent(status=422)["detail"])
        self.assertEqual(self.call("POST", f"/api/prints/{first['id']}/leave")["state"], "left")
        self.assertEqual(self.sent()["state"], "sent")

    def test_the_same_key_sends_once(self) -> None:
        self.sending(way={"kind": "folder", "folder": str(self.card)})
        self.read_caution()
        body = {"key": str(uuid.uuid4()), "file_id": self.file()["id"]}
        already = set(self.card.iterdir())
        with mock.patch.object(FolderWay, "send", autospec=True, side_effect=FolderWay.send) as send:
            first = self.call("POST", "/api/prints", body, 201)["id"]
            self.dispatch.wait()
            again = self.call("POST", "/api/prints", body, 201)["id"]
            self.dispatch.wait()
        self.assertEqual(first, again)
        self.assertEqual(send.call_count, 1)
        self.assertEqual(len(set(self.card.iterdir()) - already), 1)
        # Another key is another print: what lies there is said to be under way, and nothing is sent.
        self.assertIn("just now", self.call("POST", "/api/prints", body | {"key": str(uuid.uuid4())}, 422)["detail"])


class Secret(Machines):
    TOKEN = "a-secret-that-nobody-reads-1234"

    def setUp(self) -> None:
        super().setUp()
        self.store = WebStore(self.TOKEN)
        self.store.run()
        self.addCleanup(self.store.server_close)
        self.addCleanup(self.store.shutdown)
        way = {"kind": "web", "url": self.store.url, "allowed": True, "certificate": self.store.certificate}
        self.sending(way=way, token=self.TOKEN)
        self.read_caution()

    def test_it_is_used_and_never_told_again(self) -> None:
        self.assertEqual(self.sent()["state"], "sent")
        self.assertEqual(len(self.store.files), 1)
        for address in (f"/api/machines/{self.machine_id}/sending", "/api/shelf", "/api/prints"):
            self.assertNotIn(self.TOKEN, self.client.get(address).text)
        self.assertTrue(self.sending()["has_token"])

    def test_it_lies_nowhere_in_the_clear(self) -> None:
        with self.database.session.begin() as db:
            sealed = bytes(db.execute(text("select sealed from device_tokens")).scalar_one())
        self.assertNotIn(self.TOKEN.encode(), sealed)
        path = Path(self.folder.name) / "workshop.zip"
        archive.write(self.database.url, path)
        with zipfile.ZipFile(path) as opened:
            self.assertFalse([name for name in opened.namelist() if "device_tokens" in name or "print" in name])
            for name in opened.namelist():
                content = opened.read(name)
                self.assertNotIn(self.TOKEN.encode(), content)
                self.assertNotIn(sealed, content)
        key = self.data / "secrets" / "device.key"
        self.assertEqual(key.stat().st_mode & 0o777, 0o600)

    def test_no_log_has_it_and_no_answer_of_a_failure(self) -> None:
        self.store.token = "another"
        with self.assertLogs(level=logging.DEBUG) as logs:
            logging.getLogger("test").debug("something is logged")
            made = self.sent()
        self.assertEqual(made["state"], "failed")
        self.assertIn("refuses the token", made["problem"])
        self.assertNotIn(self.TOKEN, "\n".join(logs.output) + str(made))

    def test_it_goes_to_the_place_that_it_was_given_for_only(self) -> None:
        other = WebStore(self.TOKEN)
        other.run()
        self.addCleanup(other.server_close)
        self.addCleanup(other.shutdown)
        self.sending(way={"kind": "web", "url": other.url, "allowed": True, "certificate": other.certificate})
        problem = self.call("POST", f"/api/machines/{self.machine_id}/way-test", status=422)
        self.assertEqual(problem["errors"][0]["field"], "token")
        self.assertEqual(other.asked, [])

    def test_an_address_that_was_not_allowed_is_not_asked(self) -> None:
        for url in (
            self.store.url,
            "http://169.254.169.254/latest/meta-data/",
            "https://2130706433:1/",
            "http://[::1]:5432/",
        ):
            self.sending(way={"kind": "web", "url": url}, token="")
            problem = self.call("POST", f"/api/machines/{self.machine_id}/way-test", status=422)
            self.assertEqual(problem["errors"][0]["field"], "url", url)
        self.assertEqual(self.store.asked, [])


class Console(Machines):
    def begun(self, **keys: Any) -> tuple[SimulatedMachine, dict[str, Any]]:
        machine = self.simulated(**keys)
        made = self.sent()
        self.assertEqual(made["state"], "sent", made["problem"])
        self.assertRegex(made["file_name"], r"^[A-Z0-9]{1,8}\.GCO$")
        started = self.call("POST", f"/api/prints/{made['id']}/start", READY)
        self.assertEqual((started["state"], machine.starts), ("printing", 1))
        return machine, started

    def test_from_the_start_into_the_log(self) -> None:
        slower = {"ramps": 1.15, "corners": 1.15, "at_set_speed": 1.08, "travelling": 1.1}
        machine, started = self.begun(slower=slower)
        run = self.call("GET", f"/api/runs/{started['run_id']}")
        self.assertTrue(self.look(started["id"])["heating"])
        planned = run["predicted_s"]
        machine.pass_s(62)
        spans = []
        for _ in range(14):
            seen = self.look(started["id"])
            if seen["progress"]:
                spans.append((seen["progress"]["share"], seen["progress"]["high_s"] - seen["progress"]["low_s"]))
            machine.pass_s(planned / 14)
        self.assertEqual(seen["progress"]["by"], "both")
        self.assertGreater(seen["progress"]["ratio"], 1.03)
        self.assertLess(spans[-1][1], 0.5 * spans[2][1])  # the interval has narrowed
        self.assertEqual(seen["nozzle_target_c"], 210)
        board = next(one for one in self.call("GET", "/api/day")["machines"] if one["id"] == self.machine_id)
        self.assertEqual((board["running"]["live"], board["running"]["run_id"]), ("printing", run["id"]))
        machine.pass_s(planned)
        done = self.look(started["id"])
        self.assertEqual(done["state"], "done")
        entry = self.call("GET", f"/api/runs/{run['id']}")
        real = sum(slower.get(cause[:-2], 1.0) * seconds for cause, seconds in entry["prediction"]["by_cause"].items())
        self.assertEqual((entry["entry"]["time_means"], entry["entry"]["nozzle_temp_c"]), ("printing", 210))
        self.assertAlmostEqual(entry["real_s"] / real, 1, delta=0.02)
        self.assertEqual(entry["state"], "running")  # looks and weight are a person's to add
        board = next(one for one in self.call("GET", "/api/day")["machines"] if one["id"] == self.machine_id)
        self.assertTrue(board["running"]["over"])

    def test_started_twice_at_once_it_starts_once(self) -> None:
        machine = self.simulated()
        made = self.sent()
        threads = [
            threading.Thread(target=lambda: self.app.test_client().post(f"/api/prints/{made['id']}/start", json=READY))
            for _ in range(4)
        ]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(machine.starts, 1)
        with self.database.session.begin() as db:
            runs = db.execute(
                text("select count(*) from runs where key = (select key from prints where id = :id)"),
                {"id": made["id"]},
            )
            self.assertEqual(runs.scalar_one(), 1)

    def test_a_line_that_dies_after_the_word_to_start(self) -> None:
        machine = self.simulated()
        made = self.sent()
        begin = machine.begin

        def and_die(name: str) -> None:
            begin(name)
            self.server.drop()

        with mock.patch.object(machine, "begin", and_die):
            started = self.call("POST", f"/api/prints/{made['id']}/start", READY)
        self.assertEqual(started["state"], "starting")
        self.call("POST", f"/api/prints/{made['id']}/start", READY)  # pressed again
        self.assertEqual(self.look(made["id"])["state"], "printing")
        self.assertEqual(machine.starts, 1)

    def test_a_line_that_dies_before_it_starts_nothing(self) -> None:
        machine = self.simulated()
        made = self.sent()

        def die(name: str) -> None:
            self.server.drop()
            raise KeyError

        with mock.patch.object(machine, "begin", die):
            started = self.call("POST", f"/api/prints/{made['id']}/start", READY)
        back = self.look(made["id"])
        self.assertEqual((back["state"], back["run_id"], machine.starts), ("sent", None, 0))
        self.assertTrue(self.call("GET", f"/api/runs/{started['run_id']}")["removed"])
        self.call("POST", f"/api/prints/{made['id']}/start", READY)
        self.assertEqual(machine.starts, 1)

    def test_a_lost_line_is_said_and_taken_up_again(self) -> None:
        machine, started = self.begun()
        machine.pass_s(100)
        before = self.look(started["id"])
        machine.faults.refusing = True
        self.server.drop()
        lost = self.look(started["id"])
        self.assertEqual(lost["state"], "printing")
        self.assertIsNotNone(lost["lost_at"])
        self.assertIn("goes on by itself", lost["problem"])
        machine.faults = Faults()
        machine.pass_s(60)
        back = self.look(started["id"])
        self.assertEqual((back["lost_at"], back["problem"]), (None, ""))
        self.assertGreater(back["progress"]["planned_s"], before["progress"]["planned_s"])

    def test_it_may_end_while_nobody_listens(self) -> None:
        machine, started = self.begun()
        machine.pass_s(100)
        self.look(started["id"])
        machine.faults.refusing = True
        self.server.drop()
        self.look(started["id"])
        machine.pass_s(100_000)
        machine.faults = Faults()
        self.assertEqual(self.look(started["id"])["state"], "done")

    def test_a_restart_in_the_middle_is_unknown_not_done(self) -> None:
        machine, started = self.begun()
        machine.pass_s(100)
        self.look(started["id"])
        self.server.drop()
        machine.restart()
        seen = self.look(started["id"])
        self.assertEqual(seen["state"], "unknown")
        self.assertIn("restarted in the middle", seen["problem"])
        run = self.call("GET", f"/api/runs/{started['run_id']}")
        self.assertEqual((run["state"], run["real_s"]), ("running", None))

    def test_pause_and_emergency_stop(self) -> None:
        machine, started = self.begun()
        machine.pass_s(100)
        self.look(started["id"])
        self.assertEqual(self.call("POST", f"/api/prints/{started['id']}/pause")["state"], "paused")
        machine.pass_s(50)
        self.assertEqual(self.look(started["id"])["state"], "paused")
        self.assertEqual(self.call("POST", f"/api/prints/{started['id']}/resume")["state"], "printing")
        self.call("POST", f"/api/machines/{self.machine_id}/stop")
        for _ in range(100):
            if machine.stopped:
                break
            time.sleep(0.02)
        self.assertTrue(machine.stopped)
        self.assertEqual(self.call("GET", f"/api/prints/{started['id']}")["state"], "stopped")

    def test_a_server_that_ends_while_sending_says_so(self) -> None:
        self.simulated()
        made = self.sent()
        with self.database.session.begin() as db:
            db.execute(text("update prints set state = 'sending' where id = :id"), {"id": made["id"]})
        fresh = Dispatch(self.database, self.data)
        fresh.start_following()
        fresh.stop()
        again = self.call("GET", f"/api/prints/{made['id']}")
        self.assertEqual(again["state"], "failed")
        self.assertIn("Send it again", again["problem"])


class FromTheQueue(Machines):
    def test_a_plate_of_the_queue_is_sent_and_its_run_is_the_queues(self) -> None:
        self.sending(way={"kind": "folder", "folder": str(self.card)})
        self.read_caution()
        asked = {"key": str(uuid.uuid4()), "part_id": self.part["id"], "recipe_id": self.column["id"], "quantity": 2}
        item = self.call("POST", "/api/queue", asked, 201)
        made = self.sent(queue_id=item["id"], plate=2)
        started = self.call("POST", f"/api/prints/{made['id']}/start", READY)
        with self.database.session.begin() as db:
            told = db.execute(
                text("select queue_id, queue_plate from runs where id = :id"), {"id": started["run_id"]}
            ).one()
        self.assertEqual(tuple(told), (item["id"], 2))
        self.call("POST", f"/api/prints/{made['id']}/leave")
        many = {
            "key": str(uuid.uuid4()),
            "part_id": self.part["id"],
            "recipe_id": self.column["id"],
            "quantity": 4,
            "per_plate": 2,
        }
        queued = self.call("POST", "/api/queue", many, 201)
        problem = self.sent(status=422, queue_id=queued["id"], plate=1)
        self.assertIn("2 at once", problem["detail"])
        problem = self.sent(status=422, queue_id=item["id"], plate=9)
        self.assertEqual(problem["errors"][0]["field"], "plate")
        other = self.columns(self.part)[1]
        row = self.call(
            "PATCH", f"/api/recipes/{other['id']}", {"version": other["version"], "machine_id": self.machine_id}
        )
        problem = self.call(
            "POST",
            "/api/prints",
            {"key": str(uuid.uuid4()), "file_id": self.file(row)["id"], "queue_id": item["id"], "plate": 1},
            422,
        )
        self.assertEqual(problem["errors"][0]["field"], "queue_id")


class Plates(Machines):
    def test_parts_stay_where_they_were_put(self) -> None:
        plate = self.call(
            "POST",
            "/api/plates",
            {"name": "Two", "recipe_id": self.column["id"], "counts": {str(self.part["id"]): 2}},
            201,
        )
        items = [item | {"x_mm": x, "y_mm": -40.0} for item, x in zip(plate["placed"], (-60.0, -20.0), strict=True)]
        plate = self.call("PATCH", f"/api/plates/{plate['id']}", {"version": plate["version"], "items": items})
        self.call("POST", "/api/queue", {"key": str(uuid.uuid4()), "plate_id": plate["id"], "quantity": 1}, 201)
        part_id = self.call("GET", f"/api/plates/{plate['id']}")["part_id"]
        column = self.columns({"id": part_id})[0]
        file = self.file(column)
        self.assertEqual(file["state"], "ready", file["checks"])
        self.read_caution()
        places = [
            (float(x), float(y))
            for x, y in re.findall(
                rb"^G1 X([\d.]+) Y([\d.]+) E", self.client.get(f"/api/files/{file['id']}/content").data, re.MULTILINE
            )
        ]
        # The bed's middle is at 110: two boxes of 20 mm about 50 and 90 in x, 70 in y; with their skirt.
        self.assertAlmostEqual((min(x for x, _ in places) + max(x for x, _ in places)) / 2, 70, delta=1.5)
        self.assertAlmostEqual((min(y for _, y in places) + max(y for _, y in places)) / 2, 70, delta=1.5)

    def test_copies_one_after_the_other_need_room_for_the_head(self) -> None:
        choices = {"copies": {"count": 2, "order": "one_by_one", "gap_mm": 5}}
        column = self.call(
            "PATCH", f"/api/recipes/{self.column['id']}", {"version": self.column["version"], "choices": choices}
        )
        self.assertIn("the head reaches", self.write(column)["problem"])
        choices["copies"]["gap_mm"] = 45
        column = self.call("PATCH", f"/api/recipes/{column['id']}", {"version": column["version"], "choices": choices})
        self.assertEqual(self.file(column)["state"], "ready")


class Comments(Machines):
    def test_matched_once_every_replayed_column_follows(self) -> None:
        gcode = b"; rings = 6\n; cell = 25 %\nG28\nM109 S210\nM83\nG1 X10 Y10 F6000\nG1 X90 E4 F1500\n"
        columns = []
        for name in ("one.gcode", "two.gcode"):
            fields = {"file": (io.BytesIO(gcode), name)}
            columns.append(
                self.call(
                    "POST",
                    f"/api/parts/{self.part['id']}/gcode",
                    status=201,
                    data=fields,
                    content_type="multipart/form-data",
                )
            )
        told = self.call("GET", f"/api/recipes/{columns[0]['id']}/comments")
        self.assertEqual({one["name"]: one["value"] for one in told["names"]}, {"rings": "6", "cell": "25 %"})
        matches = [{"name": "rings", "key": "walls"}, {"name": "cell", "key": "infill.density", "factor": 0.01}]
        body = {"version": told["house_version"], "rules": {"matches": matches}}
        self.assertEqual(self.call("PUT", "/api/comment-rules", body)["changed"], 2)
        self.call("PUT", "/api/comment-rules", body, 409)
        shown = {one["id"]: one["choices"] for one in self.columns(self.part)}
        for column in columns:
            held = shown[column["id"]]
            self.assertEqual((held["walls"], held["infill"]["density"], held["top_layers"]), (6, 0.25, None))
        fields = {"file": (io.BytesIO(gcode), "three.gcode")}
        third = self.call(
            "POST", f"/api/parts/{self.part['id']}/gcode", status=201, data=fields, content_type="multipart/form-data"
        )
        self.assertEqual(third["choices"]["walls"], 6)
        job = self.call("POST", "/api/waterfalls", {"from_id": third["id"], "to_id": self.column["id"]}, 202)
        run_job(self.database, shared_engine(), job["id"])
        found = self.call("GET", f"/api/jobs/{job['id']}")["waterfall"]
        self.assertAlmostEqual(found["from_s"], third["estimate"]["print_time_s"], places=6)
        self.assertIn("Laid by another program, not as here", [step["label"] for step in found["steps"]])
        self.call("GET", f"/api/recipes/{self.column['id']}/comments", status=422)


class Lost(Machines):
    def test_a_restore_takes_files_prints_and_tokens_with_it(self) -> None:
        self.sending(way={"kind": "folder", "folder": str(self.card)}, token="a-token")
        self.read_caution()
        made = self.sent()
        path = Path(self.folder.name) / "before.zip"
        archive.write(self.database.url, path)
        archive.restore(self.database.url, path)
        for table in ("device_tokens", "print_files", "print_pieces", "prints"):
            with self.database.session.begin() as db:
                self.assertEqual(db.execute(text(f"select count(*) from {table}")).scalar_one(), 0, table)
        self.call("GET", f"/api/prints/{made['id']}", status=404)
        self.assertFalse(self.sending()["has_token"])

    def test_a_slow_console_is_waited_for(self) -> None:
        machine = self.simulated()
        machine.faults.slow_s = 0.002
        self.assertEqual(self.sent()["state"], "sent")

    def test_a_console_that_dies_while_it_is_sent_to(self) -> None:
        machine = self.simulated()
        machine.faults.dies_after_lines = 200
        made = self.sent()
        self.assertEqual(made["state"], "failed")
        self.assertIn("does not answer", made["problem"])
        machine.faults = Faults()
        again = self.sent()
        self.assertEqual((again["state"], machine.starts), ("sent", 0))
        self.assertEqual(len(machine.card), 1)


del ApiCase
