"""Refresh the pictures in this folder from the sample workshop: ``.venv/bin/python docs/screenshots/make.py [NAME ...]``."""

from __future__ import annotations

import re
import sys
from pathlib import Path

HERE = Path(__file__).resolve().parent
sys.path.insert(0, str(HERE.parents[1]))

from playwright.sync_api import Page  # noqa: E402

from meanbead.core.estimate import Engine  # noqa: E402
from meanbead.demo.workshop import estimate_first_columns  # noqa: E402
from tests.support.server import live_server  # noqa: E402
from tests.ui.browser import browser  # noqa: E402


def settle(page: Page) -> None:
    """Wait until every picture and figure is there."""
    page.wait_for_load_state("networkidle")
    page.locator("text=computing …").first.wait_for(state="detached")
    page.wait_for_timeout(300)


def ready(page: Page) -> None:
    """Slopes shown on the part."""
    page.get_by_role("link", name="Get ready").click()
    page.get_by_role("button", name="Slopes that show steps").click()
    page.wait_for_timeout(1500)


def layers(page: Page) -> None:
    """Half an owl on its trees."""
    page.get_by_role("link", name="Layers", exact=True).first.click()
    page.get_by_role("combobox", name="Recipe").select_option(label="On trees")
    page.get_by_label("Layer", exact=True).fill("150")
    page.wait_for_timeout(4000)


def house(page: Page) -> None:
    """Two recipes that have proved themselves."""
    page.get_by_role("link", name="Recipes").click()
    page.get_by_role("heading", name="Fine domes", exact=True).wait_for()
    page.wait_for_timeout(500)


def levers(page: Page) -> None:
    """What to change next, and what stands out."""
    page.get_by_role("button", name="Try every change").click()
    page.get_by_text("that cost nothing").first.wait_for(timeout=60_000)
    page.get_by_role("heading", name="What to change next").evaluate("at => at.scrollIntoView()")
    page.wait_for_timeout(1500)


def tradeoff(page: Page) -> None:
    """A frontier around the bracket."""
    page.get_by_role("link", name="Trade-off").click()
    page.get_by_role("button", name="Search").click()
    page.get_by_role("progressbar").wait_for(timeout=30_000)
    page.get_by_role("progressbar").wait_for(state="detached", timeout=180_000)
    page.wait_for_timeout(1500)


def wizard(page: Page) -> None:
    """A machine by five answers."""
    page.get_by_role("button", name="Add a machine").click()
    page.get_by_role("dialog").get_by_label("Name").fill("Swift")
    page.get_by_role("dialog").get_by_label("a long melt zone").check()
    page.wait_for_timeout(300)


def house_rules(page: Page) -> None:
    """A school that is looked at before it is taken."""
    page.get_by_label("1.25 bores").check()
    preview = page.get_by_text(re.compile(r"\d+ columns? would change"))
    preview.wait_for()
    preview.evaluate("at => at.scrollIntoView({block: 'center'})")
    page.wait_for_timeout(300)


def flow_phone(page: Page) -> None:
    """The first strands of a new test, entered at the machine."""
    page.get_by_role("button", name="Keep this test").click()
    for weight, look in (("0.98", "straight"), ("0.97", "straight"), ("0.98", "straight")):
        page.get_by_role("textbox", name=re.compile(r"^Weight\s*g$")).fill(weight)
        page.get_by_role("radio", name=re.compile(look)).check(force=True)
        page.get_by_role("button", name="Store this strand").click()
    page.get_by_role("textbox", name=re.compile(r"^Weight\s*g$")).fill("0.97")
    page.get_by_role("radio", name=re.compile("first curl")).check(force=True)
    page.evaluate("scrollTo(0, 0)")
    page.wait_for_timeout(1500)


def pieces(page: Page) -> None:
    """A piece that was made and judged."""
    page.get_by_role("button", name="Make it").first.click()
    page.get_by_role("button", name=re.compile("^5 ")).click(timeout=30_000)
    page.get_by_role("button", name="Use it").click()
    page.get_by_text("on the shelf since").wait_for()
    page.wait_for_timeout(10_000)


VIEWS = {
    "flow-phone": flow_phone,
    "test-pieces": pieces,
    "ready": ready,
    "layers": layers,
    "house": house,
    "house-rules": house_rules,
    "shelf-wizard": wizard,
    "levers": levers,
    "tradeoff": tradeoff,
}


def main() -> None:
    """Take every picture, or those that are named."""
    wanted = set(sys.argv[1:])
    server = live_server()
    estimate_first_columns(server.database, Engine())
    for name, address, size, dark in (
        ("parts", "/", (1280, 800), False),
        ("bench", "Herb trough", (1280, 800), False),
        ("shelf-machines", "/shelf?kind=machines", (1280, 800), False),
        ("shelf-wizard", "/shelf?kind=machines", (1280, 800), False),
        ("shelf-materials", "/shelf?kind=materials&row=2", (1280, 800), False),
        ("bench-lamp", "Tool box", (1280, 800), True),
        ("bench-phone", "Domed knob", (390, 844), False),
        ("ledger", "Herb trough", (1280, 800), False),
        ("ready", "Domed knob", (1280, 800), False),
        ("layers", "Snow owl", (1280, 800), False),
        ("house", "Herb trough", (1280, 800), False),
        ("levers", "Herb trough", (1280, 800), False),
        ("tradeoff", "Shelf bracket", (1280, 900), False),
        ("house-rules", "/house-rules", (1280, 800), False),
        ("flow-plan", "/flow", (1280, 800), False),
        ("flow-curve", "/flow/2", (1280, 800), False),
        ("flow-compare", "/flow/compare?first=1&second=2", (1280, 800), False),
        ("flow-phone", "/flow", (390, 844), False),
        ("test-pieces", "/test-pieces", (1280, 800), False),
    ):
        if wanted and name not in wanted:
            continue
        page = browser().new_page(
            viewport={"width": size[0], "height": size[1]}, color_scheme="dark" if dark else "light"
        )
        page.goto(server.address + (address if address.startswith("/") else "/"))
        if not address.startswith("/"):
            page.get_by_role("link", name=address).click()
            page.get_by_role("heading", name="Where it goes").wait_for()
        settle(page)
        if name == "ledger":
            page.get_by_role("heading", name="Where it goes").evaluate("element => element.scrollIntoView()")
        arrange = VIEWS.get(name)
        if arrange is not None:
            arrange(page)
        page.screenshot(path=HERE / f"{name}.png")
        page.close()
        print(f"{name}.png")


if __name__ == "__main__":
    main()
