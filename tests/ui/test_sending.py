"""From a column to the machine and back, as people meet it: write, send, start, watch, stop; a console that dies and returns."""

from __future__ import annotations

import re
import threading
import time
from typing import Any

import trimesh
from playwright.sync_api import Page, expect

from meanbead.core.gcode.placeholders import SIMPLE_END, SIMPLE_START
from meanbead.simulators.machine import Faults, MachineServer, SimulatedMachine
from tests.running.effort import only_long
from tests.ui.test_log import LogCase


class SendingCase(LogCase):
    def setUp(self) -> None:
        super().setUp()
        shelf = self.api("GET", "/api/shelf")
        like = shelf["machines"][0]
        # A machine of the test's own, with nothing else on it.
        self.machine = self.api("POST", "/api/machines", {"name": "Siskin", "copy_of": like["id"]})
        self.part = self.add_part(trimesh.creation.box((16, 14, 4)), "sent-box.stl")
        column = self.api("GET", f"/api/parts/{self.part}/recipes")["recipes"][0]
        self.column = self.api(
            "PATCH", f"/api/recipes/{column['id']}", {"version": column["version"], "machine_id": self.machine["id"]}
        )

    def with_texts(self) -> None:
        row = next(one for one in self.api("GET", "/api/shelf")["machines"] if one["id"] == self.machine["id"])
        printer = row["printer"] | {"start_gcode": SIMPLE_START, "end_gcode": SIMPLE_END}
        self.api("PATCH", f"/api/machines/{row['id']}", {"version": row["version"], "printer": printer})

    def simulated(self, **keys: Any) -> SimulatedMachine:
        """The machine's console, set as its way, with its caution still unread."""
        self.with_texts()
        simulated = SimulatedMachine(**keys)
        self.server = MachineServer(simulated)
        threading.Thread(target=self.server.serve_forever, daemon=True).start()
        self.addCleanup(self.server.server_close)
        self.addCleanup(self.server.shutdown)
        self.addCleanup(self.server.drop)
        held = self.api("GET", f"/api/machines/{self.machine['id']}/sending")
        way = {"kind": "console", "address": self.server.address, "allowed": True}
        body = {"version": held["version"], "way": way, "options": {"names": "short"}}
        self.api("PUT", f"/api/machines/{self.machine['id']}/sending", body)
        return simulated

    def sent(self) -> Page:
        """Up to the questions before the start."""
        page = self.open(f"/parts/{self.part}/send?column={self.column['id']}")
        page.get_by_role("button", name="Write it and look it over").click()
        expect(page.get_by_text("first read what stands beside")).to_be_visible()
        page.get_by_role("button", name="I have read this, and will be there").click()
        expect(page.get_by_role("link", name="Take it by hand")).to_be_visible()
        page.get_by_role("button", name="Send it", exact=True).click()
        expect(page.get_by_role("group", name=re.compile("lies on Siskin"))).to_be_visible()
        return page

    def started(self) -> Page:
        page = self.sent()
        for box in page.get_by_role("checkbox").all():
            box.check()
        page.get_by_role("button", name="Start it", exact=True).click()
        expect(page.get_by_role("heading", name=re.compile("^Siskin: (starting|heating|printing)"))).to_be_visible()
        return page


class ToTheMachine(SendingCase):
    def test_written_sent_started_watched_and_in_the_log(self) -> None:
        machine = self.simulated(slower={"ramps": 1.3, "corners": 1.3})
        page = self.sent()
        self.assertEqual(self.axe(), [])
        expect(page.get_by_role("list", name="What was looked at")).to_contain_text("Never feeds cold")
        start = page.get_by_role("button", name="Start it", exact=True)
        for box in page.get_by_role("checkbox").all():
            expect(start).to_be_disabled()
            box.check()
        start.click()
        expect(page.get_by_role("heading", name=re.compile("^Siskin: heating"))).to_be_visible()
        self.assertEqual(machine.starts, 1)
        machine.pass_s(250)
        expect(page.get_by_role("heading", name=re.compile(r"^Siskin: \d+ % done"))).to_be_visible()
        expect(page.get_by_text("Against the plan")).to_be_visible()
        expect(page.get_by_role("img", name=re.compile("done after"))).to_be_visible()
        self.assertEqual(self.axe(), [])
        page.reload()
        expect(page.get_by_role("heading", name=re.compile(r"^Siskin: \d+ % done"))).to_be_visible()
        machine.pass_s(100_000)
        expect(page.get_by_role("heading", name=re.compile("^Siskin: done in"))).to_be_visible()
        page.get_by_role("link", name=re.compile("Its entry in the log")).click()
        expect(page.get_by_role("row", name=re.compile("Printing"))).to_contain_text(re.compile(r"\+\d+ (s|min)"))
        expect(page.get_by_role("link", name="Enter what happened")).to_be_visible()

    @only_long
    def test_a_console_that_dies_and_returns(self) -> None:
        machine = self.simulated()
        page = self.started()
        machine.pass_s(150)
        expect(page.get_by_role("heading", name=re.compile(r"^Siskin: \d+ % done"))).to_be_visible()
        machine.faults.refusing = True
        self.server.drop()
        alert = page.get_by_role("alert")
        expect(alert).to_contain_text("No word from the machine since")
        expect(alert).to_contain_text("goes on by itself")
        machine.faults = Faults()
        machine.pass_s(40)
        expect(alert).to_have_count(0)
        expect(page.get_by_role("heading", name=re.compile(r"^Siskin: \d+ % done"))).to_be_visible()
        self.assertEqual(machine.starts, 1)

    def test_the_stop_asks_nothing_and_pauses_can_be_ended(self) -> None:
        machine = self.simulated()
        page = self.started()
        machine.pass_s(150)
        expect(page.get_by_role("heading", name=re.compile("% done"))).to_be_visible()
        page.get_by_role("button", name="Pause").click()
        expect(page.get_by_role("heading", name="Siskin: paused")).to_be_visible()
        page.get_by_role("button", name="Go on").click()
        expect(page.get_by_role("button", name="Pause")).to_be_enabled()
        page.get_by_role("button", name="Stop at once").press("Enter")
        expect(page.get_by_role("heading", name="Siskin: stopped at once")).to_be_visible()
        self.assertEqual(page.get_by_role("dialog").count(), 0)
        self.eventually(lambda: machine.stopped, lambda: "the machine was not told to stop")

    def test_a_phone_on_the_wall_follows_and_stops(self) -> None:
        machine = self.simulated()
        self.started()
        machine.pass_s(150)
        self.page.set_viewport_size({"width": 390, "height": 844})
        page = self.open("/day/now")
        shown = page.get_by_role("region", name="Sent box on Siskin")
        expect(shown).to_contain_text("% done")
        self.assertEqual(page.evaluate("document.documentElement.scrollWidth"), 390)
        self.assertEqual(self.axe(), [])
        shown.get_by_role("button", name="Stop at once").click()
        expect(page.get_by_role("button", name="Came out well").first).to_be_visible()

    @only_long
    def test_a_restarted_machine_is_said_to_be_unknown(self) -> None:
        machine = self.simulated()
        page = self.started()
        machine.pass_s(150)
        expect(page.get_by_role("heading", name=re.compile("% done"))).to_be_visible()
        self.server.drop()
        machine.restart()
        expect(page.get_by_role("heading", name="Siskin: ended, nobody knows how")).to_be_visible()
        expect(page.get_by_role("alert")).to_contain_text("restarted in the middle")

    def test_what_is_wrong_is_told_before_anything_is_sent(self) -> None:
        page = self.open(f"/parts/{self.part}/send?column={self.column['id']}")
        expect(page.get_by_text("has no start and end text of its own yet")).to_be_visible()
        expect(page.get_by_role("button", name="Write it and look it over")).to_be_disabled()
        expect(page.get_by_role("button", name="Send it", exact=True)).to_be_disabled()
        note = page.get_by_role("note", name="Before the first file")
        expect(note).to_contain_text("hand at the switch")
        expect(note).to_contain_text("instructions and your local rules")
        page.get_by_role("link", name="Give it one").click()
        page.get_by_role("button", name=re.compile("^Begin with a simple one")).click()
        expect(page.get_by_role("textbox", name="Start text")).to_have_value(SIMPLE_START)
        expect(page.get_by_text("beside heating").first).to_be_visible()
        # A text that never waits for heat makes a file that is refused.
        page.get_by_role("textbox", name="Start text").fill("G28\nM104 S{nozzle_temp_c}\n")
        with page.expect_response(lambda answer: answer.request.method == "PATCH" and "/api/machines/" in answer.url):
            page.get_by_role("textbox", name="End text").focus()
        page.goto(f"{self.address}/parts/{self.part}/send?column={self.column['id']}")
        page.get_by_role("button", name="Write it and look it over").click()
        expect(page.get_by_role("alert").filter(has_text="Refused")).to_be_visible()
        expect(page.get_by_role("list", name="What was looked at")).to_contain_text(
            "Not as it should be: Never feeds cold"
        )
        self.expected_errors = ()


class TheWay(SendingCase):
    def test_set_by_keyboard_kept_tried_and_a_token_never_shown(self) -> None:
        page = self.open(f"/shelf/machines/{self.machine['id']}/sending")
        self.expected_errors = ("422",)
        page.get_by_role("radio", name=re.compile("A store over HTTP")).check()
        page.get_by_label("Address", exact=True).fill("https://169.254.169.254/files/")
        page.get_by_label(re.compile("^Token")).fill("never-seen-again")
        page.keyboard.press("Enter")
        expect(page.get_by_text("one is kept, sealed")).to_be_visible()
        self.assertNotIn("never-seen-again", page.content())
        page.get_by_role("button", name="Try it").click()
        expect(page.get_by_text("no device of a workshop is at such an address")).to_be_visible()
        page.get_by_label("Address", exact=True).fill("https://127.0.0.1:9/files/")
        page.get_by_role("button", name="Keep it").click()
        page.get_by_role("button", name="Try it").click()
        expect(page.get_by_text("given for another address")).to_be_visible()
        page.get_by_role("button", name="Forget the token").click()
        expect(page.get_by_text("where the store wants one")).to_be_visible()
        page.get_by_role("button", name="Try it").click()
        expect(page.get_by_text("the owner allows it by hand")).to_be_visible()
        self.assertEqual(self.axe(), [])
        page.reload()
        expect(page.get_by_label("Address", exact=True)).to_have_value("https://127.0.0.1:9/files/")

    @only_long
    def test_schools_of_writing_say_why(self) -> None:
        page = self.open(f"/shelf/machines/{self.machine['id']}/sending")
        page.get_by_label("Curves").select_option(label="as arcs")
        expect(page.get_by_text("never more than a hundredth of a line from the plan")).to_be_visible()
        page.get_by_text("Words that may stand in braces").click()
        expect(page.get_by_role("row", name=re.compile("first_layer_left_mm"))).to_be_visible()
        page.reload()
        expect(page.get_by_label("Curves")).to_have_value("arcs")


class FilesMadeElsewhere(SendingCase):
    def test_comments_are_matched_once_and_stand_in_the_sheet(self) -> None:
        gcode = b"; rings = 5\n; stuffing = 30\nG28\nM109 S210\nM83\nG1 X10 Y10 Z0.2 F6000\nG1 X90 E4 F1500\nG1 Y90 E4\nM104 S0\n"
        form = {"file": {"name": "theirs.gcode", "mimeType": "text/plain", "buffer": gcode}}
        answer = self.page.request.post(f"{self.address}/api/parts/{self.part}/gcode", multipart=form)  # type: ignore[arg-type]
        column = answer.json()
        page = self.open(f"/recipes/{column['id']}/comments")
        page.get_by_label("What rings is here").select_option(label="Shell: Walls")
        page.get_by_label("What stuffing is here").select_option(label="Infill: Infill")
        self.assertEqual(self.axe(), [])
        page.get_by_role("button", name="Keep it").click()
        expect(page.get_by_text("one column shows more now")).to_be_visible()
        page.get_by_role("link", name=re.compile("^The bench")).click()
        expect(page.get_by_role("note", name="Walls, theirs: 5")).to_be_visible()
        expect(page.get_by_role("note", name="Infill, theirs: 30")).to_be_visible()
        page = self.open(f"/parts/{self.part}/send?column={column['id']}")
        page.get_by_role("button", name="Look the file over").click()
        expect(page.get_by_role("list", name="What was looked at")).to_be_visible()
        expect(page.get_by_text("made elsewhere")).to_have_count(0)
        house = self.api("GET", f"/api/recipes/{column['id']}/comments")
        self.api("PUT", "/api/comment-rules", {"version": house["house_version"], "rules": {}})


del LogCase
