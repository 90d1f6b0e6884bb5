"""The next move beside the sheet, curves, the palette, keys, first steps, the guide, the difference of two recipes."""

from __future__ import annotations

import re

import trimesh
from playwright.sync_api import Response, expect

from tests.running.effort import only_long
from tests.ui.browser import UiCase
from tests.ui.test_advice import cup

FIRST_VIEW_BYTES = 250_000
"""Scripts, styles and letters of the first page, as they are sent."""


class NextMove(UiCase):
    advised = True

    def open_cup(self, name: str) -> None:
        self.open(f"/parts/{self.add_part(cup(), name)}")
        self.wait_for_figures()

    def test_what_saves_most_stands_in_view_and_is_one_key_away(self) -> None:
        self.open_cup("moved-cup.stl")
        page = self.page
        moves = page.get_by_role("list", name="The changes that save most").get_by_role("listitem")
        expect(moves).to_have_count(3)
        expect(page.get_by_text(re.compile(r"\d+ changes tried here"))).to_be_visible()
        for move in moves.all():
            box = move.bounding_box()
            assert box is not None
            self.assertLess(box["y"] + box["height"], 800)
        self.assertLessEqual(page.evaluate("document.documentElement.scrollHeight"), 1600)
        apply = moves.first.get_by_role("button", name=re.compile("^Apply to this column"))
        first = apply.get_attribute("aria-label") or ""
        self.assertIn("−", first)
        before = self.result("Printing time", "Everyday")
        page.keyboard.press("Alt+Shift+1")
        expect(apply).not_to_have_accessible_name(first)
        self.wait_for_figures()
        self.assertNotEqual(self.result("Printing time", "Everyday"), before)
        page.keyboard.press("Control+z")
        expect(apply).to_have_accessible_name(first)
        self.wait_for_figures()
        self.assertEqual(self.result("Printing time", "Everyday"), before)
        self.assertEqual(self.axe(), [])

    def test_the_first_answer_is_told_within_moments_of_the_figures(self) -> None:
        """No race against a clock: the first look comes back before all changes are tried, and says how far it is."""
        page = self.page
        heard: list[Response] = []
        self.listen(
            "response", lambda answer: heard.append(answer) if answer.url.endswith("/next") and answer.ok else None
        )
        # A shape of its own: of one that was looked at before, the first look brings all.
        self.open(f"/parts/{self.add_part(cup(31, 2.3, 9), 'streamed-cup.stl')}")
        expect(page.get_by_text(re.compile(r"\d+ changes tried here"))).to_be_visible()
        answers = sorted((answer.json() for answer in heard), key=lambda one: one["moves"]["tried"])
        self.assertGreater(len(answers), 1)
        self.assertLess(answers[0]["moves"]["tried"], answers[0]["moves"]["of"])
        self.assertTrue(any(one["done"] for one in answers))

    @only_long
    def test_the_head_tells_what_makes_a_column_another(self) -> None:
        self.open_cup("told-cup.stl")
        self.page.get_by_role("button", name="Duplicate Everyday").click()
        self.set_cell("Walls in lines", "Everyday copy", "4")
        head = self.page.get_by_test_id("sheet").get_by_role("columnheader").filter(has_text="Everyday copy")
        expect(head).to_contain_text("walls 4")
        expect(head).to_contain_text(re.compile(r"±\d+ %"))

    @only_long
    def test_faces_under_the_sheet_are_remembered(self) -> None:
        self.open_cup("faced-cup.stl")
        page = self.page
        page.keyboard.press("Alt+h")
        expect(page.get_by_role("img", name=re.compile("Minutes a millimetre by height"))).to_be_visible()
        page.reload()
        self.wait_for_figures()
        expect(page.get_by_role("tab", name="By height")).to_have_attribute("aria-selected", "true")
        page.get_by_role("tab", name="By height").press("ArrowLeft")
        expect(page.get_by_role("tab", name="What makes the difference")).to_be_focused()
        page.keyboard.press("Alt+w")
        expect(page.get_by_role("region", name="Where it goes")).to_be_visible()


class Curve(UiCase):
    def print_time_s(self, part_id: int) -> float:
        """What the first column takes, of all its layers, as the server says."""
        column = self.page.request.get(f"{self.address}/api/parts/{part_id}/recipes").json()["recipes"][0]
        return float(
            self.page.request.post(f"{self.address}/api/recipes/{column['id']}/estimate").json()["print_time_s"]
        )

    def test_a_number_has_a_curve_that_sets_it(self) -> None:
        page = self.new_part("curved.stl", (52, 40, 8))
        self.cell("Infill in %", "Everyday").focus()
        page.keyboard.press("Alt+r")
        curve = page.get_by_test_id("row-curve")
        rows = curve.get_by_role("row")
        expect(rows).to_have_count(10)
        expect(
            curve.get_by_text(re.compile("Eight tenths of the saving|Nothing to win here|and no sooner"))
        ).to_be_visible()
        self.assertEqual(self.axe(), [])
        shown = rows.filter(has_text=re.compile(r"^5 %")).inner_text()
        saving = re.search(r"−(?:(\d+) min)? ?(?:(\d+) s)?", shown)
        assert saving is not None, shown
        said_s = 60 * int(saving[1] or 0) + int(saving[2] or 0)
        part_id = int(page.url.rsplit("/", 1)[1])
        before_s = self.print_time_s(part_id)
        rows.get_by_role("button", name="Take 5 %", exact=True).click()
        expect(self.cell("Infill in %", "Everyday")).to_have_accessible_name("Infill in %, Everyday: 5")
        self.wait_for_figures()
        # What it was said to save is what the column saves: told in whole seconds below two minutes.
        self.assertGreater(said_s, 5)
        self.assertAlmostEqual(before_s - self.print_time_s(part_id), said_s, delta=max(1.0, 0.02 * said_s))
        expect(rows.filter(has_text="now")).to_contain_text(re.compile(r"^5 %"))

    def test_a_result_is_worked_out_in_words(self) -> None:
        page = self.new_part("worked.stl")
        page.get_by_role("note", name="Filament, Everyday:").focus()
        about = page.get_by_role("complementary")
        grams = self.result("Filament", "Everyday")
        expect(about).to_contain_text(re.compile(rf"cm³ × [\d.]+ g/cm³ = {re.escape(grams)} g"))
        about.get_by_role("link", name="How it is worked out").click()
        expect(page.get_by_role("heading", name="Bead", exact=True)).to_be_visible()


class Palette(UiCase):
    def test_a_row_a_part_and_a_page_are_found_by_letters(self) -> None:
        page = self.new_part("palette-block.stl")
        page.keyboard.press("Control+k")
        box = page.get_by_role("combobox", name="Find anything to do")
        expect(box).to_be_focused()
        page.keyboard.type("ironing")
        expect(page.get_by_role("option").first).to_contain_text("Ironing")
        self.assertEqual(self.axe(), [])
        page.keyboard.press("Enter")
        # The row was folded away.
        expect(self.cell("Ironing", "Everyday")).to_be_focused()
        page.keyboard.press("Control+k")
        page.keyboard.type("duplicate")
        page.keyboard.press("Enter")
        expect(page.get_by_test_id("sheet").get_by_role("columnheader").filter(has_text="Everyday copy")).to_have_count(
            1
        )
        page.keyboard.press("Control+k")
        page.keyboard.type("flow lab")
        page.keyboard.press("Enter")
        expect(page).to_have_url(re.compile("/flow$"))

    @only_long
    def test_the_keys_of_a_page_are_listed(self) -> None:
        page = self.new_part("keyed.stl")
        self.cell("Walls in lines", "Everyday").focus()
        page.keyboard.press("?")
        keys = page.get_by_role("dialog", name="Keys of this page")
        for words in ("Show: next move", "Duplicate Everyday", "move between cells", "Find anything to do"):
            expect(keys).to_contain_text(words)
        self.assertEqual(self.axe(), [])
        page.keyboard.press("Escape")
        expect(keys).to_have_count(0)
        page.keyboard.press("/")
        expect(page.get_by_label("Find a row")).to_be_focused()


class Beginning(UiCase):
    def test_the_sample_workshop_is_removed_whole_and_comes_back(self) -> None:
        page = self.open("/")
        names = page.get_by_role("article")
        expect(names.first).to_be_visible()
        count = names.count()
        page.get_by_role("button", name="Remove the sample workshop").click()
        expect(page.get_by_test_id("sample-note")).to_have_count(0)
        expect(page.get_by_role("heading", name="Three steps to the first true figure")).to_be_visible()
        self.assertEqual(self.axe(), [])
        page.keyboard.press("Control+z")
        page.get_by_role("link", name="Parts", exact=True).click()
        expect(names).to_have_count(count)
        expect(page.get_by_test_id("sample-note")).to_be_visible()

    def test_the_first_view_is_light(self) -> None:
        self.scripted("")  # a page of its own has nothing in its cache, nor in its memory
        page = self.open("/")
        expect(page.get_by_role("article").first).to_be_visible()
        shown_ms = page.evaluate("() => performance.now()")
        page.wait_for_load_state("networkidle")
        sent = page.evaluate(
            """(shown) => [...performance.getEntriesByType('navigation'), ...performance.getEntriesByType('resource')]
            .filter((one) => !one.name.includes('/api/') && one.startTime < shown).map((one) => one.transferSize)""",
            shown_ms,
        )
        self.assertGreater(sum(sent), 100_000)
        self.assertLess(sum(sent), FIRST_VIEW_BYTES)


class Guide(UiCase):
    @only_long
    def test_every_page_has_its_picture_and_can_be_found(self) -> None:
        page = self.open("/guide")
        links = page.get_by_role("navigation", name="Guide").get_by_role("link")
        expect(links.first).to_be_visible()
        addresses = [link.get_attribute("href") or "" for link in links.all()]
        self.assertGreaterEqual(len(addresses), 13)
        for address in addresses[:-1]:
            self.open(address)
            picture = page.get_by_role("article").get_by_role("img")
            picture.scroll_into_view_if_needed()
            page.wait_for_function(
                "() => { const one = document.querySelector('article img'); return one.complete && one.naturalWidth > 0; }"
            )
            expect(page.get_by_role("heading", level=1)).to_be_visible()
        page.get_by_role("searchbox", name="Search the guide").fill("ptfe")
        page.get_by_role("link", name="Describing your machine").click()
        expect(page.get_by_role("article")).to_contain_text("toxic fumes")
        self.assertEqual(self.axe(), [])


class Difference(UiCase):
    def test_only_what_one_of_two_recipes_has_is_counted(self) -> None:
        part = self.add_part(trimesh.creation.box((20, 16, 3)), "apart.stl")
        page = self.open(f"/parts/{part}")
        self.wait_for_figures()
        page.get_by_role("button", name="Duplicate Everyday").click()
        self.set_cell("Infill in %", "Everyday copy", "30")
        self.wait_for_figures()
        page.get_by_role("link", name="Layers", exact=True).first.click()
        page.get_by_role("combobox", name="Recipe").select_option(label="Everyday")
        page.get_by_role("combobox", name="beside").select_option(label="Everyday copy")
        page.get_by_role("button", name="Show the difference").click()
        panel = page.get_by_role("region", name="Difference in this layer")
        # The top is solid in both.
        expect(panel).to_contain_text("Both lay the same strokes here")
        page.get_by_label("Layer", exact=True).fill("7")
        expect(panel).to_contain_text(re.compile(r"Only in Everyday copy\s*[1-9]\d* strokes"))
        expect(page.get_by_role("img", name=re.compile("by height"))).to_be_visible()
        expect(page.get_by_text(re.compile("fetching"))).to_have_count(0)


if __name__ == "__main__":
    import unittest

    unittest.main()
