import re

from playwright.sync_api import expect

from tests.running.effort import only_long
from tests.ui.browser import UiCase


class Rows(UiCase):
    @only_long
    def test_a_search_finds_any_row_and_only_differences_can_be_shown(self) -> None:
        page = self.new_part()
        page.get_by_label("Find a row").fill("seam")
        expect(self.cell("Seam", "Everyday")).to_be_visible()
        expect(self.cell("Walls in lines", "Everyday")).to_have_count(0)
        page.keyboard.press("Enter")
        expect(self.cell("Seam", "Everyday")).to_be_focused()
        page.get_by_label("Find a row").fill("warp drive")
        expect(page.get_by_text("No row is called that")).to_be_visible()
        page.get_by_label("Find a row").press("Escape")
        page.get_by_label("Only what differs").check()
        expect(self.cell("Nozzle", "Everyday")).to_be_visible()
        expect(self.cell("Machine", "Everyday")).to_have_count(0)

    def test_the_row_in_focus_says_what_it_does_and_what_a_step_costs(self) -> None:
        page = self.new_part()
        self.cell("Walls in lines", "Everyday").focus()
        page.keyboard.press("Alt+r")
        about = page.get_by_role("region", name="About this row")
        expect(about).to_contain_text("Two lines, or as many as reach 0.8 mm of shell")
        expect(about).to_contain_text("0 to 100")
        expect(about.get_by_role("row", name=re.compile("^3 lines"))).to_contain_text("g")
        about.get_by_role("button", name="Take 3").click()
        expect(self.cell("Walls in lines", "Everyday")).to_have_accessible_name("Walls in lines, Everyday: 3")
        self.wait_for_figures()
        self.assertEqual(self.axe(), [])
        self.cell("Line width in mm", "Everyday").focus()
        page.keyboard.press("Alt+r")
        about.get_by_role("button", name="wide inside").click()
        expect(self.cell("Line width, infill in mm", "Everyday")).to_have_accessible_name(
            "Line width, infill in mm, Everyday: 0.6"
        )
        page.keyboard.press("Control+z")
        expect(self.cell("Line width, infill in mm", "Everyday")).to_have_accessible_name(
            "Line width, infill in mm, Everyday: 0.44, default"
        )

    @only_long
    def test_heights_go_by_motor_steps_and_say_when_they_do_not(self) -> None:
        page = self.new_part()
        height = self.cell("Layer height in mm", "Everyday")
        height.focus()
        page.keyboard.press("Alt+ArrowUp")
        expect(height).to_have_accessible_name("Layer height in mm, Everyday: 0.24")
        page.keyboard.press("Alt+ArrowDown")
        page.keyboard.press("Alt+ArrowDown")
        expect(height).to_have_accessible_name("Layer height in mm, Everyday: 0.16")
        self.set_cell("Layer height in mm", "Everyday", "0.21")
        expect(height).to_have_accessible_description("off step · 0.52 d")

    def test_a_sampled_answer_comes_first_and_is_marked(self) -> None:
        page = self.new_part("tower.stl", (15, 15, 60))
        page.route("**/figures", lambda route: None)
        self.set_cell("Walls in lines", "Everyday", "4")
        note = page.get_by_role("note", name="Printing time, Everyday:")
        expect(note).to_contain_text("≈")
        expect(note).to_have_attribute("aria-busy", "true")
        page.unroute_all(behavior="ignoreErrors")
        self.set_cell("Walls in lines", "Everyday", "3")
        self.wait_for_figures()
        expect(note).not_to_contain_text("≈")

    def test_new_figures_are_said_and_any_figure_tells_how_it_comes_about(self) -> None:
        page = self.new_part("spoken.stl", (12, 12, 3))
        spoken = page.get_by_test_id("spoken")
        expect(spoken).to_be_empty()
        self.set_cell("Walls in lines", "Everyday", "4")
        self.wait_for_figures()
        grams = page.get_by_role("note", name="Filament, Everyday:")
        shown = (grams.text_content() or "").strip()
        expect(spoken).to_have_text(re.compile(rf"^Everyday: Printing time \d+ min.*, Filament {re.escape(shown)} g$"))
        grams.hover()
        expect(grams).to_have_attribute("title", re.compile(rf"cm³ × [\d.]+ g/cm³ = {re.escape(shown)} g"))


class Clipboard(UiCase):
    def setUp(self) -> None:
        super().setUp()
        self.page.context.grant_permissions(["clipboard-read", "clipboard-write"], origin=self.address)

    def clipboard(self) -> str:
        text: str = self.page.evaluate("navigator.clipboard.readText()")
        return text

    def put(self, text: str) -> None:
        self.page.evaluate("text => navigator.clipboard.writeText(text)", text)

    def test_cells_go_to_a_spreadsheet_and_back_in_one_step(self) -> None:
        page = self.new_part()
        self.cell("Walls in lines", "Everyday").focus()
        page.keyboard.press("Shift+ArrowDown")
        page.keyboard.press("Shift+ArrowRight")
        page.keyboard.press("Control+c")
        self.assertEqual(self.clipboard(), "2\t2\n4\t3")
        self.cell("Walls in lines", "Everyday").focus()
        self.put("5\t3\n7\t8\n")
        page.keyboard.press("Control+v")
        expect(self.cell("Top layers in layers", "Coarser")).to_contain_text("8")
        expect(self.cell("Walls in lines", "Everyday")).to_contain_text("5")
        page.keyboard.press("Control+z")
        expect(self.cell("Walls in lines", "Everyday")).to_have_accessible_name("Walls in lines, Everyday: 2, default")
        expect(self.cell("Top layers in layers", "Coarser")).to_contain_text("3")
        self.put("thick")
        page.keyboard.press("Control+v")
        expect(page.get_by_role("status")).to_contain_text("is not a number")

    @only_long
    def test_a_whole_column_is_copied_onto_another(self) -> None:
        page = self.new_part()
        self.set_cell("Infill in %", "Everyday", "33")
        expect(self.cell("Infill in %", "Everyday")).to_contain_text("33")
        page.get_by_role("button", name="Name of recipe 1").focus()
        page.keyboard.press("Control+c")
        copied = self.clipboard()
        self.assertIn("Infill (%)\t33", copied)
        self.assertIn("\tEveryday", copied)
        self.put("Infill (%)\t44\nNozzle\t0.8 hardened\nSomething else\t3\n")
        page.get_by_role("button", name="Name of recipe 2").focus()
        page.keyboard.press("Control+v")
        expect(self.cell("Infill in %", "Coarser")).to_contain_text("44")
        expect(self.cell("Nozzle", "Coarser")).to_contain_text("0.8 hardened")


class Filling(UiCase):
    expected_errors = ("422",)

    def test_columns_are_filled_from_elsewhere(self) -> None:
        page = self.new_part()
        page.get_by_role("button", name="Fill one from …").click()
        page.get_by_label("The first column, with another nozzle").select_option(label="0.8 hardened")
        expect(self.cell("Layer height in mm", "Everyday, 0.8 hardened")).to_contain_text("0.4")
        expect(self.cell("Walls in lines", "Everyday, 0.8 hardened")).to_contain_text("1")
        line = page.get_by_label("Nozzle / layer height / line width")
        line.fill("0.6 / 0.28 / 0.7")
        line.press("Enter")
        expect(self.cell("Line width in mm", "0.6 / 0.28 / 0.7")).to_contain_text("0.7")
        line.fill("0.9 / 0.4")
        line.press("Enter")
        expect(page.get_by_role("alert")).to_contain_text("There is no 0.9 mm nozzle on the shelf")
        self.assertEqual(self.axe(), [])


class House(UiCase):
    def test_a_recipe_is_kept_used_changed_and_its_versions_compared(self) -> None:
        page = self.new_part("mug.stl")
        page.get_by_label("You").fill("Robin")
        self.set_cell("Walls in lines", "Everyday", "3")
        page.get_by_role("button", name="Keep for the house").click()
        expect(page.get_by_text("From the house recipe")).to_be_visible()
        self.set_cell("Walls in lines", "Everyday", "4")
        expect(self.cell("Walls in lines", "Everyday")).to_contain_text("4")
        page.get_by_role("button", name="Update it from this column").click()
        expect(page.get_by_role("status")).to_contain_text("now holds what this column holds")
        page.get_by_role("button", name="Fill one from …").click()
        page.get_by_label("A house recipe").select_option(label="Everyday")
        expect(page.get_by_role("button", name="Name of recipe 3")).to_contain_text("Everyday")
        page.get_by_role("link", name="Recipes").click()
        card = page.get_by_role("listitem").filter(has_text="Everyday").first
        expect(card).to_contain_text("Walls 4 lines")
        expect(card.get_by_role("link", name="Mug")).to_have_count(2)
        self.assertEqual(self.axe(), [])
        card.get_by_role("link", name="History").click()
        expect(page.get_by_role("table").first).to_contain_text("Walls3 lines4 lines")
        expect(page.get_by_role("row", name=re.compile("Robin")).first).to_be_visible()
        self.assertEqual(self.axe(), [])
        page.get_by_role("button", name="Take version 1 again").click()
        expect(page.get_by_role("radio", name="After: version 3")).to_be_visible()
        page.go_back()
        expect(card).to_contain_text("Walls 3 lines")
        page.get_by_role("button", name="Remove Everyday").first.click()
        expect(card).to_have_count(0)
        page.keyboard.press("Control+z")
        expect(page.get_by_role("heading", name="Everyday", exact=True)).to_be_visible()

    def test_the_settings_sheet_fits_one_page_and_is_a_file_too(self) -> None:
        page = self.new_part("printed.stl")
        self.set_cell("Infill in %", "Everyday", "42")
        expect(self.cell("Infill in %", "Everyday")).to_contain_text("42")
        page.get_by_role("link", name="Settings sheet").click()
        expect(page.get_by_role("heading", name="Everyday", exact=True)).to_be_visible()
        expect(page.get_by_text("42 %")).to_be_visible()
        self.assertEqual(self.axe(), [])
        self.assertEqual(len(re.findall(rb"/Type /Page\b", page.pdf(format="A4"))), 1)
        with page.expect_download() as download:
            page.get_by_role("link", name="CSV").click()
        self.assertIn("Infill,42,%", download.value.path().read_text())


class Waterfall(UiCase):
    def test_the_difference_is_shared_out_and_the_slow_band_shown(self) -> None:
        page = self.new_part("compared.stl")
        panel = page.get_by_role("region", name="What makes the difference")
        page.get_by_role("tab", name="What makes the difference").click()
        expect(panel.get_by_role("table")).to_contain_text("Nozzle makes most of it")
        panel.get_by_role("button", name="Grams").click()
        expect(panel.get_by_role("table")).to_contain_text("g")
        page.keyboard.press("Alt+h")
        expect(page.get_by_role("img", name=re.compile("Minutes a millimetre by height"))).to_be_visible()
        self.assertEqual(self.axe(), [])
