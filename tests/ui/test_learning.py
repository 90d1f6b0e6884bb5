"""What the prints teach, as people meet it: intervals on the bench, a calibration, limits applied and taken back, a grid
from its factors to a verdict that is kept."""

from __future__ import annotations

import re
import time
from datetime import UTC, datetime, timedelta
from typing import Any

import trimesh
from playwright.sync_api import expect

from tests.running.effort import only_long
from tests.ui.test_log import LogCase


class LearningCase(LogCase):
    def machine(self, name: str) -> int:
        """A machine of one's own, so that no other test's runs count."""
        made: int = self.api("POST", "/api/machines", {"name": f"{name} {time.time_ns() % 10**6}"})["id"]
        return made

    def part_on(self, machine: int, name: str) -> tuple[int, list[dict[str, Any]]]:
        part = self.add_part(trimesh.creation.box((26, 20, 8)), name)
        columns = self.api("GET", f"/api/parts/{part}/recipes")["recipes"]
        return part, [
            self.api("PATCH", f"/api/recipes/{one['id']}", {"version": one["version"], "machine_id": machine})
            for one in columns
        ]

    def log_runs(self, columns: list[dict[str, Any]], count: int, acceleration: float | None = None) -> None:
        """Timed runs of the columns in turn; real times are those of a machine that accelerates so, or a tenth longer."""
        machine = columns[0]["machine_id"]
        predicted = {}
        if acceleration is not None:
            row = next(one for one in self.api("GET", "/api/shelf")["machines"] if one["id"] == machine)
            printer = row["printer"]
            slow = printer | {"acceleration_mm_s2": printer["acceleration_mm_s2"] | {"print": acceleration}}
            self.api("PATCH", f"/api/machines/{machine}", {"version": row["version"], "printer": slow})
            predicted = {one["id"]: self.estimate(one)["print_time_s"] for one in columns}
            row = next(one for one in self.api("GET", "/api/shelf")["machines"] if one["id"] == machine)
            self.api("PATCH", f"/api/machines/{machine}", {"version": row["version"], "printer": printer})
        for number in range(count):
            column = columns[number % len(columns)]
            at = datetime.now(UTC) + timedelta(minutes=number)
            run = self.api(
                "POST",
                f"/api/recipes/{column['id']}/runs",
                {"key": f"ui-{time.time_ns()}", "started_at": at.isoformat()},
            )
            real = predicted.get(column["id"], 1.1 * run["predicted_s"]) + 20 + 4 * (-1) ** number
            self.enter(run, state="kept", time_s=real)

    def estimate(self, column: dict[str, Any]) -> dict[str, Any]:
        found: dict[str, Any] = self.api("POST", f"/api/recipes/{column['id']}/estimate")
        return found


class Calibrated(LearningCase):
    def test_the_bench_says_what_it_rests_on_and_follows_a_run(self) -> None:
        machine = self.machine("Bittern")
        part, columns = self.part_on(machine, "taught.stl")
        for column in columns:
            self.estimate(column)
        page = self.open(f"/parts/{part}")
        self.wait_for_figures()
        first = page.get_by_test_id(f"expected:{columns[0]['id']}")
        expect(first).to_contain_text("typical")
        self.log_runs(columns, 4)
        # Entered elsewhere, it shows here: the page hears of it.
        expect(first).to_contain_text("from 4 runs")
        expect(page.get_by_test_id(f"expected:{columns[1]['id']}")).to_contain_text(re.compile(r"[−+].* to [−+]"))
        first.focus()
        expect(page.get_by_text(re.compile("What a panel will show for the printing"))).to_be_visible()
        self.assertEqual(self.axe(), [])

    def test_real_against_computed_factors_in_words_and_runs_to_open(self) -> None:
        machine = self.machine("Curlew")
        part, columns = self.part_on(machine, "curved.stl")
        self.log_runs(columns, 5)
        odd = self.api("POST", f"/api/recipes/{columns[0]['id']}/runs", {"key": f"ui-{time.time_ns()}"})
        self.enter(odd, state="kept", time_s=9 * odd["predicted_s"])
        page = self.open(f"/log/calibration?machine={machine}")
        expect(page.get_by_text(re.compile("real times typically differ by"))).to_be_visible()
        expect(page.get_by_text("One run does not fit the others")).to_be_visible()
        for words in ("at set speed", "ramps and corners", "pulling filament back", "waiting to cool", "each start"):
            expect(page.get_by_text(words, exact=True)).to_be_visible()
        expect(page.get_by_test_id("points").locator(".recharts-scatter-symbol")).to_have_count(6)
        page.get_by_label("Shown as").select_option("share")
        page.get_by_label("Marked by").select_option("nozzle")
        expect(page.get_by_text("Real over computed")).to_be_visible()
        self.assertEqual(self.axe(), [])
        page.get_by_role("link", name=re.compile("^Curved, .* for ")).click()
        expect(page.get_by_role("heading", name=re.compile("Curved"))).to_be_visible()
        self.open(f"/log/calibration?machine={machine}")
        expect(page.get_by_role("heading", name="What would teach most")).to_be_visible()
        self.assertIn(f"/parts/{part}", page.content())

    def test_inferred_limits_are_applied_and_taken_back(self) -> None:
        machine = self.machine("Dunlin")
        part, columns = self.part_on(machine, "hurried.stl")
        for more in ("zig.stl", "zag.stl"):
            mesh = trimesh.creation.annulus(9 if more == "zig.stl" else 4, 12, 12)
            number = self.add_part(mesh, more)
            for one in self.api("GET", f"/api/parts/{number}/recipes")["recipes"]:
                columns.append(
                    self.api("PATCH", f"/api/recipes/{one['id']}", {"version": one["version"], "machine_id": machine})
                )
        self.log_runs(columns, 12, acceleration=300)
        page = self.open(f"/log/calibration?machine={machine}")
        page.get_by_role("button", name="Find them from its runs").click()
        expect(page.get_by_text(re.compile("This machine behaves like"))).to_be_visible()
        self.assertEqual(self.axe(), [])

        def described() -> float:
            row = next(one for one in self.api("GET", "/api/shelf")["machines"] if one["id"] == machine)
            value: float = row["printer"]["acceleration_mm_s2"]["print"]
            return value

        before = described()
        page.get_by_role("button", name=re.compile("^Describe Dunlin .* so$")).click()
        expect(page.get_by_text(re.compile("is described with its limits"))).to_be_visible()
        self.assertLess(described(), before)
        # Its runs are computed anew with what is described now, and count on.
        expect(page.get_by_role("button", name=re.compile("^Dunlin .*12 runs"))).to_be_visible()
        page.get_by_role("button", name="Undo", exact=True).first.click()
        expect(page.get_by_role("button", name="Redo", exact=True)).to_be_enabled()
        self.assertEqual(described(), before)
        journal = self.api("GET", f"/api/journal?machine_id={machine}")["entries"]
        self.assertNotIn("limits_changed", [entry["kind"] for entry in journal[:1]])
        self.assertTrue(part)

    def test_two_machines_are_told_apart_and_values_copied_over(self) -> None:
        here, there = self.machine("Egret"), self.machine("Fulmar")
        row = next(one for one in self.api("GET", "/api/shelf")["machines"] if one["id"] == there)
        printer = row["printer"] | {"acceleration_mm_s2": {"print": 4000, "travel": 6000}, "start_time_s": 90}
        self.api("PATCH", f"/api/machines/{there}", {"version": row["version"], "printer": printer})
        part, columns = self.part_on(here, "shared.stl")
        page = self.open(f"/log/machines?part={part}&column={columns[0]['id']}&here={here}&there={there}")
        page.get_by_role("button", name="Share it out").click()
        expect(page.get_by_text("start and end routine", exact=True)).to_be_visible()
        expect(page.get_by_text("45 s → 90 s")).to_be_visible()
        self.assertEqual(self.axe(), [])
        page.get_by_label("Copy acceleration: printing").check()
        page.get_by_role("button", name=re.compile("^Copy what is ticked to Egret")).click()
        expect(page.get_by_text(re.compile("is described with that value of Fulmar"))).to_be_visible()
        copied = next(one for one in self.api("GET", "/api/shelf")["machines"] if one["id"] == here)
        self.assertEqual(copied["printer"]["acceleration_mm_s2"]["print"], 4000)
        page.get_by_role("button", name="Undo", exact=True).first.click()
        expect(page.get_by_role("button", name="Redo", exact=True)).to_be_enabled()
        back = next(one for one in self.api("GET", "/api/shelf")["machines"] if one["id"] == here)
        self.assertNotEqual(back["printer"]["acceleration_mm_s2"]["print"], 4000)


class Experimented(LearningCase):
    def test_a_grid_from_its_factors_to_a_verdict_that_is_kept(self) -> None:
        machine = self.machine("Gannet")
        part, columns = self.part_on(machine, "stepped.stl")
        page = self.open(f"/log/experiments?part={part}&column={columns[0]['id']}")
        page.get_by_role("button", name="Heights of one nozzle").click()
        expect(page.get_by_text(re.compile("From which height on"))).to_be_visible()
        page.get_by_label("Levels, of the bore").fill("0.3 0.45 six")
        page.get_by_role("button", name="Make its cells").click()
        expect(page.get_by_role("alert")).to_contain_text("“six” is no number")
        page.get_by_label("Levels, of the bore").fill("0.3 · 0.45 · 0.6")
        page.get_by_label("Spots to compare by eye").fill("edge")
        expect(page.get_by_text("3 cells")).to_be_visible()
        self.assertEqual(self.axe(), [])
        page.get_by_role("button", name="Make its cells").click()
        expect(page.get_by_label("Name of the experiment")).to_have_value("Heights of one nozzle")
        cells = page.locator("[data-testid^='cell:']")
        expect(cells).to_have_count(3)
        expect(page.get_by_text("computing …")).to_have_count(0)
        expect(page.get_by_text("What it says so far")).to_be_visible()
        page.get_by_role("button", name="Leave out height 0.3 d").click()
        expect(cells).to_have_count(2)
        page.get_by_role("button", name="0.3: bring back").click()
        expect(cells).to_have_count(3)
        number = int(page.url.split("/experiments/")[1].split("?")[0])
        page.get_by_role("tab", name="Print it").click()
        expect(page.get_by_text(re.compile("^3 plates, .* no nozzle to swap"))).to_be_visible()
        self.assertEqual(self.axe(), [])
        made = self.api("GET", f"/api/experiments/{number}")
        for cell, minutes, entry in zip(made["cells"], (40, 30, 24), ({}, {}, {"faults": ["steps"]}), strict=True):
            run = self.api("POST", f"/api/recipes/{cell['recipe']['id']}/runs", {"key": f"ui-{time.time_ns()}"})
            self.enter(run, state="kept", time_s=60 * minutes, **entry)
        blind = {
            one["blind"]: place for place, one in enumerate(self.api("GET", f"/api/experiments/{number}")["cells"])
        }
        page.get_by_role("tab", name="Results").click()
        page.get_by_role("link", name="Compare pieces blind").click()
        expect(page.get_by_role("heading", name="Which is better at the edge?")).to_be_visible()
        self.assertEqual(self.axe(), [])
        for done in range(9):
            expect(page.get_by_text(f"{done} compared at this spot so far")).to_be_visible()
            expect(page.locator("button.h-40").first).to_be_enabled()
            shown = [int(one.inner_text()) for one in page.locator("button.h-40").all()]
            better = min(shown, key=lambda one: blind[one])
            if done % 2:
                page.get_by_role("button", name=str(better), exact=True).click()
            else:
                page.keyboard.press("ArrowLeft" if better == shown[0] else "ArrowRight")
        expect(page.get_by_text("Enough here: every pair was compared often enough.")).to_be_visible()
        page.get_by_role("button", name="Take the last one back").click()
        expect(page.get_by_text("8 compared at this spot so far")).to_be_visible()
        page.get_by_role("link", name="Heights of one nozzle").click()
        expect(page.get_by_text(re.compile("Height 0.45 d is the fastest that nobody faulted"))).to_be_visible()
        page.get_by_role("tab", name="Why").click()
        expect(page.get_by_role("heading", name="Looks, compared blind")).to_be_visible()
        expect(page.get_by_role("heading", name="A cell between two")).to_be_visible()
        self.assertEqual(self.axe(), [])
        page.get_by_role("button", name="House rule: layers up to 0.75 of the bore").click()
        expect(page.get_by_role("button", name=re.compile("House rule.*✓"))).to_be_visible()
        self.assertEqual(self.api("GET", "/api/house-rules")["rules"]["layer_height_ceiling"], "three_quarters")
        self.open("/house-rules")
        expect(page.get_by_role("heading", name="Decided by experiment")).to_be_visible()
        self.api("PATCH", "/api/house-rules", {"version": self.api("GET", "/api/house-rules")["version"], "rules": {}})

    @only_long
    def test_measurements_are_typed_undone_and_judged_within_the_gauge(self) -> None:
        machine = self.machine("Heronry")
        _, columns = self.part_on(machine, "squeezed.stl")
        grid = {
            "factors": [{"key": "infill.density", "levels": [0.1, 0.3]}],
            "measure": "squeeze",
            "gauge": 0.1,
            "more_is_better": False,
        }
        made = self.api("POST", "/api/experiments", {"name": "Squeezed", "recipe_id": columns[0]["id"], "grid": grid})
        page = self.open(f"/log/experiments/{made['head']['id']}?face=results")
        for words, pairs in (("10 %", ("40 36", "40.1 36.0", "40 36.1")), ("30 %", ("40 39", "40.0 39.1", "40 39.1"))):
            field = page.get_by_label(f"Measured of {words}, mm")
            for pair in pairs:
                field.fill(pair)
                field.press("Enter")
                expect(field).to_have_value("")
        page.get_by_label("Measured of 10 %, mm").fill("40")
        page.get_by_label("Measured of 10 %, mm").press("Enter")
        expect(page.get_by_role("alert")).to_contain_text("before and after")
        self.assertEqual(self.axe(), [])
        expect(page.get_by_role("button", name=re.compile("^Take out .* of 10 %"))).to_have_count(3)
        page.get_by_role("button", name="Take out 4 of 10 %").first.click()
        expect(page.get_by_role("button", name=re.compile("^Take out .* of 10 %"))).to_have_count(2)
        page.get_by_role("button", name="Undo", exact=True).first.click()
        expect(page.get_by_role("button", name=re.compile("^Take out .* of 10 %"))).to_have_count(3)
        page.get_by_role("tab", name="Why").click()
        expect(page.get_by_text(re.compile("^30 % is better than 10 %"))).to_be_visible()


class OnAPhone(LearningCase):
    size = (390, 844)
    dark = True

    @only_long
    def test_the_rooms_stand_on_a_narrow_page(self) -> None:
        machine = self.machine("Ibis")
        _, columns = self.part_on(machine, "narrow.stl")
        self.log_runs(columns, 3)
        for address in (f"/log/calibration?machine={machine}", "/log/experiments", "/log/machines"):
            page = self.open(address)
            expect(page.get_by_role("heading", level=1)).to_be_visible()
            wide = page.evaluate("document.documentElement.scrollWidth - document.documentElement.clientWidth")
            self.assertLessEqual(wide, 0, address)
            self.assertEqual(self.axe(), [], address)
