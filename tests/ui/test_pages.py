from playwright.sync_api import Response

from tests.ui.browser import UiCase


class EveryPage(UiCase):
    """What holds for each page, in each size and light."""

    def pages(self) -> list[str]:
        kinds = [f"/shelf?kind={kind}" for kind in ("machines", "nozzles", "materials", "spools", "purposes")]
        flow = ["/flow", "/flow/2", "/flow/2/card", "/flow/compare?first=1&second=2", "/test-pieces"]
        return ["/", "/parts/1", *kinds, *flow, "/house-rules", "/cellar"]

    def look(self, address: str) -> None:
        self.open(address)
        self.page.get_by_role("heading", level=1).wait_for()
        if address.startswith("/parts/"):
            self.wait_for_figures()
            self.page.get_by_role("region", name="Where it goes").wait_for()

    def test_axe_finds_nothing_serious(self) -> None:
        for address in self.pages():
            self.look(address)
            self.assertEqual(self.axe(), [], address)

    def test_nothing_scrolls_sideways(self) -> None:
        for address in self.pages():
            self.look(address)
            wide = self.page.evaluate("document.documentElement.scrollWidth")
            self.assertLessEqual(wide, self.size[0], address)


class Desk(EveryPage):
    def test_first_view_is_light(self) -> None:
        answers: list[Response] = []
        # What others change is told for as long as the page is open: that answer has no end.
        self.page.on("response", lambda answer: None if answer.url.endswith("/api/changes") else answers.append(answer))
        self.look("/")
        self.page.get_by_role("article").first.wait_for()
        self.page.wait_for_load_state("networkidle")
        self.assertGreater(len(answers), 5)
        self.assertLess(sum(answer.request.sizes()["responseBodySize"] for answer in answers), 1_000_000)

    def test_nothing_is_loaded_from_elsewhere(self) -> None:
        asked: list[str] = []
        self.page.on("request", lambda request: asked.append(request.url))
        for address in self.pages():
            self.look(address)
        away = [url for url in asked if not url.startswith((self.address, "data:", "blob:"))]
        self.assertEqual(away, [])


class DeskByLamp(EveryPage):
    dark = True

    def test_theme_is_kept(self) -> None:
        self.look("/")
        self.page.get_by_label("Theme").select_option("paper")
        self.page.reload()
        self.page.get_by_role("heading", level=1).wait_for()
        self.assertEqual(self.page.evaluate("document.documentElement.dataset.theme"), "paper")


class Phone(EveryPage):
    size = (390, 844)


del EveryPage  # its tests run in each size and light, not by themselves
