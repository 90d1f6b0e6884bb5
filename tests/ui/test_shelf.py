import json
import re
import threading

from playwright.sync_api import Locator, Route, expect

from meanbead.simulators.console import ConsoleServer
from tests.running.effort import only_long
from tests.ui.browser import UiCase


class Shelf(UiCase):
    expected_errors = ("422", "409")

    def card(self, name: str) -> Locator:
        return self.page.get_by_role("article", name=name, exact=True)

    def named(self, name: str, kind: str) -> Locator:
        """Rename the row that was just added, and give its card."""
        article = self.page.get_by_role("article")
        expect(article).to_have_accessible_name(re.compile(f"New {kind}|My machine|copy"))
        field = article.get_by_role("textbox", name=re.compile("^Name of "))
        field.fill(name)
        field.press("Enter")
        expect(self.card(name)).to_be_visible()
        return self.card(name)

    def new_machine(self, name: str) -> Locator:
        """Add a machine by its five answers, name it, and give its card."""
        page = self.open("/shelf")
        page.get_by_role("button", name="Add a machine").click()
        questions = page.get_by_role("dialog", name="A machine in five answers")
        questions.get_by_label("Name").fill(name)
        questions.get_by_role("button", name="Put it on the shelf").click()
        expect(self.card(name)).to_be_visible()
        return self.card(name)

    def test_a_figure_typed_over_is_kept_and_nonsense_is_told_at_the_field(self) -> None:
        card = self.new_machine("Wren")
        field = card.get_by_label("Acceleration, printing mm/s²", exact=True)
        field.fill("750")
        field.press("Enter")
        expect(card.get_by_role("button", name="Acceleration, printing is set; say measured")).to_be_visible()
        self.page.reload()
        expect(card.get_by_label("Acceleration, printing mm/s²", exact=True)).to_have_value("750")
        card.get_by_label("What moves", exact=True).select_option(label="a gantry, motors shared")
        expect(card.get_by_role("button", name="What moves is set; say measured")).to_be_visible()
        self.page.reload()
        expect(card.get_by_label("What moves", exact=True)).to_have_value("coupled_gantry")
        field = card.get_by_label("Start routine s", exact=True)
        field.fill("-5")
        field.press("Enter")
        expect(card.get_by_role("alert")).to_have_text("Must be at least 0, not -5.")
        field.fill("soon")
        field.press("Enter")
        expect(card.get_by_role("alert")).to_contain_text("Type a number")
        field.press("Escape")
        expect(card.get_by_role("alert")).to_have_count(0)

    def test_answers_make_the_machine_and_a_figure_says_where_it_comes_from(self) -> None:
        page = self.open("/shelf")
        page.get_by_role("button", name="Add a machine").click()
        questions = page.get_by_role("dialog")
        questions.get_by_label("Name").fill("Curlew")
        questions.get_by_label("wide").fill("none")
        questions.get_by_role("button", name="Put it on the shelf").click()
        expect(questions.get_by_role("alert")).to_contain_text("Give the room")
        questions.get_by_label("wide").fill("310")
        questions.get_by_label("a long melt zone").check()
        questions.get_by_label("the head goes both ways").check()
        questions.get_by_label("I can paste its report").check()
        questions.get_by_role("button", name="Put it on the shelf").click()
        card = self.card("Curlew")
        expect(card.get_by_label("Width mm", exact=True)).to_have_value("310")
        expect(card.get_by_label("Melt zone mm", exact=True)).to_have_value("21")
        expect(card.get_by_label("No ripple up to mm/s²", exact=True)).to_have_value("2500")
        # It wanted to be asked: that is open already.
        expect(card.get_by_role("textbox", name="Firmware report of Curlew")).to_be_visible()
        mark = card.get_by_role("button", name="Melt zone is typical; say set")
        mark.click()
        card.get_by_role("button", name="Melt zone is set; say measured").click()
        expect(card.get_by_role("button", name="Melt zone is measured; say typical")).to_be_visible()
        page.get_by_role("button", name="Undo").click()
        expect(card.get_by_role("button", name="Melt zone is set; say measured")).to_be_visible()

    @only_long
    def test_the_firmware_says_the_limits(self) -> None:
        card = self.new_machine("Plover")
        card.get_by_text("Take the limits from the firmware").click()
        report = card.get_by_role("textbox", name="Firmware report of Plover")
        report.fill("hello")
        card.get_by_role("button", name="Read the settings").click()
        expect(card.get_by_role("alert")).to_contain_text("M503")
        report.fill("echo: M92 Z800\necho:  M203 X210 Y180 Z9 E40\necho: M205 J0.04\n")
        card.get_by_role("button", name="Read the settings").click()
        card.get_by_role("button", name=re.compile("All figures")).click()
        expect(card.get_by_label("Top speed Y mm/s", exact=True)).to_have_value("180")
        expect(card.get_by_label("Deviation mm", exact=True)).to_have_value("0.04")
        expect(card.get_by_label("Full step of Z mm", exact=True)).to_have_value("0.02")
        expect(card.get_by_role("button", name="Top speed Y is measured; say typical")).to_be_visible()
        expect(card.get_by_label("Jerk X mm/s", exact=True)).to_have_count(0)

    @only_long
    def test_heights_on_whole_steps_are_taken_into_a_column(self) -> None:
        page = self.new_part()
        bench = page.url
        card = self.new_machine("Dotterel")
        lead = card.get_by_label("Lead of the Z screw mm a turn", exact=True)
        lead.fill("8")
        lead.press("Enter")
        steps = card.get_by_role("region", name="Full-step heights")
        expect(steps).to_contain_text("of 0.04 mm")
        steps.get_by_role("row", name=re.compile("^0.4 brass")).get_by_role("button", name="0.28").click()
        page.wait_for_url(bench)
        self.wait_for_figures()
        expect(self.cell("Layer height in mm", "0.28 mm layers")).to_contain_text("0.28")
        expect(self.cell("Machine", "0.28 mm layers")).to_contain_text("Dotterel")
        page.get_by_role("button", name="Undo").click()
        expect(self.cell("Machine", "0.28 mm layers")).to_have_count(0)

    @only_long
    def test_its_start_text_takes_what_replaying_it_takes(self) -> None:
        card = self.new_machine("Whimbrel")
        card.get_by_text("Start and end text").click()
        text = card.get_by_label("Start text")
        text.fill("M190 S60\nM109 S210\nG28\nG4 P5000")
        expect(card.get_by_text("takes 20 s beside heating; heats the bed, then the nozzle")).to_be_visible()
        text.blur()
        # What the text says need not be typed any more.
        expect(card.get_by_label("Start routine s", exact=True)).to_have_count(0)

    def test_a_slower_machine_moves_the_minutes_on_the_bench(self) -> None:
        card = self.new_machine("Snail")
        page = self.new_part()
        self.cell("Machine", "Everyday").click()
        page.get_by_role("combobox", name="Machine, Everyday").select_option(label="Snail")
        expect(self.cell("Machine", "Everyday")).to_contain_text("Snail")
        self.wait_for_figures()
        before = self.result("Printing time", "Everyday")
        bench = page.url.removeprefix(self.address)
        page.get_by_role("link", name="Shelf").click()
        page.get_by_role("button", name=re.compile("^Snail")).click()
        expect(card).to_contain_text("decides 1 column on 1 part")
        for label in ("Acceleration, printing", "Acceleration, travel"):
            field = card.get_by_label(f"{label} mm/s²", exact=True)
            field.fill("60")
            field.press("Enter")
            expect(card.get_by_role("button", name=f"{label} is set; say measured")).to_be_visible()
            expect(card.get_by_role("alert")).to_have_count(0)
        page.goto(self.address + bench)
        self.wait_for_figures()
        self.assertNotEqual(self.result("Printing time", "Everyday"), before)

    def held(self, address: str) -> list[Route]:
        """The next request to an address, kept until the test lets it go on; later ones pass."""
        kept: list[Route] = []
        self.page.route(address, lambda route: kept.append(route) if not kept else route.continue_())
        return kept

    @only_long
    def test_a_late_answer_reaches_the_bench_that_is_open_by_then(self) -> None:
        card = self.new_machine("Tortoise")
        page = self.new_part()
        bench = page.url
        self.cell("Machine", "Everyday").click()
        page.get_by_role("combobox", name="Machine, Everyday").select_option(label="Tortoise")
        expect(self.cell("Machine", "Everyday")).to_contain_text("Tortoise")
        self.wait_for_figures()
        before = self.result("Printing time", "Everyday")
        page.get_by_role("link", name="Shelf").click()
        page.get_by_role("button", name=re.compile("^Tortoise")).click()
        field = card.get_by_label("Acceleration, travel mm/s²", exact=True)
        field.fill("70")
        with page.expect_response("**/api/machines/*"):
            field.press("Enter")
        answers, columns = self.held("**/api/machines/*"), self.held("**/api/parts/*/recipes")
        field = card.get_by_label("Acceleration, printing mm/s²", exact=True)
        field.fill("50")
        field.press("Enter")
        page.go_back()
        page.wait_for_url(bench)
        expect(page.get_by_text("Fetching the recipes")).to_be_visible()
        # The machine's answer comes while the bench still waits for its columns: neither may lose the other.
        with page.expect_response("**/api/machines/*"):
            answers[0].continue_()
        self.next_frame()
        columns[0].continue_()
        self.wait_for_figures()
        self.assertNotEqual(self.result("Printing time", "Everyday"), before)

    def test_the_machines_own_console_is_asked(self) -> None:
        card = self.new_machine("Dunlin")
        card.get_by_text("Take the limits from the firmware").click()
        field = card.get_by_label("Ask its console at")
        field.fill("nowhere")
        field.press("Enter")
        expect(card.get_by_role("alert")).to_contain_text("Give host and port")
        with ConsoleServer() as server:
            threading.Thread(target=server.serve_forever, daemon=True).start()
            field.fill(server.address)
            card.get_by_role("button", name="Ask").click()
            expect(card.get_by_label("Acceleration, printing mm/s²", exact=True)).to_have_value("1250")
            server.shutdown()

    def test_a_nozzle_is_added_copied_put_in_order_and_taken_off_by_keyboard(self) -> None:
        page = self.open("/shelf?kind=nozzles")
        page.get_by_role("button", name="Add a nozzle").press("Enter")
        card = self.named("Zebra", "nozzle")
        bore = card.get_by_label("Bore mm", exact=True)
        bore.fill("0.5")
        bore.press("Enter")
        card.get_by_label("Metal", exact=True).select_option(label="brass, hard tip")
        card.get_by_label("Inner shape", exact=True).select_option(label="split channels")
        channels = card.get_by_label("Channels", exact=True)
        channels.fill("3")
        channels.press("Enter")
        rows = page.get_by_role("list", name="Nozzles")
        expect(rows.get_by_role("button", name=re.compile("^Zebra"))).to_contain_text("0.5 mm, hard tip")
        last = rows.get_by_role("listitem").last
        expect(last).to_contain_text("Zebra")
        rows.get_by_role("button", name=re.compile("^Zebra")).press("Alt+ArrowUp")
        expect(last).not_to_contain_text("Zebra")
        card.get_by_role("button", name="Duplicate").press("Enter")
        self.named("Zebra two", "nozzle")
        self.card("Zebra two").get_by_role("button", name="Remove").press("Enter")
        expect(rows.get_by_role("button", name=re.compile("^Zebra two"))).to_have_count(0)
        page.get_by_role("status").get_by_role("button", name="Undo").press("Enter")
        expect(rows.get_by_role("button", name=re.compile("^Zebra two"))).to_be_visible()
        # Other tests count on the sample's nozzles alone.
        for name in ("Zebra two", "Zebra"):
            rows.get_by_role("button", name=re.compile(f"^{name}(?! two)")).click()
            self.card(name).get_by_role("button", name="Remove").click()
            expect(rows.get_by_role("button", name=re.compile(f"^{name}(?! two)"))).to_have_count(0)

    @only_long
    def test_a_plastic_of_the_library_is_priced_and_given_as_a_file(self) -> None:
        page = self.open("/shelf?kind=materials")
        page.get_by_label("Add a material like").select_option(label="ASA")
        page.get_by_role("button", name="Add", exact=True).click()
        card = self.card("ASA")
        expect(card.get_by_label("Nozzle °C", exact=True)).to_have_value("250")
        price = card.get_by_label("A spool costs €", exact=True)
        price.fill("31,50")
        price.press("Enter")
        expect(card.get_by_role("button", name="A spool costs is set; say measured")).to_be_visible()
        page.reload()
        expect(card.get_by_label("A spool costs €", exact=True)).to_have_value("31.5")
        with page.expect_download() as waiting:
            card.get_by_role("link", name="Save as a file").click()
        given = json.loads(waiting.value.path().read_text())
        self.assertEqual((given["kind"], given["content"]["spool_price"]), ("material", 31.5))
        given["name"] = "ASA from elsewhere"
        page.get_by_label("File of a shelf row").set_input_files(
            {"name": "asa.json", "mimeType": "application/json", "buffer": json.dumps(given).encode()}
        )
        expect(self.card("ASA from elsewhere").get_by_label("A spool costs €", exact=True)).to_have_value("31.5")
        page.get_by_label("File of a shelf row").set_input_files(
            {"name": "x.json", "mimeType": "application/json", "buffer": b"no json"}
        )
        expect(page.get_by_role("status")).to_contain_text("That file is no JSON")

    def test_a_spool_is_added_weighed_and_its_dryness_told(self) -> None:
        page = self.open("/shelf?kind=spools")
        page.get_by_label("Add a spool of").select_option(label="PETG, bottle green")
        page.get_by_role("button", name="Add", exact=True).click()
        card = page.get_by_role("article")
        expect(card).to_contain_text("PETG drinks, and nobody has said when it was opened or dried.")
        weigh = card.get_by_label("Weigh the whole spool")
        weigh.fill("800")
        weigh.press("Enter")
        expect(card.get_by_role("alert")).to_contain_text("empty spool's weight is not known")
        empty = card.get_by_label("The empty spool weighs g", exact=True)
        empty.fill("200")
        empty.press("Enter")
        expect(empty).to_have_value("200")
        weigh.press("Enter")
        expect(card.get_by_label("Left on it g", exact=True)).to_have_value("600")
        expect(card.get_by_role("button", name="Left on it is measured; say typical")).to_be_visible()
        card.get_by_label("Opened on", exact=True).fill("2020-01-02")
        card.get_by_label("Opened on", exact=True).press("Enter")
        expect(card).to_contain_text("Damp.")

    def test_a_purpose_is_added_and_given_to_a_part_where_it_fills_in(self) -> None:
        page = self.open("/shelf?kind=purposes")
        page.get_by_role("button", name="Add a purpose").click()
        card = self.named("Planter", "purpose")
        shell = card.get_by_label("Least shell mm", exact=True)
        shell.fill("2")
        shell.press("Enter")
        expect(shell).to_have_value("2")
        part = self.new_part()
        walls = self.cell("Walls in lines", "Everyday")
        expect(walls).to_contain_text("2")
        address = part.url
        part.goto(f"{address}/ready")
        part.get_by_role("tab", name="What it is for").click()
        part.get_by_role("button", name="Planter").click()
        expect(part.get_by_label("Least shell mm", exact=True)).to_have_value("2")
        part.goto(address)
        self.wait_for_figures()
        expect(walls).to_contain_text("5")
        expect(walls).to_have_accessible_description("by purpose")

    def test_another_window_has_changed_it(self) -> None:
        self.hear_nothing()
        card = self.new_machine("Redshank")
        other = self.page.context.new_page()
        other.goto(self.page.url)
        field = other.get_by_role("article").get_by_label("Width mm", exact=True)
        field.fill("199")
        field.press("Enter")
        expect(other.get_by_role("button", name="Width is set; say measured")).to_be_visible()
        mine = card.get_by_label("Depth mm", exact=True)
        mine.fill("188")
        mine.press("Enter")
        expect(card.get_by_role("alert")).to_contain_text("Nothing was overwritten")
        mine.press("Enter")
        expect(card.get_by_role("button", name="Depth is set; say measured")).to_be_visible()
        expect(card.get_by_label("Width mm", exact=True)).to_have_value("199")
