import trimesh
from playwright.sync_api import expect

from tests.support.solids import stl_bytes
from tests.ui.browser import UiCase


class PartsPage(UiCase):
    expected_errors = ("422",)

    def test_shows_the_sample_parts_with_pictures(self) -> None:
        page = self.open("/")
        cup = page.get_by_role("article").filter(has_text="Herb trough")
        expect(cup).to_be_visible()
        picture = cup.locator("img")
        self.assertTrue(picture.evaluate("image => image.decode().then(() => image.naturalWidth > 100)"))
        address = page.get_by_role("link", name="List as CSV").get_attribute("href") or ""
        self.assertIn(",Herb trough,", page.request.get(self.address + address).text())
        cup.get_by_role("link", name="Herb trough").click()
        expect(page.get_by_role("heading", name="Herb trough")).to_be_visible()

    def test_add_a_part_by_choosing_a_file(self) -> None:
        page = self.open("/")
        self.upload(trimesh.creation.cylinder(8, 12), "round_foot.stl")
        expect(page.get_by_text("Round foot was added.")).to_be_visible()
        card = page.get_by_role("article").filter(has_text="Round foot").first
        expect(card).to_contain_text("16 × 16 × 12 mm")
        expect(card).to_contain_text("Everyday")  # the first column's minutes come by themselves

    def test_add_a_part_by_dropping_it(self) -> None:
        page = self.open("/")
        expect(page.get_by_role("heading", name="Parts")).to_be_visible()
        data = list(stl_bytes(trimesh.creation.box((11, 12, 13))))
        handle = page.evaluate_handle(
            """bytes => {
                const transfer = new DataTransfer();
                transfer.items.add(new File([new Uint8Array(bytes)], "dropped-block.stl"));
                return transfer;
            }""",
            data,
        )
        page.dispatch_event("main > section", "dragover", {"dataTransfer": handle})
        expect(page.get_by_text("Let go to add the part.")).to_be_visible()
        page.dispatch_event("main > section", "drop", {"dataTransfer": handle})
        expect(page.get_by_text("Dropped block was added.")).to_be_visible()

    def test_a_broken_file_says_what_is_wrong_and_what_to_do(self) -> None:
        page = self.open("/")
        whole = stl_bytes(trimesh.creation.box((20, 20, 20)))
        self.upload(whole[:400], "cut.stl")
        alert = page.get_by_role("alert")
        expect(alert).to_contain_text("promises 12 triangles but holds 6")
        expect(alert).to_contain_text("export or copy it again")
        page.get_by_role("button", name="Dismiss").click()
        expect(alert).to_have_count(0)
        self.upload(b"not a part", "letter.txt")
        expect(page.get_by_role("alert")).to_contain_text("Use STL, OBJ, 3MF, PLY or STEP")

    def test_inches_are_asked_about_and_the_answer_is_taken(self) -> None:
        page = self.open("/")
        self.upload(trimesh.creation.box((2, 1, 0.5)), "hinge.stl")
        expect(page.get_by_role("alert")).to_contain_text("looks like inches")
        page.get_by_role("button", name="inches: 50.8 × 25.4 × 12.7 mm").click()
        expect(page.get_by_text("Hinge was added.")).to_be_visible()

    def test_a_mended_part_says_what_was_mended(self) -> None:
        page = self.open("/")
        block = trimesh.creation.box((20, 20, 20))
        block.update_faces([index != 4 for index in range(12)])
        self.upload(block, "holey.stl")
        expect(page.get_by_text("1 flat hole in the surface was closed.").first).to_be_visible()

    def test_remove_a_part_and_undo(self) -> None:
        page = self.open("/")
        self.upload(trimesh.creation.box((14, 14, 14)), "short-lived.stl")
        card = page.get_by_role("article").filter(has_text="Short lived")
        # The page asks for its first figures by itself; a part that is gone by then has none, and the browser logs that.
        expect(card).to_contain_text("Everyday")
        card.get_by_role("button", name="Remove Short lived").click()
        expect(card).to_have_count(0)
        page.get_by_role("status").get_by_role("button", name="Undo").click()
        expect(card).to_have_count(1)
        page.get_by_role("button", name="Redo").click()
        expect(card).to_have_count(0)
        page.keyboard.press("Control+z")
        expect(card).to_have_count(1)

    def test_an_unknown_address_leads_back(self) -> None:
        page = self.open("/cellar")
        page.get_by_role("link", name="list of parts").click()
        expect(page.get_by_role("heading", name="Parts", exact=True)).to_be_visible()


class MissingPart(UiCase):
    expected_errors = ("404",)

    def test_says_so_and_leads_back(self) -> None:
        page = self.open("/parts/99999")
        expect(page.get_by_text("There is no part 99999.")).to_be_visible()
        expect(page.get_by_role("link", name="Back to the list of parts")).to_be_visible()
