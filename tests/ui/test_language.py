"""That a translation needs no code: in the made-up language every text of the pages themselves has accents on it."""

from __future__ import annotations

import re
import unicodedata

from playwright.sync_api import Error, Response, expect

from tests.ui.browser import UiCase

ACCENT = "\u0301"
WORD = re.compile(r"[^\W\d_]{3,}")
# What the browser writes by the locale, names of keys, and what is written the same in every language.
SAME = set("Mean Bead Ctrl Alt Esc min kWh cm² cm³ mm² mm³ PDF CSV STL host port gcode".split())
DATES = set("Mon Tue Wed Thu Fri Sat Sun Jan Feb Mar Apr May Jun Jul Aug Sep Sept Oct Nov Dec".split())

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
    def setUp(self) -> None:
        super().setUp()
        self.page.context.add_init_script("localStorage.setItem('meanbead.language', 'pseudo')")
        self.known: set[str] = set()
        self.page.on("response", self._remember)

    def _remember(self, answer: Response) -> None:
        """Words that came from the server: names that people gave, and sentences that it wrote."""
        if "/api/" not in answer.url or answer.url.endswith("/changes") or "json" not in answer.headers.get("content-type", ""):
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
        for _ in range(40):
            if not self.plain():
                return
            self.page.wait_for_timeout(500)
        self.assertEqual(self.plain(), [])

    def test_no_text_of_the_pages_is_left_out(self) -> None:
        part = [f"/parts/1{face}" for face in ("", "/ready", "/tradeoff", "/send", "/runs")]
        log = ["/log", "/log/journal", "/log/faults", "/log/calibration", "/log/experiments", "/log/import", "/flow", "/flow/2"]
        day = ["/day", "/day/queue", "/day/plates", "/day/spools", "/day/hours", "/day/worth"]
        house = ["/", "/begin", "/recipes", "/shelf", "/shelf/machines/1/sending", "/house-rules", "/backups", "/network"]
        for address in (*part, *log, *day, *house):
            with self.subTest(address):
                self.open(address)
                expect(self.page.locator("main h1, main h2, main h3").first).to_be_visible()
                self.page.wait_for_load_state("networkidle")
                self.all_have_accents()

    def test_dialogs_and_the_palette_too(self) -> None:
        page = self.open("/parts/1")
        expect(page.get_by_test_id("sheet")).to_be_visible()
        page.keyboard.press("Control+k")
        expect(page.get_by_role("dialog")).to_be_visible()
        self.all_have_accents()
        page.keyboard.press("Escape")
        page.keyboard.press("?")
        expect(page.get_by_role("dialog")).to_be_visible()
        self.all_have_accents()

    def test_english_needs_no_catalogue(self) -> None:
        page = self.page
        page.context.add_init_script("localStorage.removeItem('meanbead.language')")
        asked: list[str] = []
        page.on("request", lambda request: asked.append(request.url))
        self.open("/")
        expect(page.get_by_role("heading", name="Parts", level=1)).to_be_visible()
        self.assertEqual(page.evaluate("document.documentElement.lang"), "en")
        self.assertEqual([url for url in asked if "locales" in url or ".po" in url], [])


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
