"""The flow lab as people use it: planned at the desk, entered on a phone, used in estimates."""

import re

from playwright.sync_api import Page, expect

from tests.running.effort import only_long
from tests.ui.browser import UiCase


def store(page: Page, weight: str, look: str) -> None:
    """Enter the strand that is next."""
    page.get_by_role("textbox", name=re.compile(r"^Weight\s*g$")).fill(weight)
    page.get_by_role("radio", name=re.compile(look)).check(force=True)
    page.get_by_role("button", name="Store this strand").click()


class AtTheDesk(UiCase):
    expected_errors = ("422", "409", "ERR_INTERNET_DISCONNECTED", "Failed to fetch", "ERR_FAILED")

    def planned(self, temps: str = "215") -> Page:
        page = self.open("/flow")
        page.get_by_label("Temperatures, °C").fill(temps)
        keep = page.get_by_role("button", name=re.compile("^Keep this test"))
        expect(keep).to_be_enabled()
        keep.click()
        expect(page.get_by_role("heading", name="What came out")).to_be_visible()
        return page

    def strands(self) -> int:
        rows: int = self.page.get_by_role("button", name=re.compile("^Take out the strand")).count()
        return rows

    def test_from_a_plan_to_the_bench(self) -> None:
        page = self.open("/flow")
        page.get_by_label("Temperatures, °C").fill("300")
        expect(page.get_by_role("alert")).to_contain_text("toxic fumes")
        page = self.planned()
        for weight, look in (("1.00", "straight"), ("0.99", "straight"), ("1.00", "straight"), ("0.99", "straight")):
            store(page, weight, look)
            expect(page.get_by_text("kept here, not stored yet")).to_have_count(0)
        expect(page.get_by_test_id("curve")).to_be_visible()
        store(page, "1.00", "first curl")
        store(page, "0.90", "corkscrew")
        store(page, "0.80", "beaded")
        expect(page.get_by_text(re.compile("curls at"))).to_be_visible()
        expect(page.get_by_role("button", name=re.compile("^Take out the strand"))).to_have_count(7)
        test = page.url
        page.get_by_role("button", name="Use it in estimates").click()
        expect(page.get_by_text(re.compile("^In use, measured on"))).to_be_visible()
        limit = page.get_by_text("Plan up to").locator("xpath=following-sibling::dd").first.inner_text().split()[0]
        page.get_by_role("button", name=re.compile(r"^\d+ more$")).click()
        page.get_by_role("link", name="Domed knob").first.click()
        self.wait_for_figures()
        self.set_cell("Nozzle temperature in °C", "Everyday", "215")
        self.wait_for_figures()
        self.cell("Nozzle temperature in °C", "Everyday").click()
        expect(page.get_by_text(re.compile(f"Ceiling {limit} mm³/s, measured on"))).to_be_visible()
        page.get_by_role("button", name=re.compile("^Undo")).click()
        self.wait_for_figures()
        # As it was, for whoever comes after.
        page.goto(test)
        page.get_by_label("Retire it because").fill("only a try")
        page.get_by_role("button", name="Retire", exact=True).click()
        expect(page.get_by_text("only a try")).to_be_visible()


class OnAPhone(AtTheDesk):
    @only_long
    def test_from_a_plan_to_the_bench(self) -> None:
        super().test_from_a_plan_to_the_bench()

    """The same, and what only matters beside the machine."""

    size = (390, 844)

    def test_a_lost_connection_loses_no_entry(self) -> None:
        page = self.planned()
        page.context.set_offline(True)
        store(page, "1.01", "straight")
        expect(page.get_by_text("kept here, not stored yet.")).to_be_visible()
        self.assertEqual(self.strands(), 0)
        page.context.set_offline(False)
        page.reload()
        expect(page.get_by_role("button", name=re.compile("^Take out the strand"))).to_have_count(1)
        expect(page.get_by_text("kept here, not stored yet.")).to_have_count(0)

    @only_long
    def test_a_reload_in_the_middle_loses_nothing(self) -> None:
        page = self.planned()
        weight = page.get_by_role("textbox", name=re.compile(r"^Weight\s*g$"))
        weight.fill("0.93")
        page.get_by_role("radio", name=re.compile("first curl")).check(force=True)
        page.reload()
        expect(weight).to_have_value("0.93")
        expect(page.get_by_role("radio", name=re.compile("first curl"))).to_be_checked()
        page.get_by_role("button", name="Store this strand").click()
        expect(weight).to_have_value("")

    def test_two_windows_and_undo(self) -> None:
        page = self.planned()
        store(page, "1.00", "straight")
        expect(page.get_by_role("button", name=re.compile("^Take out the strand"))).to_have_count(1)
        other = page.context.new_page()
        other.goto(page.url)
        weight = re.compile("^Weight at")
        expect(other.get_by_label(weight)).to_have_value("1")
        # Neither window asks again before both have written.
        page.route(
            "**/api/flow-tests/*", lambda route: route.abort() if route.request.method == "GET" else route.continue_()
        )
        other.get_by_label(weight).fill("0.97")
        other.get_by_label(weight).press("Enter")
        expect(other.get_by_label(weight)).to_have_value("0.97")
        other.close()
        page.get_by_label(weight).fill("0.95")
        page.get_by_label(weight).press("Enter")
        expect(page.get_by_role("alert")).to_contain_text("it now says 0.97 g")
        page.unroute("**/api/flow-tests/*")
        expect(page.get_by_label(weight)).to_have_value("0.97")
        page.get_by_role("button", name=re.compile("^Take out the strand")).click()
        expect(page.get_by_label(weight)).to_have_count(0)
        page.get_by_role("button", name="Undo", exact=True).last.click()
        expect(page.get_by_label(weight)).to_have_value("0.97")

    def test_a_piece_is_made_judged_and_taken_back(self) -> None:
        page = self.open("/test-pieces")
        row = page.get_by_role("listitem").filter(has=page.get_by_role("heading", name="Pull towers"))
        row.get_by_role("button", name=re.compile("^Make (it|another)")).click()
        piece = page.get_by_role("article", name=re.compile("^Pull towers"))
        piece.get_by_role("button", name=re.compile("^3 ")).click()
        piece.get_by_role("button", name="Use it").click()
        expect(piece.get_by_text(re.compile("No strings from"))).to_be_visible()
        page.get_by_role("button", name=re.compile("^Undo")).first.click()
        expect(piece.get_by_text(re.compile("No strings from"))).to_have_count(0)


    @only_long
    def test_a_strand_is_entered_with_the_keyboard_alone(self) -> None:
        page = self.planned()
        weight = page.get_by_role("textbox", name=re.compile(r"^Weight\s*g$"))
        weight.focus()
        page.keyboard.type("1.02")
        page.keyboard.press("Enter")
        expect(page.get_by_role("button", name=re.compile("^Take out the strand"))).to_have_count(1)
        wide = page.evaluate("document.documentElement.scrollWidth")
        self.assertLessEqual(wide, self.size[0])
