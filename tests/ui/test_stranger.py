"""A stranger's own workshop, from an empty start to a first estimate, with nothing but a keyboard."""

from __future__ import annotations

import re

import trimesh
from playwright.sync_api import expect

from tests.support.server import empty_server
from tests.support.solids import stl_bytes
from tests.ui.browser import UiCase

_NAME = """() => {
  const it = document.activeElement;
  if (it === null) return "";
  const label = it.labels && it.labels[0] ? it.labels[0].textContent : "";
  return [it.getAttribute("aria-label"), label, it.textContent].filter(Boolean)[0] ?? "";
}"""


class Stranger(UiCase):
    def setUp(self) -> None:
        super().setUp()
        self.address = empty_server().address

    def tab_to(self, name: str, *, role: str | None = None) -> None:
        """Press Tab until what is in focus has such a name."""
        for _ in range(150):
            self.page.keyboard.press("Tab")
            found = str(self.page.evaluate(_NAME)).strip()
            tag = str(self.page.evaluate("() => document.activeElement?.tagName ?? ''")).lower()
            if re.match(name, found) and (role is None or tag == role):
                return
        self.fail(f"Tab never comes to {name}")

    def type_over(self, text: str) -> None:
        self.page.keyboard.press("Control+a")
        self.page.keyboard.type(text)
        self.page.keyboard.press("Enter")

    def choose(self, text: str) -> None:
        """Type until the select in focus holds such an option. A browser forgets the letters so far after a second, which on a busy
        machine may pass between two of them: then it is tried again, when it has forgotten all of them."""
        for _ in range(6):
            self.page.keyboard.type(text)
            held = self.page.evaluate("() => document.activeElement.selectedOptions[0]?.textContent ?? ''")
            if str(held).casefold().startswith(text.casefold()):
                return
            self.page.wait_for_timeout(1500)
        self.fail(f"The select never comes to {text}")

    def test_own_machine_nozzle_and_material_to_a_first_estimate(self) -> None:
        page = self.open("/")
        keys = page.keyboard
        # Who opens an empty workshop meets the first steps; who follows a link to the parts, the parts.
        expect(page).to_have_url(re.compile("/begin$"))
        page.evaluate("() => sessionStorage.clear()")
        page.goto(f"{self.address}/shelf")
        self.tab_to("Parts", role="a")
        keys.press("Enter")
        expect(page.get_by_role("heading", name="Parts", level=1)).to_be_visible()
        page.wait_for_load_state("networkidle")
        expect(page).to_have_url(re.compile(r"//[^/]+/$"))
        self.tab_to("Shelf", role="a")
        keys.press("Enter")
        # The machine, by five answers.
        self.tab_to("Add a machine")
        keys.press("Enter")
        expect(page.get_by_role("dialog")).to_be_visible()
        expect(page.get_by_label("Name", exact=True)).to_be_focused()
        keys.type("Finch")
        self.tab_to("wide")
        keys.press("Control+a")
        keys.type("180")
        self.tab_to("at the nozzle")
        keys.press("ArrowDown")  # a long tube
        keys.press("Enter")
        card = page.get_by_role("article", name="Finch")
        expect(card.get_by_label("Drive", exact=True)).to_have_value("long_tube")
        expect(card.get_by_label("Width mm", exact=True)).to_have_value("180")
        # First in the order, so that new parts start with it.
        self.tab_to("Finch")
        keys.press("Alt+ArrowUp")
        expect(page.get_by_role("list", name="Machines").get_by_role("listitem").first).to_contain_text("Finch")
        # A nozzle of half a millimetre.
        page.get_by_role("tab", name=re.compile("Machines")).focus()
        keys.press("ArrowRight")
        self.tab_to("Add a nozzle")
        keys.press("Enter")
        expect(page.get_by_role("article", name="New nozzle")).to_be_visible()
        self.tab_to("Name of New nozzle")
        self.type_over("0.5 steel")
        self.tab_to("Bore")
        self.type_over("0.5")
        self.tab_to("Metal")
        self.choose("hard")
        expect(page.get_by_role("article", name="0.5 steel").get_by_label("Metal", exact=True)).to_have_value(
            "hardened_steel"
        )
        # A plastic of the library, with what a spool of it costs here.
        page.get_by_role("tab", name=re.compile("Nozzles")).focus()
        keys.press("ArrowRight")
        self.tab_to("Add a material like", role="select")
        self.choose("ASA")
        self.tab_to("Add", role="button")
        keys.press("Enter")
        expect(page.get_by_role("article", name="ASA")).to_be_visible()
        self.tab_to("A spool costs")
        self.type_over("27")
        expect(page.get_by_role("button", name="A spool costs is set; say measured")).to_be_visible()
        # The part, and its first column on all three.
        page.get_by_role("link", name="Parts").press("Enter")
        page.get_by_label("Part files").set_input_files(
            {
                "name": "peg.stl",
                "mimeType": "application/octet-stream",
                "buffer": stl_bytes(trimesh.creation.box((18, 14, 9))),
            }
        )
        page.get_by_role("link", name="Peg").press("Enter")
        self.wait_for_figures()
        expect(self.cell("Machine", "Everyday")).to_contain_text("Finch")
        for row, choice in (("Nozzle", "0.5 steel"), ("Material", "ASA")):
            self.cell(row, "Everyday").focus()
            keys.press("Enter")
            expect(page.get_by_role("combobox", name=f"{row}, Everyday")).to_be_focused()
            self.choose(choice)
            keys.press("Enter")
            expect(self.cell(row, "Everyday")).to_contain_text(choice)
        self.wait_for_figures()
        self.assertRegex(self.result("Printing time", "Everyday"), r"\d+ (min|s|h)")
        page.get_by_role("button", name="4 more results").press("Enter")
        self.assertIn("€", self.result("· filament", "Everyday"))
        # ASA warps in the open: its column starts with a brim, and nothing calls that a risk.
        expect(self.cell("Start with", "Everyday")).to_contain_text("brim")
        expect(page.get_by_text("Caution", exact=True).first).to_be_visible()
        expect(page.get_by_text("Risk", exact=True)).to_have_count(0)
