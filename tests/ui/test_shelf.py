import threading

from playwright.sync_api import Locator, Route, expect

from meanbead.simulators.console import ConsoleServer
from tests.ui.browser import UiCase


class Shelf(UiCase):
    expected_errors = ("422",)

    def new_machine(self, name: str) -> Locator:
        """Add a machine, name it, and give its card."""
        page = self.open("/shelf")
        expect(page.get_by_role("article").first).to_be_visible()
        before = page.get_by_role("article").count()
        page.get_by_role("button", name="Add a machine").click()
        expect(page.get_by_role("article")).to_have_count(before + 1)
        field = page.get_by_role("textbox", name="Name of New machine")
        field.fill(name)
        field.press("Enter")
        card = page.get_by_role("article", name=name, exact=True)
        expect(card).to_be_visible()
        return card

    def test_a_figure_typed_over_is_kept_and_nonsense_is_told_at_the_field(self) -> None:
        card = self.new_machine("Wren")
        field = card.get_by_label("Acceleration, printing")
        field.fill("750")
        field.press("Enter")
        self.page.wait_for_load_state("networkidle")
        self.page.reload()
        expect(card.get_by_label("Acceleration, printing")).to_have_value("750")
        card.get_by_label("Kinematics").select_option(label="shared motors")
        self.page.wait_for_load_state("networkidle")
        self.page.reload()
        expect(card.get_by_label("Kinematics")).to_have_value("coupled_gantry")
        field = card.get_by_label("Start routine")
        field.fill("-5")
        field.press("Enter")
        expect(card.get_by_role("alert")).to_have_text("Must be at least 0, not -5.")
        field.fill("soon")
        field.press("Enter")
        expect(card.get_by_role("alert")).to_contain_text("Type a number")
        field.press("Escape")
        expect(card.get_by_role("alert")).to_have_count(0)

    def test_the_firmware_says_the_limits(self) -> None:
        card = self.new_machine("Plover")
        card.get_by_text("Take the limits from the firmware").click()
        report = card.get_by_role("textbox", name="Firmware report of Plover")
        report.fill("hello")
        card.get_by_role("button", name="Read the settings").click()
        expect(card.get_by_role("alert")).to_contain_text("M503")
        report.fill("echo:  M203 X210 Y180 Z9 E40\necho: M205 J0.04\n")
        card.get_by_role("button", name="Read the settings").click()
        expect(card.get_by_label("Top speed Y")).to_have_value("180")
        expect(card.get_by_label("Deviation")).to_have_value("0.04")
        expect(card.get_by_label("Jerk X")).to_have_count(0)

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
        for label in ("Acceleration, printing", "Acceleration, travel"):
            field = card.get_by_label(label)
            field.fill("60")
            field.press("Enter")
            expect(card.get_by_role("alert")).to_have_count(0)
            page.wait_for_load_state("networkidle")
        page.go_back()
        self.assertEqual(page.url, self.address + bench)
        self.wait_for_figures()
        self.assertNotEqual(self.result("Printing time", "Everyday"), before)

    def held(self, address: str) -> list[Route]:
        """The next request to an address, kept until the test lets it go on; later ones pass."""
        kept: list[Route] = []
        self.page.route(address, lambda route: kept.append(route) if not kept else route.continue_())
        return kept

    def test_a_late_answer_reaches_the_bench_that_is_open_by_then(self) -> None:
        card = self.new_machine("Tortoise")
        page = self.new_part()
        self.cell("Machine", "Everyday").click()
        page.get_by_role("combobox", name="Machine, Everyday").select_option(label="Tortoise")
        expect(self.cell("Machine", "Everyday")).to_contain_text("Tortoise")
        self.wait_for_figures()
        before = self.result("Printing time", "Everyday")
        page.get_by_role("link", name="Shelf").click()
        field = card.get_by_label("Acceleration, travel")
        field.fill("70")
        with page.expect_response("**/api/machines/*"):
            field.press("Enter")
        answers, columns = self.held("**/api/machines/*"), self.held("**/api/parts/*/recipes")
        field = card.get_by_label("Acceleration, printing")
        field.fill("50")
        field.press("Enter")
        page.go_back()
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
            expect(card.get_by_label("Acceleration, printing")).to_have_value("1250")
            server.shutdown()
