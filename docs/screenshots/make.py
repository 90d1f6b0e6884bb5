"""Refresh the pictures in this folder from the sample workshop: ``.venv/bin/python docs/screenshots/make.py [NAME ...]``."""

from __future__ import annotations

import sys
from pathlib import Path

HERE = Path(__file__).resolve().parent
sys.path.insert(0, str(HERE.parents[1]))

from playwright.sync_api import Page  # noqa: E402

from meanbead.core.estimate import Engine  # noqa: E402
from meanbead.demo.workshop import estimate_first_columns  # noqa: E402
from tests.support.open_surfaces import open_scan  # noqa: E402
from tests.support.server import live_server  # noqa: E402
from tests.support.solids import stl_bytes  # noqa: E402
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


def orientations(page: Page) -> None:
    """Ways to stand, compared."""
    page.get_by_role("link", name="Get ready").click()
    page.get_by_role("tab", name="Ways to stand").click()
    page.get_by_role("button", name="Compare ways to stand").click()
    page.get_by_text("as it stands now").wait_for()
    page.get_by_label("Estimating ways to stand").wait_for(state="detached")
    page.wait_for_timeout(300)


def layers(page: Page) -> None:
    """Half an owl on its trees."""
    page.get_by_role("link", name="Layers", exact=True).first.click()
    page.get_by_role("combobox", name="Recipe").select_option(label="On trees")
    page.get_by_label("Layer", exact=True).fill("150")
    page.wait_for_timeout(4000)


def layers_two(page: Page) -> None:
    """Two cups from above, by what held each stroke."""
    page.get_by_role("link", name="Layers", exact=True).first.click()
    page.get_by_label("beside").select_option(label="One wall more")
    page.get_by_label("Layer", exact=True).fill("200")
    page.get_by_label("This layer alone").check()
    page.get_by_label("Travel").check()
    page.get_by_role("button", name="From above").click()
    page.wait_for_timeout(3000)


def house(page: Page) -> None:
    """Two recipes that have proved themselves."""
    page.get_by_role("button", name="Keep for the house").click()
    page.get_by_text("From the house recipe").wait_for()
    page.get_by_role("button", name="Walls in lines, One wall more").focus()
    page.get_by_role("button", name="Keep for the house").click()
    page.get_by_role("link", name="Recipes").click()
    page.get_by_role("heading", name="One wall more", exact=True).wait_for()
    page.wait_for_timeout(10_000)  # until the message at the foot has gone


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


def settings(page: Page) -> None:
    """The sheet to type from."""
    page.get_by_role("link", name="Settings sheet").click()
    page.get_by_role("button", name="Print").wait_for()


def tradeoff_before(page: Page) -> None:
    """The columns on the axes, before anything is searched."""
    page.get_by_role("link", name="Trade-off").click()
    page.get_by_test_id("cloud").wait_for(timeout=30_000)
    page.wait_for_timeout(5000)


def open_surface(page: Page) -> None:
    """A scan with holes, and the offer to close it."""
    scan = {"name": "garden-gnome.stl", "mimeType": "model/stl", "buffer": stl_bytes(open_scan())}
    page.get_by_label("Part files").set_input_files(scan)
    page.get_by_role("button", name="Close it anyway").wait_for()
    page.wait_for_timeout(500)


def guessed(page: Page) -> None:
    """What was guessed of it, on the part."""
    open_surface(page)
    page.get_by_role("button", name="Close it anyway").click()
    page.get_by_role("link", name="See what was guessed").click(timeout=60_000)
    page.get_by_role("button", name="right", exact=True).click()
    page.wait_for_timeout(2500)


VIEWS = {
    "tradeoff-before": tradeoff_before,
    "open-surface": open_surface,
    "guessed": guessed,
    "ready": ready,
    "stances": orientations,
    "layers": layers,
    "layers-two": layers_two,
    "house": house,
    "settings": settings,
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
        ("bench", "Pencil cup", (1280, 800), False),
        ("shelf", "/shelf", (1280, 800), False),
        ("bench-lamp", "Tool box", (1280, 800), True),
        ("bench-phone", "Domed knob", (390, 844), False),
        ("ledger", "Pencil cup", (1280, 800), False),
        ("choices", "Snow owl", (1280, 800), False),
        ("ready", "Domed knob", (1280, 800), False),
        ("stances", "Shelf bracket", (1280, 800), False),
        ("layers", "Snow owl", (1280, 800), False),
        ("layers-two", "Pencil cup", (1280, 800), True),
        ("house", "Pencil cup", (1280, 800), False),
        ("settings", "Shelf bracket", (1280, 800), False),
        ("levers", "Pencil cup", (1280, 800), False),
        ("tradeoff", "Shelf bracket", (1280, 900), False),
        ("tradeoff-before", "Shelf bracket", (1280, 800), False),
        ("open-surface", "/", (1280, 800), False),
        ("guessed", "/", (1280, 800), False),
        ("house-rules", "/house-rules", (1280, 800), False),
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
        if name == "choices":
            page.get_by_role("button", name="more choices of Supports").click()
            page.get_by_role("button", name="Supports, On trees").focus()
            page.get_by_role("button", name="fewer choices of Supports").evaluate("element => element.scrollIntoView()")
            page.wait_for_timeout(200)
        arrange = VIEWS.get(name)
        if arrange is not None:
            arrange(page)
        page.screenshot(path=HERE / f"{name}.png")
        page.close()
        print(f"{name}.png")


if __name__ == "__main__":
    main()
