"""What holds for each page: one visit, looked at in every way that there is."""

from __future__ import annotations

import re
import unicodedata
from typing import ClassVar

from playwright.sync_api import Error, Request, Response, expect

from tests.ui.browser import UiCase

ACCENT = "\u0301"
WORD = re.compile(r"[^\W\d_]{3,}")
# What the browser writes by the locale, names of keys, and what is written the same in every language.
SAME = set("Mean Bead Ctrl Alt Esc min kWh cm² cm³ mm² mm³ PDF CSV STL host port gcode".split())
DATES = set("Monday Tuesday Wednesday Thursday Friday Saturday Sunday".split())
DATES |= set("January February March April May June July August September October November December".split())
DATES |= set("Mon Tue Wed Thu Fri Sat Sun Jan Feb Mar Apr May Jun Jul Aug Sep Sept Oct Nov Dec".split())

TEXTS = """() => {
  const said = [];
  const walk = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
  const currency = (element) => element?.tagName === 'OPTION' && /^[A-Z]{3}$/.test(element.value);
  while (walk.nextNode()) {
    const { parentElement, data } = walk.currentNode;
    if (!['STYLE', 'SCRIPT'].includes(parentElement?.tagName) && !currency(parentElement)) said.push(data);
  }
  for (const element of document.body.querySelectorAll('*'))
    for (const name of ['aria-label', 'title', 'placeholder', 'alt']) if (element.hasAttribute(name)) said.push(element.getAttribute(name));
  return said;
}"""


class MadeUpLanguage(UiCase):
    """In the made-up language every text of the pages themselves has accents on it: a translation needs no code."""

    def setUp(self) -> None:
        super().setUp()
        self.page.evaluate("localStorage.setItem('meanbead.language', 'pseudo')")
        self.known: set[str] = set()
        self.listen("response", self._remember)

    def _remember(self, answer: Response) -> None:
        """Words that came from the server: names that people gave, and sentences that it wrote."""
        if (
            "/api/" not in answer.url
            or answer.url.endswith("/changes")
            or "json" not in answer.headers.get("content-type", "")
        ):
            return
        try:
            self.known |= set(WORD.findall(answer.text()))
        except Error:
            pass  # the page went on before it was read

    def plain(self) -> list[str]:
        """Texts without accents that did not come from the server."""
        texts = [unicodedata.normalize("NFD", text) for text in self.page.evaluate(TEXTS)]
        known = {word.lower() for word in self.known | SAME | DATES}
        ours = (text for text in texts if ACCENT not in text and not text.endswith(".gcode"))
        return sorted({text for text in ours if not all(word.lower() in known for word in WORD.findall(text))})

    def all_have_accents(self) -> None:
        """Answers may come after what is drawn from them was looked at for the first time."""
        self.eventually(lambda: not self.plain(), lambda: f"without accents: {self.plain()}")


class Visits(MadeUpLanguage):
    """Each page once, wide and narrow, light and dark: axe, overflow, errors, texts, and nothing from elsewhere."""

    PAGES: ClassVar[dict[str, tuple[str, ...]]] = {
        "parts": (
            "/",
            "/begin",
            "/recipes",
            "/parts/1",
            "/parts/1/ready",
            "/parts/1/tradeoff",
            "/parts/1/send",
            "/parts/1/runs",
            "/recipes/1/settings",
            "/recipes/1/history",
            "/house-rules",
            "/cellar",
        ),
        "shelf": (
            *(f"/shelf?kind={kind}" for kind in ("machines", "nozzles", "materials", "spools", "purposes")),
            "/shelf/machines/1/sending",
            "/flow",
            "/flow/2",
            "/flow/2/card",
            "/flow/compare?first=1&second=2",
            "/test-pieces",
            "/backups",
            "/network",
        ),
        "log": (
            "/log",
            "/log/journal",
            "/log/faults",
            "/log/calibration",
            "/log/experiments",
            "/log/machines",
            "/log/{run}",
            "/log/{run}/causes",
            "/log/{run}/chain",
            "/log/import",
            "/log/labels?runs={run}",
            "/day",
            "/day/now",
            "/day/queue",
            "/day/plates",
            "/day/spools",
            "/day/hours",
            "/day/worth",
            "/day/sheet",
        ),
    }

    def look(self, address: str) -> None:
        page = self.page
        page.set_viewport_size({"width": 1280, "height": 800})
        page.emulate_media(color_scheme="light", reduced_motion="reduce")
        self.open(address)
        expect(page.locator("main h1, main h2, main h3").first).to_be_visible()
        if address == "/parts/1":
            expect(page.get_by_test_id("sheet")).to_be_visible()
        page.wait_for_load_state("networkidle")
        self.all_have_accents()
        self.assertEqual(self.axe(), [])
        self.assertLessEqual(page.evaluate("document.documentElement.scrollWidth"), 1280)
        page.set_viewport_size({"width": 390, "height": 844})
        page.emulate_media(color_scheme="dark", reduced_motion="reduce")
        self.next_frame()
        # What another width and other colours can change.
        self.assertEqual(self.axe("color-contrast", "scrollable-region-focusable", "target-size"), [], "narrow and dark")
        self.assertLessEqual(page.evaluate("document.documentElement.scrollWidth"), 390)

    def visit(self, room: str) -> None:
        asked: list[str] = []

        def hear(request: Request) -> None:
            asked.append(request.url)

        self.listen("request", hear)
        run = self.page.request.post(f"{self.address}/api/recipes/1/runs", data={"key": f"visit-{room}"}).json()["id"]
        for address in self.PAGES[room]:
            with self.subTest(address):
                self.look(address.format(run=run))
        self.assertEqual([url for url in asked if not url.startswith((self.address, "data:", "blob:"))], [])

    def test_parts_and_what_belongs_to_them(self) -> None:
        self.visit("parts")

    def test_shelf_flow_lab_and_the_house(self) -> None:
        self.visit("shelf")

    def test_log_and_day(self) -> None:
        self.visit("log")

    def test_dialogs_and_the_palette(self) -> None:
        page = self.open("/parts/1")
        expect(page.get_by_test_id("sheet")).to_be_visible()
        for key in ("Control+k", "?"):
            page.keyboard.press(key)
            expect(page.get_by_role("dialog")).to_be_visible()
            self.all_have_accents()
            self.assertEqual(self.axe(), [])
            page.keyboard.press("Escape")
            expect(page.get_by_role("dialog")).to_have_count(0)


class First(UiCase):
    def test_first_view_is_light_needs_no_catalogue_and_keeps_its_theme(self) -> None:
        answers: list[Response] = []
        # What others change is told for as long as the page is open: that answer has no end.
        self.listen("response", lambda answer: None if answer.url.endswith("/api/changes") else answers.append(answer))
        self.without_cache()
        page = self.open("/")
        expect(page.get_by_role("heading", name="Parts", level=1)).to_be_visible()
        page.get_by_role("article").first.wait_for()
        page.wait_for_load_state("networkidle")
        self.assertGreater(len(answers), 5)
        self.assertLess(sum(answer.request.sizes()["responseBodySize"] for answer in answers), 1_000_000)
        self.assertEqual(page.evaluate("document.documentElement.lang"), "en")
        self.assertEqual([answer.url for answer in answers if "locales" in answer.url or ".po" in answer.url], [])
        page.get_by_label("Theme").select_option("lamp")
        page.reload()
        expect(page.get_by_role("heading", name="Parts", level=1)).to_be_visible()
        self.assertEqual(page.evaluate("document.documentElement.dataset.theme"), "lamp")


class OddNames(UiCase):
    def test_a_name_that_looks_like_markup_is_set_as_it_stands(self) -> None:
        odd = "Hook <b>left</b> <0>of</0> {two} 'x'"
        page = self.new_part()
        page.get_by_role("button", name="Name of recipe 1").click()
        page.keyboard.press("Control+a")
        page.keyboard.type(odd)
        page.keyboard.press("Enter")
        expect(page.get_by_role("button", name=f"Duplicate {odd}")).to_be_visible()
        page.reload()
        expect(page.get_by_role("heading", name=f"What to change next in {odd}")).to_have_count(1)
