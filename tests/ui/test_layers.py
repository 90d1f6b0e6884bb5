import io
import re

import numpy as np
import numpy.typing as npt
import trimesh
from PIL import Image
from playwright.sync_api import expect

from tests.running.effort import only_long
from tests.ui.browser import UiCase


class Layers(UiCase):
    """Looking at the strokes, on the page."""

    def layers(self) -> None:
        part = self.add_part(trimesh.creation.box((24, 24, 2)), "tile.stl")
        self.open(f"/parts/{part}/layers")
        expect(self.page.get_by_test_id("layer")).to_contain_text("10 of 10 · 2.00 mm")
        expect(self.page.get_by_text(re.compile("^fetching"))).to_have_count(0)

    def test_scrub_play_and_read_a_stroke(self) -> None:
        self.layers()
        page = self.page
        page.get_by_label("Layer", exact=True).focus()
        page.keyboard.press("1")
        expect(page.get_by_test_id("layer")).to_contain_text("1 of 10 · 0.20 mm")
        first = page.get_by_role("region", name="First layer")
        expect(first).to_contain_text("5.8 cm² touch the bed in one piece")
        expect(first).to_contain_text("The skirt adds")
        page.get_by_role("button", name="From above").click()
        canvas = page.get_by_role("img", name="Strokes of Everyday")
        box = canvas.bounding_box()
        assert box is not None
        expect(page.get_by_text("fetching")).to_have_count(0)
        self.next_frame()
        page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        expect(page.get_by_test_id("reading")).to_contain_text("Bottom skin, 0.44 × 0.20 mm")
        expect(page.get_by_test_id("reading")).to_contain_text("mm³/s")
        page.get_by_role("button", name="First layer").focus()
        page.keyboard.press("ArrowLeft")
        strokes = page.get_by_test_id("stroke").inner_text()
        done, whole = (int(row) for row in strokes.split(" of "))
        self.assertEqual(done, whole - 1)
        page.keyboard.press("ArrowUp")
        expect(page.get_by_test_id("layer")).to_contain_text("2 of 10")
        page.get_by_role("button", name="300 ×").click()
        page.get_by_role("button", name="Play").click()
        expect(page.get_by_test_id("layer")).to_contain_text("10 of 10")
        expect(page.get_by_role("button", name="Play")).to_be_visible()
        self.assertEqual(self.axe(), [])

    def test_colours_have_legends_with_a_second_cue(self) -> None:
        self.layers()
        page = self.page
        legend = page.get_by_role("list", name="Legend")
        expect(legend.get_by_role("button", name="O Outer wall")).to_be_visible()
        legend.get_by_role("button", name="O Outer wall").click()
        expect(legend.get_by_role("button", name="O Outer wall")).to_have_attribute("aria-pressed", "true")
        for by, entry in (
            ("speed", "mm/s"),
            ("flow", "at the melt ceiling"),
            ("cause", "Corners"),
            ("resting", "over 95 %"),
        ):
            page.get_by_label("Colour by").select_option(by)
            expect(legend).to_contain_text(entry)
        expect(page.get_by_text(re.compile("^fetching"))).to_have_count(0)
        page.get_by_label("Travel").check()
        page.get_by_label("This layer alone").check()

    @only_long
    def test_a_part_of_many_strokes_looks_the_same_drawn_simply(self) -> None:
        # The browser of the tests draws on the processor, as one without a graphics card does.
        part = self.add_part(trimesh.creation.icosphere(4, radius=22), "marble.stl")
        self._drawn(part)
        page = self.page
        every = page.get_by_label("Every stroke below")
        expect(every).not_to_be_checked()
        simply = self._covered()
        every.check()
        whole = self._covered()
        self.assertGreater(whole.sum(), 10_000)
        self.assertLess((simply ^ whole).sum(), 0.01 * whole.sum())
        # As a graphics card is given them: one strip taken many times over, all of them, with smooth edges.
        self.scripted(
            """const told = WebGL2RenderingContext.prototype.getParameter;
            WebGL2RenderingContext.prototype.getParameter = function (name) { return name === 37446 ? 'A card' : told.call(this, name); };"""
        )
        self._drawn(part)
        expect(self.page.get_by_label("Every stroke below")).to_have_count(0)
        self.assertLess((self._covered() ^ whole).sum(), 0.02 * whole.sum())

    def _drawn(self, part: int) -> None:
        self.open(f"/parts/{part}/layers")
        expect(self.page.get_by_role("img", name="Strokes of Everyday")).to_be_visible()
        expect(self.page.get_by_text(re.compile("^fetching"))).to_have_count(0)

    def _covered(self) -> npt.NDArray[np.bool_]:
        """Which pixels of the picture show plastic: darker than the bed and its lines."""
        self.next_frame()
        picture = self.page.get_by_role("img", name="Strokes of Everyday").screenshot()
        grey: npt.NDArray[np.uint8] = np.asarray(Image.open(io.BytesIO(picture)).convert("L"))
        return grey < 180

    def test_two_recipes_in_step(self) -> None:
        self.layers()
        page = self.page
        page.get_by_label("beside").select_option(label="Coarser")
        expect(page.get_by_role("img", name=re.compile("Strokes of Coarser, layer 6 of 6"))).to_be_visible()
        page.get_by_label("Layer", exact=True).fill("4")
        expect(page.get_by_role("img", name=re.compile("Strokes of Coarser, layer 3 of 6"))).to_be_visible()

    @only_long
    def test_a_share_of_the_ledger_is_seen_in_the_layers(self) -> None:
        page = self.new_part("ledgered.stl", (16, 16, 2))
        page.get_by_role("button", name=re.compile(r"^\d")).and_(
            page.get_by_title("See inner wall in the layers of Everyday")
        ).click()
        expect(page.get_by_role("button", name="I Inner wall")).to_have_attribute("aria-pressed", "true")
        page.go_back()
        self.wait_for_figures()
        page.get_by_role("button", name="Time by cause").click()
        page.get_by_title("See at the set speed in the layers of Everyday").click()
        expect(page.get_by_label("Colour by")).to_have_value("cause")


class LayersByLamp(UiCase):
    size = (390, 844)
    dark = True

    def test_they_fit_a_phone(self) -> None:
        self.new_part("phone.stl", (12, 12, 1))
        self.page.get_by_role("link", name="Layers", exact=True).first.click()
        expect(self.page.get_by_test_id("layer")).to_contain_text("5 of 5")
        self.assertEqual(self.page.evaluate("document.documentElement.scrollWidth"), 390)
        self.assertEqual(self.axe(), [])
        self.page.get_by_role("link", name="Get ready").click()
        expect(self.page.get_by_role("button", name="Thinnest walls")).to_be_visible()
        self.assertEqual(self.page.evaluate("document.documentElement.scrollWidth"), 390)
        self.assertEqual(self.axe(), [])
