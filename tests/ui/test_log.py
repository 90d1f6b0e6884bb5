"""The log as people use it: from the bench to an entry on a phone, from a fault to its cure, a table in, labels out."""

from __future__ import annotations

import io
import re
import time
from datetime import datetime, timedelta
from typing import Any

import trimesh
from PIL import Image
from playwright.sync_api import APIResponse, Page, Route, expect

from tests.running.effort import only_long
from tests.ui.browser import UiCase


class LogCase(UiCase):
    def api(self, method: str, path: str, body: Any = None) -> Any:
        answer = self.page.request.fetch(f"{self.address}{path}", method=method, data=body)
        self.assertLess(answer.status, 300, answer.text())
        return answer.json()

    def start_run(self, part_id: int, choices: dict[str, Any] | None = None, **said: Any) -> dict[str, Any]:
        """A run of a part's first column, through the API."""
        column = self.api("GET", f"/api/parts/{part_id}/recipes")["recipes"][0]
        if choices is not None:
            column = self.api(
                "PATCH", f"/api/recipes/{column['id']}", {"version": column["version"], "choices": choices}
            )
        key = f"ui-{time.time_ns()}"
        run: dict[str, Any] = self.api("POST", f"/api/recipes/{column['id']}/runs", {"key": key, **said})
        return run

    def add_part_named(self, name: str) -> int:
        return self.add_part(trimesh.creation.box((20, 20, 6)), name)

    def enter(self, run: dict[str, Any], **entry: Any) -> dict[str, Any]:
        told: dict[str, Any] = self.api("PATCH", f"/api/runs/{run['id']}", {"version": run["version"], "entry": entry})
        return told


class FromTheBench(LogCase):
    def test_a_recipe_becomes_a_run_and_its_part_shows_it(self) -> None:
        page = self.new_part("logged-block.stl")
        page.get_by_role("button", name="Print it").click()
        dialog = page.get_by_role("dialog", name=re.compile("^Print "))
        expect(dialog).to_contain_text("fire risk")
        dialog.get_by_label("Plates, one after the other").fill("2")
        dialog.get_by_role("button", name="Start the run").click()
        expect(page.get_by_role("heading", name=re.compile("Logged block"))).to_be_visible()
        expect(page.get_by_text("2 plates")).to_be_visible()
        expect(page.get_by_role("link", name="Enter what happened")).to_be_visible()
        self.assertEqual(self.axe(), [])
        page.get_by_role("link", name="Logged block").click()
        expect(page.get_by_role("link", name=re.compile("^Everyday"))).to_be_visible()
        page.get_by_role("button", name="Undo", exact=True).click()
        expect(page.get_by_text("It was not printed yet")).to_be_visible()
        page.get_by_role("button", name="Redo", exact=True).click()
        expect(page.get_by_role("link", name=re.compile("^Everyday"))).to_be_visible()

    def test_the_list_follows_its_filters_and_keeps_them(self) -> None:
        self.enter(
            self.start_run(self.add_part_named("filtered.stl")),
            state="scrapped",
            faults=["ripple"],
            note="rang like a bell",
        )
        page = self.open("/log")
        expect(page.get_by_role("link", name="Filtered")).to_be_visible()
        page.get_by_label("Words").fill("like a bell")
        expect(page.get_by_text(re.compile(r"^1 run, "))).to_be_visible()
        page.get_by_label("Fault", exact=True).select_option("strings")
        expect(page.get_by_text("No run is like that.")).to_be_visible()
        page.reload()
        expect(page.get_by_label("Fault", exact=True)).to_have_value("strings")


class AtTheMachine(LogCase):
    """On a phone, with one hand, and a connection that comes and goes."""

    size = (390, 844)
    expected_errors = ("ERR_INTERNET_DISCONNECTED", "Failed to fetch", "ERR_FAILED", "409")

    def opened(self, name: str) -> tuple[Page, dict[str, Any]]:
        run = self.start_run(self.add_part_named(name))
        page = self.open(f"/run/{run['id']}")
        expect(page.get_by_role("button", name="Store it")).to_be_visible()
        return page, run

    def stored(self, run: dict[str, Any]) -> dict[str, Any]:
        found: dict[str, Any] = self.api("GET", f"/api/runs/{run['id']}")
        return found

    def test_it_is_small_and_fits(self) -> None:
        run = self.start_run(self.add_part_named("light.stl"))
        received: dict[str, int] = {}
        self.without_cache()
        cdp = self.page.context.new_cdp_session(self.page)
        self.addCleanup(cdp.detach)
        cdp.send("Network.enable")
        cdp.on(
            "Network.loadingFinished", lambda event: received.update({event["requestId"]: event["encodedDataLength"]})
        )
        page = self.open(f"/run/{run['id']}")
        expect(page.get_by_role("button", name="Store it")).to_be_visible()
        page.wait_for_load_state("networkidle")
        self.assertGreater(len(received), 5)
        self.assertLess(sum(received.values()), 100_000)
        wide = page.evaluate("document.documentElement.scrollWidth")
        self.assertLessEqual(wide, 390)
        self.assertEqual(self.axe(), [])

    def test_an_entry_survives_a_lost_connection_and_a_reload(self) -> None:
        page, run = self.opened("offline.stl")
        page.get_by_role("button", name="Kept").click()
        page.get_by_label("Hours").fill("1")
        page.get_by_label("Minutes").fill("5")
        page.get_by_role("button", name="With heating").click()
        page.get_by_label(re.compile(r"^Weight")).fill("12,5")
        page.get_by_role("button", name="4", exact=True).click()
        page.reload()  # what was typed is still there
        expect(page.get_by_label("Minutes")).to_have_value("5")
        page.context.set_offline(True)
        page.get_by_role("button", name="Store it").click()
        expect(page.get_by_text("it is kept in this phone")).to_be_visible()
        self.assertEqual(self.stored(run)["state"], "running")
        page.context.set_offline(False)
        expect(page.get_by_text("Stored.")).to_be_visible()
        now = self.stored(run)
        self.assertEqual((now["state"], now["weight_g"], now["looks"], now["entry"]["time_s"]), ("kept", 12.5, 4, 3900))
        self.assertEqual(now["panel"], "with_heating")
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_text("Stored.")).to_be_visible()
        self.eventually(lambda: self.stored(run)["state"] == "running", lambda: f"not undone: {self.stored(run)}")

    def test_an_answer_that_gets_lost_stores_nothing_twice_and_somebody_elses_entry_is_told(self) -> None:
        page, run = self.opened("twice.stl")
        spoilt: list[APIResponse] = []

        def lose(route: Route) -> None:
            if route.request.method == "PATCH" and not spoilt:
                spoilt.append(route.fetch())  # it arrives, and its answer does not
                route.abort()
            else:
                route.continue_()

        page.route("**/api/runs/*", lose)
        page.get_by_role("button", name="Scrapped").click()
        page.get_by_role("button", name="Store it").click()
        # The server has it already: sent again it is stale, but what is stored is what was sent.
        expect(page.get_by_text("Stored.")).to_be_visible()
        self.assertEqual(self.stored(run)["state"], "scrapped")

        self.enter(self.stored(run), state="kept", looks=5)
        page.get_by_role("button", name="2", exact=True).click()
        page.get_by_role("button", name="Store it").click()
        expect(page.get_by_text("Somebody else has entered this run meanwhile. It now says kept.")).to_be_visible()
        page.get_by_role("button", name="Store mine").click()
        expect(page.get_by_text("Stored.")).to_be_visible()
        now = self.stored(run)
        self.assertEqual((now["state"], now["looks"]), ("scrapped", 2))

    def test_a_photo_taken_without_a_connection_waits_in_the_phone(self) -> None:
        page, run = self.opened("photo.stl")
        picture = io.BytesIO()
        Image.new("RGB", (300, 200), "orange").save(picture, "JPEG")
        page.context.set_offline(True)
        page.get_by_label("Take a photo").set_input_files(
            {"name": "taken.jpg", "mimeType": "image/jpeg", "buffer": picture.getvalue()}
        )
        expect(page.get_by_text("A photo is kept in this phone")).to_be_visible()
        self.assertEqual(self.stored(run)["photos"], [])
        page.goto("about:blank")  # the phone goes into a pocket
        page.context.set_offline(False)
        self.open(f"/run/{run['id']}")
        expect(page.get_by_role("img", name=re.compile(r"^Photo "))).to_be_visible()
        expect(page.get_by_text("kept in this phone")).to_have_count(0)
        self.assertEqual(len(self.stored(run)["photos"]), 1)

    def test_faults_are_tagged_by_their_drawings(self) -> None:
        page, run = self.opened("tagged.stl")
        page.get_by_role("button", name="Store it").click()
        expect(page.get_by_role("alert")).to_contain_text("kept, scrapped or stopped")
        page.get_by_role("button", name="Stopped").click()
        page.get_by_label("Layer").fill("12")
        page.get_by_role("button", name="Tag a fault").click()
        page.get_by_role("button", name="Loose from the bed").click()
        page.get_by_role("button", name="Strings").click()
        page.get_by_role("button", name="That is all").click()
        self.assertEqual(self.axe(), [])
        page.get_by_role("button", name="Store it").click()
        expect(page.get_by_role("link", name="Find the cause")).to_be_visible()
        now = self.stored(run)
        self.assertEqual((now["faults"], now["entry"]["stopped_layer"]), (["loose_from_bed", "strings"], 12))


class ToACure(LogCase):
    def test_from_a_fault_over_one_change_to_its_cure(self) -> None:
        page = self.new_part("stringy.stl", (24, 24, 10))
        part_id = int(page.url.rsplit("/", 1)[1])
        run = self.enter(self.start_run(part_id, {"nozzle_temp_c": 228}), state="scrapped", faults=["strings"])
        page = self.open(f"/log/{run['id']}/causes")
        expect(page.get_by_role("heading", name=re.compile("Anything loose, worn, wet or changed"))).to_be_visible()
        expect(page.get_by_text("Cables, screws and belts")).to_be_visible()
        expect(page.get_by_role("heading", name="Too hot")).to_be_visible(timeout=30_000)
        expect(page.get_by_text("pricing …")).to_have_count(0)
        self.assertEqual(self.axe(), [])
        page.get_by_role("button", name="Take as a new column: Too hot").click()
        expect(page.get_by_role("heading", name="Stringy")).to_be_visible()
        expect(page.get_by_role("button", name=f"Name of recipe 3: Too hot? After #{run['id']}")).to_be_visible()
        self.wait_for_figures()
        page.get_by_role("button", name=f"Name of recipe 3: Too hot? After #{run['id']}").click()
        page.get_by_role("button", name="Print it").click()
        dialog = page.get_by_role("dialog", name=re.compile("^Print "))
        expect(dialog.get_by_label(f"It follows run #{run['id']}")).to_be_checked()
        dialog.get_by_role("button", name="Start the run").click()
        page.get_by_role("link", name="Enter what happened").click()
        page.get_by_role("button", name="Kept").click()
        page.get_by_role("button", name="Store it").click()
        expect(page.get_by_text("Stored.")).to_be_visible()
        page.get_by_role("link", name=re.compile(r"^#\d+$")).click()
        page.get_by_role("link", name="The chain of tries").click()
        expect(page.get_by_text("Cured after 1 try, by: Too hot.")).to_be_visible()
        expect(page.get_by_text("One thing was changed; gone: strings.")).to_be_visible()
        self.assertEqual(self.axe(), [])


class InAndOut(LogCase):
    def test_a_table_comes_in_matched_by_hand(self) -> None:
        page = self.open("/log/import")
        content = "when,thing,minutes on it,bad\n3.11.2026,Widget,95,Strings\n4.11.2026,,10,\n"
        page.get_by_label("Choose a CSV file").set_input_files(
            {"name": "old.csv", "mimeType": "text/csv", "buffer": content.encode()}
        )
        page.get_by_label("What thing holds").select_option("part")
        page.get_by_label("What minutes on it holds").select_option("real_time")
        page.get_by_label("What bad holds").select_option("faults")
        expect(page.get_by_text("1 h 35 real")).to_be_visible()
        expect(page.get_by_text("It names no part.")).to_be_visible()
        self.assertEqual(self.axe(), [])
        page.get_by_role("button", name="Bring 1 run").click()
        expect(page.get_by_role("status").filter(has_text="1 runs were brought")).to_be_visible()
        page.get_by_role("link", name="To the log").click()
        page.get_by_label("Words").fill("Widget")
        expect(page.get_by_role("link", name="Widget")).to_be_visible()

    @only_long
    def test_labels_are_laid_out_as_they_will_come_and_come_as_a_pdf(self) -> None:
        run = self.start_run(self.add_part(trimesh.creation.box((20, 20, 6)), "labelled.stl"))
        page = self.open(f"/log/labels?runs={run['id']}")
        expect(page.get_by_text("3 across, 8 down")).to_be_visible()
        page.get_by_label("Label, width").fill("200")
        expect(page.get_by_text("Not one label fits")).to_be_visible()
        page.get_by_label("Label, width").fill("50")
        href = page.get_by_role("link", name="Open the PDF").get_attribute("href") or ""
        self.assertEqual(self.page.request.get(self.address + href).body()[:5], b"%PDF-")

    @only_long
    def test_what_was_done_is_noted_and_taken_out_again(self) -> None:
        page = self.open("/log/journal")
        page.get_by_label("What was done").select_option("bed_cleaned")
        page.get_by_label("Note", exact=True).fill("with soap, for a test")
        page.get_by_role("button", name="Note it").click()
        entry = page.get_by_role("listitem").filter(has_text="with soap, for a test")
        expect(entry).to_be_visible()
        page.get_by_role("button", name="Undo", exact=True).click()
        expect(entry).to_have_count(0)

    def test_another_window_sees_what_is_entered(self) -> None:
        run = self.start_run(self.add_part(trimesh.creation.box((20, 20, 6)), "watched.stl"))
        page = self.open(f"/log/{run['id']}")
        expect(page.get_by_text("running")).to_be_visible()
        until = page.get_by_text(re.compile(r"until about .+, predicted between .+ and .+"))
        expect(until).to_be_visible()
        # From what was stored, with what comes before the printing: heating and start.
        told, predicted = re.findall(r":(\d\d)", until.inner_text()), run["prediction"]
        around_s = predicted["whole_time_s"] - predicted["print_time_s"]
        print_s = (predicted["print_time_s"], predicted["interval"]["low_s"], predicted["interval"]["high_s"])
        ends = [
            datetime.fromisoformat(run["started_at"]).astimezone() + timedelta(seconds=around_s + one)
            for one in print_s
        ]
        self.assertEqual([int(minute) for minute in told], [end.minute for end in ends])
        self.enter(run, state="kept", looks=5)
        expect(page.get_by_text("5 of 5")).to_be_visible()
        expect(page.get_by_text("until about")).to_have_count(0)
