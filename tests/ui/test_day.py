"""The day as people meet it: from the queue to the board to a phone on the wall; a run moved by hand; a delay; a plate."""

from __future__ import annotations

import re
import time
from typing import Any

import trimesh
from playwright.sync_api import expect

from tests.running.effort import only_long
from tests.ui.test_log import LogCase


class DayCase(LogCase):
    def setUp(self) -> None:
        super().setUp()
        # Only what a test queues is planned: the sample's week takes longer to estimate than a test should.
        for item in self.api("GET", "/api/queue")["items"]:
            self.api("POST", f"/api/queue/{item['id']}/delete", {"version": item["version"]})
            self.addCleanup(self._back, item["id"])
        house = self.api("GET", "/api/house-rules")
        always = {"from_h": 0, "to_h": 24, "days": list(range(7)), "turnaround_min": 10}
        self.before = house["shop"]["attended"]
        self.api(
            "PATCH", "/api/house-rules", {"version": house["version"], "shop": house["shop"] | {"attended": always}}
        )
        self.addCleanup(self._usual_hours)
        for one in self.api("GET", "/api/hours")["exceptions"]:
            self.api("POST", f"/api/hours/{one['id']}/delete", {"version": one["version"]})
        for run in self.api("GET", "/api/runs?state=running")["runs"]:
            self.api("POST", f"/api/runs/{run['id']}/delete", {"version": run["version"]})

    def _back(self, item: int) -> None:
        self.page.request.post(f"{self.address}/api/queue/{item}/restore")

    def _usual_hours(self) -> None:
        house = self.page.request.get(f"{self.address}/api/house-rules").json()
        shop = house["shop"] | {"attended": self.before}
        self.page.request.patch(f"{self.address}/api/house-rules", data={"version": house["version"], "shop": shop})

    def part(self, name: str) -> int:
        return self.add_part(trimesh.creation.box((20, 16, 6)), name)

    def planned(self, part: int, quantity: int, **said: Any) -> dict[str, Any]:
        """Something queued and planned, through the API."""
        item: dict[str, Any] = self.api(
            "POST", "/api/queue", {"key": f"ui-{time.time_ns()}", "part_id": part, "quantity": quantity, **said}
        )
        self.api("POST", "/api/day/plan", {"seconds": 1})

        def is_planned() -> bool:
            day = self.api("GET", "/api/day")
            return day["job_id"] is None and sum(run["queue_id"] == item["id"] for run in day["runs"]) == quantity

        self.eventually(is_planned, lambda: "the day is not planned")
        return item


class OnTheDesk(DayCase):
    def test_queue_to_board_to_why(self) -> None:
        part = self.part("queued-box.stl")
        page = self.open(f"/parts/{part}")
        page.get_by_role("link", name="Queue", exact=True).click()
        form = page.get_by_role("form", name="Queue something")
        expect(form.get_by_label("Part or plate")).to_have_value(f"part-{part}")
        form.get_by_label("Pieces").fill("3")
        form.get_by_label("Due").fill("2035-05-05T12:00")
        form.get_by_role("button", name="Queue it").click()
        row = page.get_by_role("row", name=re.compile("Queued box"))
        expect(row).to_contain_text("0 of 3")
        expect(row).to_contain_text("3 plates")
        # It is planned by itself, and the queue says when it is there.
        expect(row.get_by_text(re.compile(r"^\w{3} \d+:\d\d$"))).to_be_visible()
        self.assertEqual(self.axe(), [])
        page.get_by_role("link", name="Board", exact=True).click()
        first = page.get_by_role("button", name=re.compile("^Queued box 1.3"))
        expect(first).to_be_visible()
        expect(page.get_by_text("3 pieces by")).to_be_visible()
        first.click()
        expect(page.get_by_role("heading", name="Why here")).to_be_visible()
        expect(page.get_by_text("Somebody is there when it ends.")).to_be_visible()
        expect(page.locator("section[aria-labelledby=run] li strong").first).to_be_visible()
        self.assertEqual(self.axe(), [])

    @only_long
    def test_a_run_is_moved_by_hand_and_that_is_undone(self) -> None:
        item = self.planned(self.part("moved-box.stl"), 2)
        page = self.open("/day")
        bar = page.get_by_role("button", name=re.compile("^Moved box 2.2"))
        bar.focus()
        before = bar.get_attribute("aria-label")
        page.keyboard.press("Alt+ArrowRight")
        expect(page.get_by_role("button", name=re.compile("^Moved box 2.2.*put there by hand"))).to_be_visible()
        pinned = self.api("GET", "/api/queue")["items"]
        self.assertEqual(next(one["pinned"] for one in pinned if one["id"] == item["id"]), [2])
        expect(page.get_by_role("button", name="Undo", exact=True)).to_be_enabled()
        page.keyboard.press("Control+z")
        expect(page.get_by_role("button", name=re.compile("^Moved box 2.2.*put there by hand"))).to_have_count(0)
        self.assertIsNotNone(before)

    def test_dragging_moves_it_too_and_arrows_walk(self) -> None:
        self.planned(self.part("dragged-box.stl"), 3)
        page = self.open("/day")
        bars = page.locator("[data-run]")
        expect(bars).to_have_count(3)
        bar = page.get_by_role("button", name=re.compile("^Dragged box 3"))
        box = bar.bounding_box()
        assert box is not None
        page.mouse.move(box["x"] + 4, box["y"] + 20)
        page.mouse.down()
        page.mouse.move(box["x"] + 160, box["y"] + 24, steps=4)
        page.mouse.up()
        expect(page.get_by_role("button", name=re.compile("^Dragged box 3.*put there by hand"))).to_be_visible()
        bars.first.focus()
        page.keyboard.press("Home")
        page.keyboard.press("ArrowDown")
        self.assertTrue(page.evaluate("document.activeElement?.dataset.run !== undefined"))

    def test_hours_order_and_the_day_sheet(self) -> None:
        self.planned(self.part("sheet-box.stl"), 1)
        page = self.open("/day/hours")
        form = page.get_by_role("form", name="Hours that differ")
        form.get_by_label("From").fill("2035-05-05T12:00")
        form.get_by_label("To").fill("2035-05-06T12:00")
        form.get_by_role("button", name="Add").click()
        expect(page.get_by_text("nobody is there, 5 May Sat 12:00")).to_be_visible()
        page.get_by_role("button", name="few changes of nozzle and spool: more").click()
        expect(page.get_by_role("listitem").filter(has_text="few changes")).to_contain_text("2.")
        self.assertEqual(self.axe(), [])
        page.get_by_role("button", name="Undo", exact=True).click()
        expect(page.get_by_role("listitem").filter(has_text="few changes")).to_contain_text("3.")
        page.get_by_role("button", name="Undo", exact=True).click()
        self.open("/day/sheet")
        expect(page.get_by_text("Start Sheet box")).to_be_visible()
        self.assertEqual(self.axe(), [])
        self.open("/day/spools")
        expect(page.get_by_role("heading", name="To buy")).to_be_visible()
        # What stays is worked out: the numbers that say so are those of its row.
        row = page.get_by_role("row").filter(has=page.get_by_role("note")).first
        told = row.get_by_role("note").get_attribute("aria-description") or ""
        left, printing, planned = (float(grams) for grams in re.findall(r"([\d.]+) g", told))
        self.assertAlmostEqual(
            float(row.get_by_role("note").inner_text().split()[0]), left - printing - planned, delta=0.11
        )
        self.assertEqual(self.axe(), [])

    @only_long
    def test_a_failed_run_is_queued_once_more(self) -> None:
        run = self.enter(self.start_run(self.part("again-box.stl")), state="scrapped")
        page = self.open(f"/log/{run['id']}")
        page.get_by_role("button", name="Queue it once more").click()
        expect(page.get_by_text("Again box is in the queue once more.")).to_be_visible()
        page.get_by_role("button", name="Look").click()
        expect(page.get_by_role("row", name=re.compile("Again box"))).to_contain_text(f"run {run['id']} once more")


class OnTheWall(DayCase):
    size = (390, 844)

    @only_long
    def test_queue_and_spools_fit_a_phone(self) -> None:
        self.planned(self.part("pocket-box.stl"), 1)
        for address, landmark in (("/day/queue", "The queue"), ("/day/spools", "Spools")):
            page = self.open(address)
            expect(page.get_by_role("table", name=landmark)).to_be_visible()
            self.assertEqual(page.evaluate("document.documentElement.scrollWidth"), 390, address)

    def test_start_delay_and_take_off_on_a_phone(self) -> None:
        item = self.planned(self.part("wall-box.stl"), 2, machine_ids=[1])
        page = self.open("/day/now")
        card = page.get_by_role("article").filter(has_text="Start Wall box")
        expect(card).to_contain_text("can wait until")
        self.assertEqual(self.axe(), [])
        wide = page.evaluate("document.documentElement.scrollWidth")
        self.assertLessEqual(wide, 390)
        card.get_by_role("button", name="Started").click()
        expect(page.get_by_text("Wall box runs; its entry in the log is begun.")).to_be_visible()
        expect(page.get_by_role("heading", name="Running")).to_be_visible()
        page.get_by_role("button", name="+1 h").click()
        expect(page.get_by_role("heading", name="What has moved")).to_be_visible()
        expect(page.get_by_text(re.compile("later on "))).to_be_visible()
        # Ended meanwhile: what it was said to take is over.
        run = self.api("GET", "/api/runs?state=running")["runs"][0]
        self.api("POST", "/api/day/delay", {"run_id": run["id"], "more_s": -20_000})
        page.reload()
        off = page.get_by_role("article").filter(has_text="Take Wall box off")
        off.get_by_role("button", name="Came out well").click()
        expect(page.get_by_text("Wall box is in the log.")).to_be_visible()
        stands = next(one for one in self.api("GET", "/api/queue")["items"] if one["id"] == item["id"])
        self.assertEqual((stands["done"], len(stands["open_plates"])), (1, 1))


class OnThePlate(DayCase):
    def test_laid_moved_by_keys_checked_and_queued(self) -> None:
        part = self.part("plate-box.stl")
        page = self.open("/day/plates")
        page.get_by_label("Name").fill("A pair")
        page.get_by_role("spinbutton", name="Plate box").fill("2")
        page.get_by_role("button", name="Lay them").click()
        expect(page.get_by_role("heading", name="A pair")).to_be_visible()
        expect(page.get_by_text("Everything stands free.")).to_be_visible()
        expect(page.get_by_role("heading", name="Each part's share")).to_be_visible()
        self.assertEqual(self.axe(), [])
        one = page.get_by_role("button", name=re.compile("^Part 1, Plate box"))
        one.focus()
        for _ in range(3):
            page.keyboard.press("Shift+ArrowRight")
        expect(page.get_by_text(re.compile("touch|mm apart; "))).to_be_visible()
        expect(page.get_by_role("button", name="Queue it")).to_be_disabled()
        page.get_by_role("button", name="Lay them anew").click()
        expect(page.get_by_text("Everything stands free.")).to_be_visible()
        page.get_by_role("button", name="one after the other").click()
        expect(page.get_by_text(re.compile("A head that hits a part breaks it"))).to_be_visible()
        page.get_by_role("button", name="layer by layer").click()
        expect(page.get_by_role("button", name="Queue it")).to_be_enabled()
        page.get_by_role("button", name="Queue it").click()
        expect(page.get_by_role("row", name=re.compile("A pair"))).to_be_visible()
        self.assertGreater(part, 0)

    @only_long
    def test_how_many_on_a_plate_pay_best(self) -> None:
        page = self.open(f"/day/queue?part={self.part('filled-box.stl')}")
        page.get_by_role("button", name="How many on a plate pay best?").click()
        expect(page.get_by_text(re.compile(r"\d+ fit\. \d+ on a plate give"))).to_be_visible()
        page.get_by_role("button", name="take 4", exact=True).click()
        expect(page.get_by_label("On a plate", exact=True)).to_have_value("4")
        self.assertEqual(self.axe(), [])
