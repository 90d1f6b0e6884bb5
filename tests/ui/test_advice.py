"""Findings, levers, the trade-off, house rules and spools, as people meet them."""

from __future__ import annotations

import json
import re

import trimesh
from playwright.sync_api import Route, expect

from tests.running.effort import only_long
from tests.ui.browser import UiCase

"""For what is computed many times over, on a machine that runs other tests beside."""


def cup(side: float = 30, wall: float = 2.4, height: float = 16) -> trimesh.Trimesh:
    """An open square cup."""
    outer = trimesh.creation.box((side, side, height))
    inner = trimesh.creation.box((side - 2 * wall, side - 2 * wall, height))
    inner.apply_translation((0, 0, 1.6))
    return trimesh.boolean.difference([outer, inner], engine="manifold")


class OnTheBench(UiCase):
    advised = True

    def open_cup(self, name: str) -> None:
        part_id = self.add_part(cup(), name)
        # Where every hop is retracted, what two lines a side leave is the dearest of all.
        column = self.page.request.get(f"{self.address}/api/parts/{part_id}/recipes").json()["recipes"][0]
        hops = {"version": column["version"], "choices": column["choices"] | {"travel": "straight"}}
        answer = self.page.request.patch(f"{self.address}/api/recipes/{column['id']}", data=hops)
        self.assertEqual(answer.status, 200, answer.text())
        self.open(f"/parts/{part_id}")
        self.wait_for_figures()

    def test_a_remedy_says_what_it_costs_clears_its_finding_and_can_be_undone(self) -> None:
        self.open_cup("thin-cup.stl")
        page = self.page
        brief = page.get_by_test_id("findings-brief")
        finding = brief.get_by_role("listitem").filter(has_text="lines from each side leave")
        remedy = finding.get_by_role("button", name=re.compile("^3 walls"))
        # A waste is only shown once the engine has confirmed what its remedy saves.
        expect(remedy).to_be_visible()
        expect(finding).to_contain_text(re.compile(r"3 walls: −.* g\."))
        page.keyboard.press("Alt+s")
        whole = page.get_by_role("dialog").get_by_role("listitem").filter(has_text="lines from each side leave")
        whole.get_by_role("button", name="Why").click()
        expect(whole).to_contain_text("Strokes shorter than their ramps")
        expect(whole.get_by_role("link", name="Show where")).to_have_attribute("href", re.compile("show=thickness"))
        self.assertEqual(self.axe(), [])
        page.keyboard.press("Escape")
        remedy.click()
        expect(finding).to_have_count(0)
        expect(self.cell("Walls in lines", "Everyday")).to_have_text(re.compile("3"))
        page.get_by_role("button", name="Undo", exact=True).first.click()
        expect(finding).to_have_count(1)

    def test_levers_are_applied_here_or_as_a_new_column(self) -> None:
        self.open_cup("lever-cup.stl")
        page = self.page
        best = page.get_by_role("list", name="The changes that save most")
        together = page.get_by_role("complementary").get_by_text(re.compile("All \\d+ that cost nothing"))
        expect(together).to_be_visible()
        expect(best.get_by_role("listitem")).to_have_count(3)
        self.assertEqual(self.axe(), [])
        page.get_by_role("button", name="All changes").click()
        over = page.get_by_role("dialog", name="What to change next")
        nothing = over.get_by_role("table", name="Takes nothing away")
        expect(nothing.get_by_role("rowheader").first).to_be_visible()
        expect(over.get_by_role("table", name="At a price")).to_contain_text("index")
        before = page.get_by_test_id("sheet").get_by_role("columnheader", include_hidden=True).count()
        nothing.get_by_role("button", name=re.compile("As new column")).first.click()
        page.keyboard.press("Escape")
        expect(page.get_by_test_id("sheet").get_by_role("columnheader")).to_have_count(before + 1)
        page.get_by_role("button", name=re.compile(r"Apply to this column: All \d+ that")).click()
        # The moves follow: what was applied is no longer offered.
        expect(together).to_have_count(0)
        page.keyboard.press("Control+z")
        expect(together).to_be_visible()


class TradeOff(UiCase):
    def test_search_narrow_down_and_take_two_to_the_bench(self) -> None:
        self.open(f"/parts/{self.add_part(cup(24, 2.4, 8), 'traded-cup.stl')}/tradeoff")
        page = self.page
        page.get_by_role("button", name=re.compile("^Search")).wait_for()
        for axis in ("Nozzle", "Line width", "Inner lines", "Pattern", "Lines side by side", "Pace", "Acceleration"):
            page.get_by_role("checkbox", name=axis, exact=True).uncheck()
        page.get_by_role("textbox", name="Values of Layer height").fill("0.16, 0.2, 0.28")
        page.get_by_role("textbox", name="Values of Infill").fill("8, 15")
        page.get_by_role("textbox", name="Values of Walls").fill("1, 2, 3")
        page.get_by_role("button", name="Search all 18 recipes").click()
        answer = page.get_by_test_id("answer")
        expect(answer).to_contain_text("Fastest")
        expect(answer).to_contain_text("give")
        expect(page.get_by_test_id("sure")).to_contain_text("Sure within 1 %")
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

    @only_long
    def test_a_column_that_the_line_does_not_reach_is_named(self) -> None:
        self.open(f"/parts/{self.add_part(trimesh.creation.box((18, 14, 4)), 'beyond.stl')}/tradeoff")
        page = self.page
        page.get_by_role("button", name=re.compile("^Search")).wait_for()
        for axis in page.get_by_role("checkbox").all()[:-1]:
            if axis.is_checked() and "Walls" not in (axis.locator("..").text_content() or ""):
                axis.uncheck()
        page.get_by_role("textbox", name="Values of Walls").fill("5, 6")
        page.get_by_role("button", name="Search all 2 recipes").click()
        expect(page.get_by_test_id("beyond")).to_contain_text("Everyday with")

    @only_long
    def test_a_page_that_is_loaded_anew_follows_its_search_on(self) -> None:
        self.open(f"/parts/{self.add_part(trimesh.creation.box((12, 12, 1)), 'anew.stl')}/tradeoff")
        page = self.page
        page.get_by_role("textbox", name="Values of Walls").fill("1, 2")
        search = page.get_by_role("button", name=re.compile("^Search 500"))
        with page.expect_response(re.compile("/search$")) as answer:
            search.click()
        self.assertEqual(answer.value.status, 202)
        page.wait_for_function(
            "() => Object.keys(sessionStorage).some((key) => /job.*[0-9]/.test(key + sessionStorage.getItem(key)))"
        )
        page.reload()
        expect(page.get_by_test_id("answer")).to_contain_text("Fastest")
        # What was typed stands there, and can be taken back.
        walls = page.get_by_role("textbox", name="Values of Walls")
        expect(walls).to_have_value("1, 2")
        page.get_by_role("button", name="Usual values again").click()
        expect(walls).to_have_value("1, 2, 3, 4")
        expect(page.get_by_test_id("answer")).to_have_count(0)
        walls.fill("1, 2")
        expect(page.get_by_test_id("answer")).to_be_visible()
        # What the tab remembers may be gone from the workshop.
        page.evaluate("""() => { for (const key of Object.keys(sessionStorage)) if (key.startsWith("meanbead.job."))
            sessionStorage.setItem(key, sessionStorage.getItem(key).replace(/"id":\\d+/, '"id":99999999')) }""")
        page.reload()
        search.wait_for()
        expect(page.get_by_role("alert")).to_have_count(0)
        self.expected_errors = ("404",)

    def test_a_page_that_is_left_before_the_answer_asks_once_more(self) -> None:
        self.open(f"/parts/{self.add_part(trimesh.creation.box((12, 12, 1)), 'unheard.stl')}/tradeoff")
        page = self.page
        page.get_by_role("textbox", name="Values of Walls").fill("1, 2")
        page.route("**/search", lambda route: None if route.request.method == "POST" else route.continue_())
        with page.expect_request(lambda request: request.method == "POST" and request.url.endswith("/search")):
            page.get_by_role("button", name=re.compile("^Search 500")).click()
        page.unroute("**/search")
        page.reload()
        expect(page.get_by_test_id("answer")).to_contain_text("Fastest")

    @only_long
    def test_a_search_that_was_refused_is_not_asked_for_again(self) -> None:
        self.open(f"/parts/{self.add_part(trimesh.creation.box((12, 12, 1)), 'refused.stl')}/tradeoff")
        page = self.page
        asked: list[str] = []

        def spoil(route: Route) -> None:
            if route.request.method == "POST":
                asked.append(route.request.url)
                route.continue_(post_data=json.dumps({"vary": {"walls": [-1]}}))
            else:
                route.continue_()

        page.route("**/search", spoil)
        page.get_by_role("button", name=re.compile("^Search 500")).click()
        expect(page.get_by_role("alert")).to_contain_text("Walls: Must be at least 0, not -1.")
        page.reload()
        page.get_by_role("button", name=re.compile("^Search 500")).wait_for()
        page.wait_for_load_state("networkidle")
        self.assertEqual(len(asked), 1)
        self.expected_errors = ("422",)

    @only_long
    def test_a_limit_that_a_column_set_goes_with_the_column_as_it_was(self) -> None:
        part = self.add_part(trimesh.creation.box((12, 12, 6)), "stronger.stl")
        self.open(f"/parts/{part}/tradeoff")
        page = self.page
        strong = page.get_by_role("checkbox", name="At least as strong as Everyday")
        strong.check()
        page.reload()
        expect(strong).to_be_checked()
        self.open(f"/parts/{part}")
        self.wait_for_figures()
        self.set_cell("Top layers in layers", "Everyday", "9")
        self.wait_for_figures()
        self.open(f"/parts/{part}/tradeoff")
        expect(strong).to_be_enabled()
        expect(strong).not_to_be_checked()

    def test_values_that_cannot_be_are_named_beside_their_setting(self) -> None:
        self.open(f"/parts/{self.add_part(trimesh.creation.box((12, 12, 1)), 'mistyped.stl')}/tradeoff")
        page = self.page
        search = page.get_by_role("button", name=re.compile("^Search"))
        for name, text, said in (
            ("Infill", "10, 2000", "2000 cannot be: 0 to 100 %."),
            ("Walls", "2, 2.5", "Type whole numbers."),
            ("Pattern", "grid, moss", "Name some of: grid, lines"),
            ("Pace", "0, 1", "Type numbers above 0."),
            ("Nozzle", "9.9 gold", "Name nozzles of the shelf"),
        ):
            with self.subTest(name):
                box = page.get_by_role("textbox", name=f"Values of {name}", exact=True)
                usual = box.input_value()
                box.fill(text)
                expect(box).to_have_accessible_description(re.compile(re.escape(said)))
                expect(search).to_be_disabled()
                self.assertEqual(self.axe(), [])
                box.fill(usual)
                expect(search).to_be_enabled()
                expect(page.get_by_role("button", name="Usual values again")).to_have_count(0)

    @only_long
    def test_limits_that_nothing_keeps_are_said(self) -> None:
        self.open(f"/parts/{self.add_part(trimesh.creation.box((12, 12, 4)), 'limited.stl')}/tradeoff")
        page = self.page
        limit = page.get_by_role("textbox", name="Filament, most")
        limit.wait_for()
        limit.fill("little")
        limit.press("Enter")
        expect(limit).to_have_accessible_description("No number yet: the limit holds as it was.")
        expect(limit).to_have_value("little")
        limit.fill("0.01")
        limit.press("Enter")
        for axis in page.get_by_role("checkbox").all()[:-1]:
            if axis.is_checked() and "Walls" not in (axis.locator("..").text_content() or ""):
                axis.uncheck()
        page.get_by_role("button", name=re.compile("Search all")).click()
        expect(page.get_by_role("heading", name="Nothing within these limits")).to_be_visible()
        page.get_by_role("textbox", name="Shell, least").fill("9")
        page.get_by_role("button", name=re.compile("Search again")).click()
        ruled_out = page.get_by_role("listitem").filter(
            has_text=re.compile(r"^\d+ times: A shell of .* 9.00 mm wanted")
        )
        expect(ruled_out).to_be_visible()


class HouseAndShelf(UiCase):
    def test_a_school_is_kept_and_can_be_undone(self) -> None:
        page = self.open("/house-rules")
        page.get_by_label("Scattered").check()
        # It is only looked at: which columns would change stands there, and nothing has.
        shown = page.get_by_role("group", name="Seam")
        expect(shown.get_by_text(re.compile(r"\d+ columns would change"))).to_be_visible()
        expect(shown.get_by_role("listitem").first).to_contain_text("seam at the back → scattered")
        expect(page.get_by_role("button", name="Undo")).to_be_disabled()
        shown.get_by_role("button", name="Leave it as it is").click()
        expect(page.get_by_label("At the back or in a corner")).to_be_checked()
        page.get_by_label("Scattered").check()
        shown.get_by_role("button", name="Take this school").click()
        expect(page.get_by_role("button", name="Undo")).to_be_enabled()
        page.reload()
        expect(page.get_by_label("Scattered")).to_be_checked()
        page.get_by_label("At the back or in a corner").check()
        shown.get_by_role("button", name="Take this school").click()
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

    def test_a_school_shows_in_the_columns_that_leave_it_open(self) -> None:
        page = self.new_part()
        bench = page.url
        page.get_by_role("link", name="House rules").click()
        page.get_by_label("One pace for all").check()
        page.get_by_role("button", name="Take this school").click()
        expect(page.get_by_role("button", name="Take this school")).to_have_count(0)
        page.goto(bench)
        self.wait_for_figures()
        outer = self.cell("Outer wall in mm/s", "Everyday")
        expect(outer).to_contain_text("50")
        expect(outer).to_have_accessible_description("by house")
        self.set_cell("Outer wall in mm/s", "Everyday", "33")
        expect(outer).not_to_have_accessible_description("by house")
        page.get_by_role("link", name="House rules").click()
        page.get_by_label("Slow outside, fast inside").check()
        page.get_by_role("button", name="Take this school").click()
        expect(page.get_by_role("button", name="Take this school")).to_have_count(0)

    @only_long
    def test_prices_are_in_the_workshops_currency(self) -> None:
        page = self.new_part()
        bench = page.url
        self.assertIn("€", self.result("Cost", "Everyday"))
        page.get_by_role("link", name="House rules").click()
        page.get_by_label("Prices are in").select_option("CHF")
        expect(page.get_by_role("button", name="Undo")).to_be_enabled()
        page.goto(bench)
        self.wait_for_figures()
        self.assertIn("CHF", self.result("Cost", "Everyday"))
        page.get_by_role("link", name="House rules").click()
        page.get_by_label("Prices are in").select_option("EUR")
        expect(page.get_by_role("button", name="Undo")).to_be_enabled()


class Choosing(UiCase):
    def test_the_chosen_recipe_is_the_one_that_the_list_shows(self) -> None:
        page = self.new_part("chosen-block.stl")
        expect(page.get_by_role("button", name="Everyday is the chosen recipe")).to_be_visible()
        page.get_by_role("button", name="Choose Coarser for this part").click()
        expect(page.get_by_role("button", name="Coarser is the chosen recipe")).to_be_visible()
        page.get_by_role("link", name="Parts").click()
        expect(page.get_by_role("article").filter(has_text="Chosen block")).to_contain_text("Coarser")
        page.keyboard.press("Control+z")
        page.get_by_role("link", name="Chosen block").click()
        expect(page.get_by_role("button", name="Everyday is the chosen recipe")).to_be_visible()

    @only_long
    def test_a_part_is_cut_flat_and_made_whole_again(self) -> None:
        page = self.new_part("cut-block.stl", (20, 16, 10))
        page.goto(f"{page.url}/ready")
        page.get_by_role("tab", name="Turn and size").click()
        place = page.get_by_label("Place of the cut, mm")
        place.fill("12")
        place.press("Enter")
        expect(page.get_by_role("alert")).to_contain_text("under 10.00 mm")
        place.fill("2.5")
        place.press("Enter")
        expect(page.get_by_label("Size in z, mm")).to_have_value("7.50")
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_label("Size in z, mm")).to_have_value("10.00")
        page.get_by_role("button", name="Redo").click()
        expect(page.get_by_label("Size in z, mm")).to_have_value("7.50")
