import json
import re
import urllib.request

import trimesh
from playwright.sync_api import Route, expect

from tests.running.effort import only_long
from tests.ui.browser import UiCase


class Editing(UiCase):
    expected_errors = ("422", "409", "ERR_FAILED")

    def test_a_changed_cell_moves_the_minutes_and_outlives_a_reload(self) -> None:
        page = self.new_part()
        before = self.result("Printing time", "Everyday")
        layers = self.result("Layers", "Everyday")
        self.set_cell("Layer height in mm", "Everyday", "0.12")
        expect(page.get_by_role("note", name="Layers, Everyday: 50")).to_be_visible()
        self.wait_for_figures()
        after = self.result("Printing time", "Everyday")
        self.assertNotEqual(before, after)
        self.assertEqual(layers, "30")
        page.reload()
        self.wait_for_figures()
        self.assertEqual(self.result("Printing time", "Everyday"), after)
        expect(self.cell("Layer height in mm", "Everyday")).to_contain_text("0.12")

    def test_quick_edits_and_a_reload_in_the_middle_lose_nothing(self) -> None:
        page = self.new_part()
        edits = (
            ("Walls in lines", "4"),
            ("Top layers in layers", "6"),
            ("Infill in %", "22"),
            ("Travel in mm/s", "120"),
        )
        for row, text in edits:
            self.set_cell(row, "Everyday", text)
        page.reload()
        self.wait_for_figures()
        for row, text in edits:
            expect(self.cell(row, "Everyday")).to_have_accessible_name(f"{row}, Everyday: {text}")

    def test_picking_a_nozzle_carries_heights_along(self) -> None:
        page = self.new_part()
        self.cell("Nozzle", "Everyday").click()
        page.get_by_role("combobox", name="Nozzle, Everyday").select_option(label="0.8 hardened")
        expect(self.cell("Layer height in mm", "Everyday")).to_contain_text("0.4")
        self.wait_for_figures()
        self.assertEqual(self.result("Layers", "Everyday"), "15")

    def change_elsewhere(self, choices: dict[str, int]) -> None:
        """Write to the first column as another page would."""
        part = self.page.url.rsplit("/", 1)[1]
        with urllib.request.urlopen(f"{self.address}/api/parts/{part}/recipes") as answer:
            column = json.load(answer)["recipes"][0]
        body = json.dumps({"version": column["version"], "choices": choices}).encode()
        request = urllib.request.Request(
            f"{self.address}/api/recipes/{column['id']}", body, {"Content-Type": "application/json"}, method="PATCH"
        )
        urllib.request.urlopen(request).close()

    @only_long
    def test_names_that_come_late_are_nobodys_change(self) -> None:
        page = self.page
        kept: list[Route] = []
        part = self.add_part(trimesh.creation.box((20, 20, 6)), "late.stl")
        page.route("**/api/shelf", lambda route: kept.append(route))
        self.open(f"/parts/{part}")
        self.cell("Machine", "Everyday").click()
        for route in kept:
            route.continue_()
        page.get_by_role("combobox", name="Machine, Everyday").select_option(label="Kestrel")
        expect(self.cell("Machine", "Everyday")).to_contain_text("Kestrel")

    @only_long
    def test_a_change_that_arrives_while_one_types_is_told_at_the_cell(self) -> None:
        page = self.new_part()
        self.cell("Top layers in layers", "Everyday").click()
        page.keyboard.press("Control+a")
        page.keyboard.type("9")
        self.change_elsewhere({"top_layers": 7, "walls": 5})
        expect(self.cell("Walls in lines", "Everyday")).to_contain_text("5")
        page.keyboard.press("Enter")
        expect(page.get_by_text("it is 7 now. Enter keeps yours, Escape theirs.")).to_be_visible()
        page.keyboard.press("Enter")
        expect(self.cell("Top layers in layers", "Everyday")).to_contain_text("9")

class Keyboard(UiCase):
    def test_from_the_list_to_an_edit_with_keys_only(self) -> None:
        page = self.open("/")
        expect(page.get_by_role("link", name="Bin tag")).to_be_visible()
        self.tab_until("document.activeElement.textContent === 'Bin tag'")
        page.keyboard.press("Enter")
        self.wait_for_figures()
        self.tab_until("(document.activeElement.getAttribute('aria-label') ?? '').startsWith('Layer height')")
        page.keyboard.press("F2")
        page.keyboard.press("Control+a")
        page.keyboard.type("0.24")
        page.keyboard.press("Enter")
        # The focus begins in the recipe that was chosen for the part.
        expect(page.get_by_role("button", name=re.compile(r"^Layer height in mm, .*: 0\.24"))).to_have_count(1)


class Naming(UiCase):
    @only_long
    def test_a_part_is_renamed_and_keeps_its_name(self) -> None:
        page = self.new_part()
        page.get_by_role("button", name="Rename").click()
        page.get_by_role("textbox", name="Name of the part").fill("Left foot")
        page.keyboard.press("Enter")
        expect(page.get_by_role("heading", level=1)).to_contain_text("Left foot")
        page.reload()
        expect(page.get_by_role("heading", level=1)).to_contain_text("Left foot")
        page.get_by_role("button", name="Rename").click()
        page.get_by_role("textbox", name="Name of the part").fill("Nothing")
        page.keyboard.press("Escape")
        expect(page.get_by_role("heading", level=1)).to_contain_text("Left foot")


class Beside(UiCase):
    """What stands beside the sheet follows what is typed and where one is."""

    expected_errors = ("422",)

    def test_the_bead_the_row_in_focus_and_the_gauge_follow_and_a_hot_lining_stops(self) -> None:
        page = self.new_part(size=(60, 60, 3))
        self.cell("Layer height in mm", "Everyday").click()
        expect(page.get_by_role("img", name="0.44 mm wide and 0.2 mm high")).to_be_visible()
        page.keyboard.press("Control+a")
        page.keyboard.type("0.3")
        expect(page.get_by_role("img", name="0.44 mm wide and 0.3 mm high")).to_be_visible()
        page.keyboard.press("Escape")
        expect(page.get_by_role("img", name="0.44 mm wide and 0.2 mm high")).to_be_visible()

        aside = page.get_by_role("complementary")
        page.get_by_role("note", name="Printing time, Everyday:").focus()
        expect(aside).to_contain_text(re.compile(r"accelerations and corner limits \d+ %"))

        self.set_cell("Infill speed in mm/s", "Everyday", "250")
        expect(aside).to_contain_text("Infill is slowed to")
        self.wait_for_figures()
        expect(page.get_by_role("note", name="Peak flow, Everyday:")).to_contain_text("held back")
        page.keyboard.press("Alt+s")
        expect(page.get_by_role("dialog").get_by_text("Slowed to what the hot end melts").first).to_be_visible()
        page.keyboard.press("Escape")
        expect(page.get_by_role("dialog")).to_have_count(0)

        self.set_cell("Nozzle temperature in °C", "Everyday", "250")
        expect(page.get_by_text("the lining gives off toxic fumes").first).to_be_visible()
        expect(page.get_by_text("Stop", exact=True).first).to_be_visible()


class Ledger(UiCase):
    @only_long
    def test_bars_and_table_show_time_or_grams(self) -> None:
        page = self.new_part()
        section = page.get_by_role("region", name="Where it goes")
        expect(section.get_by_role("rowheader", name="Outer wall")).to_be_visible()
        self.assertGreater(section.locator("path.recharts-rectangle").count(), 8)
        expect(section.get_by_role("columnheader", name="Minutes")).to_be_visible()
        section.get_by_role("button", name="Grams by feature").click()
        expect(section.get_by_role("columnheader", name="Grams")).to_be_visible()
        expect(section.get_by_role("rowheader", name="Travel")).to_have_count(0)
        section.get_by_role("button", name="Time by cause").click()
        expect(section.get_by_role("rowheader", name="Travelling")).to_be_visible()
        # A block of 20 mm has short sides: what holds it is said, with what would help.
        expect(section.get_by_role("listitem").first).to_contain_text("% of this print is")


class AllChoices(UiCase):
    expected_errors = ("422",)

    @only_long
    def test_the_rest_of_a_group_unfolds_and_stays_so(self) -> None:
        page = self.new_part()
        expect(self.cell("Seam", "Everyday")).to_have_count(0)
        page.get_by_role("button", name="more choices of Shell").click()
        expect(self.cell("Seam", "Everyday")).to_have_accessible_name("Seam, Everyday: at the back, default")
        page.reload()
        self.wait_for_figures()
        self.cell("Spiral", "Everyday").click()
        page.get_by_role("combobox", name="Spiral, Everyday").select_option(label="yes")
        expect(self.cell("Spiral", "Everyday")).to_have_accessible_name("Spiral, Everyday: yes")
        page.get_by_role("button", name="fewer choices of Shell").click()
        # What is set stays in sight.
        expect(self.cell("Spiral", "Everyday")).to_be_visible()
        expect(self.cell("Seam", "Everyday")).to_have_count(0)

    @only_long
    def test_a_raft_and_ironing_show_in_the_ledger(self) -> None:
        page = self.new_part()
        self.cell("Start with", "Everyday").click()
        page.get_by_role("combobox", name="Start with, Everyday").select_option(label="raft")
        expect(self.cell("Start with", "Everyday")).to_contain_text("raft")
        page.get_by_role("button", name="more choices of Finish").click()
        self.cell("Ironing", "Everyday").click()
        page.get_by_role("combobox", name="Ironing, Everyday").select_option(label="all top faces")
        expect(self.cell("Ironing", "Everyday")).to_contain_text("all top faces")
        self.wait_for_figures()
        for feature in ("L Raft", "Q Ironing"):
            expect(page.get_by_role("rowheader", name=feature)).to_be_visible()
        expect(page.get_by_text("Wear eye protection").first).to_be_visible()

    @only_long
    def test_height_ranges_are_one_line_of_text(self) -> None:
        page = self.new_part()
        page.get_by_role("button", name="more choices of Infill").click()
        self.set_cell("Height ranges", "Everyday", "0-2: infill 60, walls 4; 3-5: top 0")
        expect(self.cell("Height ranges", "Everyday")).to_have_accessible_name(
            "Height ranges, Everyday: 0-2: infill 60, walls 4; 3-5: top 0"
        )
        self.set_cell("Height ranges", "Everyday", "0-2: magic 3")
        expect(page.get_by_role("alert").first).to_contain_text("is not known")
        page.keyboard.press("Escape")
        self.set_cell("Height ranges", "Everyday", "5-2: walls 3")
        expect(page.get_by_role("alert").first).to_contain_text("above from_mm")
        page.keyboard.press("Escape")


class Replayed(UiCase):
    expected_errors = ("422",)

    def send(self, text: str) -> None:
        payload = {"name": "elsewhere.gcode", "mimeType": "text/plain", "buffer": text.encode()}
        self.page.get_by_role("button", name="Fill one from …").click()
        self.page.get_by_label("G-code file to replay").set_input_files(payload)  # type: ignore[arg-type]

    def test_a_file_stands_next_to_the_recipes(self) -> None:
        page = self.new_part()
        self.send("M83\nG1 Z0.2 F300\n; feature: outer_wall\nG1 X600 E20 F1200\nG1 Y600 E20\n")
        expect(page.get_by_role("note", name="Printing time, elsewhere: 1 min")).to_be_visible()
        expect(page.get_by_text("replays elsewhere.gcode")).to_be_visible()
        expect(page.get_by_role("note", name="Walls, elsewhere: in the file", exact=True)).to_be_visible()
        expect(self.cell("Walls in lines", "elsewhere")).to_have_count(0)
        self.assertEqual(self.axe(), [])
        page.get_by_role("button", name="Undo", exact=True).first.click()
        expect(page.get_by_text("replays elsewhere.gcode")).to_have_count(0)

    def test_where_a_file_goes_beyond_the_machine_is_marked_in_its_layers(self) -> None:
        page = self.new_part()
        lines = ["M83", "G28", "G1 Z0.2 F300", "G1 X50 Y20 E2 F1200"]
        lines += [f"G1 X{20 + k} Y{20 + 30 * (k % 2)} E1" for k in range(6)]
        lines += ["G1 Z0.4 F300", "G1 X100 E0.2 F60000", "G1 X240 E2 F1200", "G1 X100 Y40 E2"]
        self.send("\n".join(lines) + "\n")
        expect(page.get_by_text("replays elsewhere.gcode")).to_be_visible()
        page.get_by_role("link", name="Layers").first.click()
        expect(page.get_by_test_id("layer")).to_be_visible()
        page.get_by_role("combobox", name="Recipe").select_option(label="elsewhere")
        expect(page.get_by_label("Colour by")).to_have_value("beyond")
        marks = page.get_by_role("list", name="Lines beyond the machine").get_by_role("button")
        expect(marks).to_have_count(2)
        expect(marks.nth(0)).to_contain_text("line 12, layer 2: asks for 1000 mm/s where the axes have")
        expect(marks.nth(1)).to_contain_text("line 13, layer 2: lays plastic at 240.0 mm, and the bed ends at 220")
        page.get_by_role("button", name="First layer").click()
        expect(page.get_by_test_id("layer")).to_contain_text("1 of 2")
        marks.nth(1).click()
        expect(page.get_by_test_id("layer")).to_contain_text("2 of 2")
        self.assertEqual(self.axe(), [])

    @only_long
    def test_what_is_no_gcode_is_told(self) -> None:
        page = self.new_part()
        self.send("once upon a time")
        expect(page.get_by_role("status")).to_contain_text("no ")
        expect(page.get_by_text("replays elsewhere.gcode")).to_have_count(0)
