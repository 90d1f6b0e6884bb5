"""Findings, levers, the trade-off, house rules and spools, as people meet them."""

from __future__ import annotations

import re

import trimesh
from playwright.sync_api import expect

from tests.ui.browser import UiCase

PATIENCE_MS = 60_000
"""For what is computed many times over, on a machine that runs other tests beside."""


def cup(side: float = 30, wall: float = 2.4, height: float = 16) -> trimesh.Trimesh:
    """An open square cup."""
    outer = trimesh.creation.box((side, side, height))
    inner = trimesh.creation.box((side - 2 * wall, side - 2 * wall, height))
    inner.apply_translation((0, 0, 1.6))
    return trimesh.boolean.difference([outer, inner], engine="manifold")


class OnTheBench(UiCase):
    def open_cup(self, name: str) -> None:
        self.open(f"/parts/{self.add_part(cup(), name)}")
        self.wait_for_figures()

    def test_a_remedy_says_what_it_costs_clears_its_finding_and_can_be_undone(self) -> None:
        self.open_cup("thin-cup.stl")
        page = self.page
        finding = page.get_by_role("listitem").filter(has_text="lines from each side leave")
        remedy = finding.get_by_role("button", name=re.compile("^3 walls"))
        # A waste is only shown once the engine has confirmed what its remedy saves.
        expect(remedy).to_be_visible(timeout=PATIENCE_MS)
        expect(finding).to_contain_text(re.compile(r"3 walls: −.* g\."))
        finding.get_by_role("button", name="Why").click()
        expect(finding).to_contain_text("Strokes shorter than their ramps")
        expect(finding.get_by_role("link", name="Show where")).to_have_attribute("href", re.compile("show=thickness"))
        remedy.click()
        expect(finding).to_have_count(0, timeout=PATIENCE_MS)
        expect(self.cell("Walls in lines", "Everyday")).to_have_text(re.compile("3"))
        page.get_by_role("button", name="Undo", exact=True).first.click()
        expect(finding).to_have_count(1, timeout=PATIENCE_MS)

    def test_levers_are_applied_here_or_as_a_new_column(self) -> None:
        self.open_cup("lever-cup.stl")
        page = self.page
        page.get_by_role("button", name="Try every change").click()
        together = page.get_by_text(re.compile("All \\d+ that cost nothing"))
        expect(together).to_be_visible(timeout=PATIENCE_MS)
        nothing = page.get_by_role("table", name="Takes nothing away")
        expect(nothing.get_by_role("rowheader").first).to_be_visible()
        expect(page.get_by_role("table", name="At a price")).to_contain_text("index")
        before = page.get_by_test_id("sheet").get_by_role("columnheader").count()
        nothing.get_by_role("button", name=re.compile("As a new column")).first.click()
        expect(page.get_by_test_id("sheet").get_by_role("columnheader")).to_have_count(before + 1)
        page.get_by_role("button", name=re.compile(r"Apply to this column: All \d+ that")).click()
        # The levers follow: what was applied is no longer offered.
        expect(together).to_have_count(0, timeout=PATIENCE_MS)
        page.keyboard.press("Control+z")
        expect(together).to_be_visible(timeout=PATIENCE_MS)


class TradeOff(UiCase):
    def test_search_narrow_down_and_take_two_to_the_bench(self) -> None:
        self.open(f"/parts/{self.add_part(cup(24, 2.4, 8), 'traded-cup.stl')}/tradeoff")
        page = self.page
        page.get_by_role("button", name=re.compile("^Search")).wait_for(timeout=PATIENCE_MS)
        for axis in ("Nozzle", "Line width", "Inner lines", "Pattern", "Lines side by side", "Pace", "Acceleration"):
            page.get_by_role("checkbox", name=axis, exact=True).uncheck()
        page.get_by_role("textbox", name="Values of Layer height").fill("0.16, 0.2, 0.28")
        page.get_by_role("textbox", name="Values of Infill").fill("8, 15")
        page.get_by_role("textbox", name="Values of Walls").fill("1, 2, 3")
        page.get_by_role("button", name="Search all 18 recipes").click()
        answer = page.get_by_test_id("answer")
        expect(answer).to_contain_text("Fastest", timeout=PATIENCE_MS)
        expect(answer).to_contain_text("give", timeout=PATIENCE_MS)
        expect(page.get_by_test_id("sure")).to_contain_text("Sure within 1 %", timeout=PATIENCE_MS)
        expect(page.get_by_text("18 computed of 18", exact=False)).to_be_visible()
        slider = page.get_by_role("slider", name="Shell at least")
        slider.focus()
        for _ in range(60):
            page.keyboard.press("ArrowRight")
        expect(page.get_by_role("status").filter(has_text=re.compile("^6 of 18 dots"))).to_be_visible()
        page.get_by_role("button", name="Show all").click()
        boxes = page.get_by_role("checkbox", name=re.compile("^Pick "))
        boxes.nth(0).check()
        boxes.nth(1).check()
        self.assertEqual(self.axe(), [])
        page.get_by_role("button", name="Take 2 to the bench").click()
        self.wait_for_figures()
        expect(page.get_by_test_id("sheet").get_by_role("columnheader")).to_have_count(4)

    def test_a_column_that_the_line_does_not_reach_is_named(self) -> None:
        self.open(f"/parts/{self.add_part(trimesh.creation.box((18, 14, 4)), 'beyond.stl')}/tradeoff")
        page = self.page
        page.get_by_role("button", name=re.compile("^Search")).wait_for(timeout=PATIENCE_MS)
        for axis in page.get_by_role("checkbox").all()[:-1]:
            if axis.is_checked() and "Walls" not in (axis.locator("..").text_content() or ""):
                axis.uncheck()
        page.get_by_role("textbox", name="Values of Walls").fill("5, 6")
        page.get_by_role("button", name="Search all 2 recipes").click()
        expect(page.get_by_test_id("beyond")).to_contain_text("Everyday with", timeout=PATIENCE_MS)

    def test_limits_that_nothing_keeps_are_said(self) -> None:
        self.open(f"/parts/{self.add_part(trimesh.creation.box((12, 12, 4)), 'limited.stl')}/tradeoff")
        page = self.page
        limit = page.get_by_role("textbox", name="Filament, most")
        limit.wait_for(timeout=PATIENCE_MS)
        limit.fill("0.01")
        limit.press("Enter")
        for axis in page.get_by_role("checkbox").all()[:-1]:
            if axis.is_checked() and "Walls" not in (axis.locator("..").text_content() or ""):
                axis.uncheck()
        page.get_by_role("button", name=re.compile("Search all")).click()
        expect(page.get_by_role("heading", name="Nothing within these limits")).to_be_visible(timeout=PATIENCE_MS)


class HouseAndShelf(UiCase):
    def test_a_school_is_kept_and_can_be_undone(self) -> None:
        page = self.open("/house-rules")
        page.get_by_label("Scattered").check()
        expect(page.get_by_role("button", name="Undo")).to_be_enabled()
        page.reload()
        expect(page.get_by_label("Scattered")).to_be_checked()
        page.get_by_label("At the back or in a corner").check()
        expect(page.get_by_role("button", name="Undo")).to_be_enabled()
        page.keyboard.press("Control+z")
        expect(page.get_by_label("Scattered")).to_be_checked()
        page.keyboard.press("Control+Shift+z")
        expect(page.get_by_label("At the back or in a corner")).to_be_checked()
        hours = page.get_by_label("Someone is there from")
        hours.fill("7.5")
        hours.press("Enter")
        expect(page.get_by_role("button", name="Undo")).to_be_enabled()
        page.reload()
        expect(hours).to_have_value("7.5")
        self.assertEqual(self.axe(), [])

    def test_a_spool_is_added_weighed_and_taken_off(self) -> None:
        page = self.open("/shelf")
        section = page.get_by_role("region", name="Spools")
        rows = section.get_by_role("row")
        expect(rows.first).to_be_visible()
        before = rows.count()
        choice = section.get_by_label("Add a spool of")
        choice.select_option(index=1)
        expect(rows).to_have_count(before + 1)
        grams = section.get_by_label(re.compile("grams left")).last
        grams.fill("321")
        grams.press("Enter")
        page.reload()
        expect(section.get_by_label(re.compile("grams left")).last).to_have_value("321")
        section.get_by_role("button", name=re.compile("^Remove")).last.click()
        expect(rows).to_have_count(before)
        page.get_by_role("status").get_by_role("button", name="Undo").click()
        expect(rows).to_have_count(before + 1)
