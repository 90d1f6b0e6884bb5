"""Refresh the pictures in this folder from the sample workshop: ``.venv/bin/python docs/screenshots/make.py``."""

from __future__ import annotations

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


def main() -> None:
    """Take every picture."""
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
    ):
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
        page.screenshot(path=HERE / f"{name}.png")
        page.close()
        print(f"{name}.png")


if __name__ == "__main__":
    main()
