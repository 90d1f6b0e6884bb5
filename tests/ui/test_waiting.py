"""Whoever asks about a column sees its last edit, however slowly that is stored; nothing is asked about what is gone."""

from __future__ import annotations

import re

import trimesh
from playwright.sync_api import Route, expect

from meanbead.core.text.durations import duration
from tests.running.effort import only_long
from tests.support.open_surfaces import open_scan
from tests.support.solids import stl_bytes
from tests.ui.browser import UiCase


class Held(UiCase):
    """With edits held back on their way to the server."""

    def hold(self, address: str = "**/api/recipes/*", method: str = "PATCH") -> None:
        """Hold requests of a method until :meth:`let_go`; the order of all that are sent is noted."""
        self.held: list[Route] = []
        self.sent: list[str] = []
        self.listen("request", lambda request: self.sent.append(f"{request.method} {request.url.split('/api')[-1]}"))
        self.listen(
            "response",
            lambda answer: self.sent.append(f"answer to {answer.request.method} {answer.url.split('/api')[-1]}"),
        )

        def catch(route: Route) -> None:
            if route.request.method == method:
                self.held.append(route)
            else:
                route.continue_()

        self.page.route(address, catch)

    def caught(self) -> None:
        """Wait until something is held."""
        self.eventually(lambda: bool(self.held), lambda: f"nothing was held; sent: {self.sent}")

    def let_go(self) -> None:
        """Send on what was held."""
        for route in self.held:
            route.continue_()
        self.page.unroute_all()

    def was_sent(self, pattern: str) -> bool:
        return any(re.search(pattern, request) for request in self.sent)

    def edit_held(self, row: str = "Walls in lines", text: str = "5") -> None:
        self.hold()
        self.set_cell(row, "Everyday", text)
        self.caught()


class Asking(Held):
    def test_what_is_kept_for_the_house_is_what_is_shown(self) -> None:
        page = self.new_part("kept-at-once.stl")
        self.edit_held()
        page.get_by_role("button", name="Keep for the house").click()
        expect(page.get_by_role("button", name="Keep for the house")).to_be_disabled()
        self.assertFalse(self.was_sent("POST /house-recipes"))
        self.let_go()
        expect(page.get_by_role("status")).to_contain_text("is a house recipe now")
        kept = page.request.get(f"{self.address}/api/house-recipes").json()["recipes"]
        self.assertEqual(max(kept, key=lambda one: one["id"])["choices"]["walls"], 5)

    @only_long
    def test_the_settings_sheet_and_the_history_hold_the_edit(self) -> None:
        page = self.new_part("sheet-at-once.stl")
        self.edit_held("Infill in %", "42")
        page.get_by_role("link", name="Settings sheet").click()
        expect(page.get_by_test_id("sheet")).to_have_count(0)
        self.assertFalse(self.was_sent("GET /recipes/\\d+/settings"))
        self.let_go()
        expect(page.get_by_text("42 %")).to_be_visible()

    def test_levers_search_and_layers_are_of_the_edited_column(self) -> None:
        page = self.new_part("advised-at-once.stl")
        self.edit_held()
        page.get_by_role("button", name="All changes").click()
        self.assertFalse(self.was_sent("POST /recipes/\\d+/levers"))
        self.let_go()
        expect(page.get_by_text(re.compile("^(Takes nothing away|At a price)$")).first).to_be_visible()
        stored = [at for at, one in enumerate(self.sent) if one.startswith("answer to PATCH")]
        asked = [at for at, one in enumerate(self.sent) if one.startswith("POST") and "/levers" in one]
        self.assertTrue(stored and asked, self.sent)
        self.assertLess(stored[0], asked[0])

    @only_long
    def test_a_duplicate_and_another_nozzle_take_the_edit_along(self) -> None:
        page = self.new_part("doubled-at-once.stl")
        self.edit_held()
        page.get_by_role("button", name="Duplicate Everyday").click()
        self.assertFalse(self.was_sent("POST /parts/\\d+/recipes"))
        self.let_go()
        expect(self.cell("Walls in lines", "Everyday copy")).to_have_text(re.compile("5"))

    def test_a_step_pressed_before_the_shelf_is_there_goes_by_the_machine(self) -> None:
        page = self.new_part("early-press.stl")
        self.hold("**/api/shelf", "GET")
        page.reload()
        height = self.cell("Layer height in mm", "Everyday")
        height.focus()
        page.keyboard.press("Alt+ArrowUp")
        self.next_frame()
        self.assertFalse(self.was_sent("^PATCH"))
        self.let_go()
        expect(height).to_have_accessible_name("Layer height in mm, Everyday: 0.24")

    @only_long
    def test_nothing_is_asked_about_a_column_that_was_removed(self) -> None:
        page = self.new_part("gone-at-once.stl")
        page.get_by_role("button", name="Duplicate Everyday").click()
        self.cell("Walls in lines", "Everyday copy").click()
        self.hold("**/api/recipes/*/findings", "GET")
        page.get_by_role("button", name="Remove Everyday copy").click()
        expect(page.get_by_role("status")).to_contain_text("Everyday copy was removed")
        self.let_go()
        self.wait_for_figures()  # an answer that something is not there would be logged as an error


class Undoing(Held):
    def test_undo_in_a_message_undoes_that_step(self) -> None:
        page = self.new_part("undo-that.stl")
        page.get_by_role("button", name="Duplicate Everyday").click()
        expect(page.get_by_test_id("sheet").get_by_role("columnheader")).to_have_count(3)
        page.get_by_role("button", name="Remove Everyday copy").click()
        expect(page.get_by_role("status")).to_contain_text("was removed")
        self.set_cell("Walls in lines", "Everyday", "4")
        expect(self.cell("Walls in lines", "Everyday")).to_have_text(re.compile("4"))
        page.get_by_role("status").get_by_role("button", name="Undo").click()
        expect(page.get_by_test_id("sheet").get_by_role("columnheader")).to_have_count(3)
        expect(self.cell("Walls in lines", "Everyday")).to_have_text(re.compile("4"))

    expected_errors = ("ERR_FAILED", "net::")

    @only_long
    def test_a_step_that_could_not_be_undone_can_be_tried_again(self) -> None:
        page = self.new_part("undo-later.stl")
        self.set_cell("Walls in lines", "Everyday", "4")
        undo = page.get_by_role("button", name="Undo", exact=True).first
        expect(undo).to_be_enabled()
        page.route(
            "**/api/recipes/*", lambda route: route.abort() if route.request.method == "PATCH" else route.continue_()
        )
        undo.click()
        expect(page.get_by_role("status")).not_to_be_empty()
        expect(undo).to_be_enabled()
        page.unroute_all()
        undo.click()
        expect(undo).to_be_disabled()
        expect(self.cell("Walls in lines", "Everyday")).not_to_have_text(re.compile("4"))


class Still(UiCase):
    def test_findings_do_not_move_while_remedies_are_tried(self) -> None:
        page = self.new_part("still.stl", (40, 30, 8))
        # Too fast for a wide line, too thin a floor: two findings with remedies.
        held: list[Route] = []
        page.route("**/api/recipes/*/remedies", lambda route: held.append(route))
        self.set_cell("Layer height in mm", "Everyday", "0.32")
        self.wait_for_figures()
        page.keyboard.press("Alt+s")
        items = page.get_by_role("region", name="Findings").get_by_role("list").first.get_by_role("listitem")
        expect(items.first).to_be_visible()
        self.eventually(lambda: bool(held), lambda: "remedies were not asked for")
        before = [box["y"] for item in items.all() if (box := item.bounding_box())]
        for route in held:
            route.continue_()
        page.unroute_all()
        expect(page.get_by_text("confirm")).to_be_visible()
        self.assertEqual([box["y"] for item in items.all() if (box := item.bounding_box())], before)


class Guessing(UiCase):
    expected_errors = ("422",)

    def test_an_open_scan_is_closed_looked_at_and_taken_back(self) -> None:
        page = self.open("/")
        self.upload(stl_bytes(open_scan()), "open-scan.stl")
        expect(page.get_by_role("alert")).to_contain_text("The surface is not closed")
        picture = page.get_by_role("img", name=re.compile("edges where its surface is open"))
        expect(picture).to_be_visible()
        self.assertEqual(self.axe(), [])
        page.get_by_role("button", name="Close it anyway").click()
        look = page.get_by_role("link", name="See what was guessed")
        expect(look).to_be_visible()
        expect(page.get_by_text(re.compile("cm² were added")).first).to_be_visible()
        page.get_by_role("button", name="Undo", exact=True).first.click()
        expect(page.get_by_role("button", name="Close it anyway")).to_be_visible()
        page.get_by_role("button", name="Redo").click()
        look.click()
        expect(page.get_by_role("button", name=re.compile("^Guessed surface"))).to_have_attribute(
            "aria-pressed", "true"
        )
        expect(page.get_by_text("What no file held")).to_be_visible()
        self.assertEqual(self.axe(), [])


class TradeOff(UiCase):
    @only_long
    def test_columns_stand_on_the_axes_before_a_search(self) -> None:
        self.open(f"/parts/{self.add_part(trimesh.creation.box((16, 12, 5)), 'empty-tradeoff.stl')}/tradeoff")
        cloud = self.page.get_by_test_id("cloud")
        expect(cloud).to_contain_text("Everyday")
        expect(cloud).to_contain_text("Coarser")
        self.assertEqual(self.axe(), [])
