"""Debian's Chromium, driven by Playwright: one browser per run, one fresh page per test."""

from __future__ import annotations

import atexit
import unittest
from functools import lru_cache
from pathlib import Path
from typing import Any

import trimesh
from playwright.sync_api import Browser, ConsoleMessage, Locator, Page, expect, sync_playwright
from sqlalchemy import text

from meanbead.store.tables import Base
from tests.support.server import LiveServer, live_server
from tests.support.solids import stl_bytes
from tests.support.patience import PATIENCE_MS

AXE = Path(__file__).resolve().parents[2] / "ui" / "node_modules" / "axe-core" / "axe.min.js"


@lru_cache(maxsize=1)
def browser() -> Browser:
    """The run's browser."""
    playwright = sync_playwright().start()
    started = playwright.chromium.launch(
        executable_path="/usr/bin/chromium",
        timeout=PATIENCE_MS,
        args=[
            "--no-sandbox",
            "--disable-gpu",
            "--enable-unsafe-swiftshader",
            "--disable-background-networking",
            "--no-first-run",
        ],
    )

    def clean() -> None:
        started.close()
        playwright.stop()

    atexit.register(clean)
    return started


def _newest(server: LiveServer) -> dict[str, int]:
    """The highest number in each table of rows that people edit."""
    edited = [name for name, table in Base.metadata.tables.items() if "deleted_at" in table.columns]
    with server.database.engine.connect() as connection:
        return {table: connection.scalar(text(f"select coalesce(max(id), 0) from {table}")) or 0 for table in edited}


def _take_away(server: LiveServer, newest: dict[str, int]) -> None:
    """Delete, as people do, all rows that have come since."""
    with server.database.engine.begin() as connection:
        for table, number in newest.items():
            connection.execute(
                text(f"update {table} set deleted_at = now() where id > :number and deleted_at is null"),
                {"number": number},
            )


class UiCase(unittest.TestCase):
    """A test with a page of its own; what the page logs as an error fails it. What it has made is taken away after it, so that
    no test meets another's parts."""

    size = (1280, 800)
    dark = False
    expected_errors: tuple[str, ...] = ()

    def setUp(self) -> None:
        server = live_server()
        self.address = server.address
        self.addCleanup(_take_away, server, _newest(server))
        context = browser().new_context(
            viewport={"width": self.size[0], "height": self.size[1]},
            color_scheme="dark" if self.dark else "light",
            reduced_motion="reduce",
        )
        self.addCleanup(context.close)
        context.set_default_timeout(PATIENCE_MS)
        expect.set_options(timeout=PATIENCE_MS)
        self.page: Page = context.new_page()
        self.problems: list[str] = []
        self.page.on("console", self._heard)
        self.page.on("pageerror", lambda error: self.problems.append(str(error)))

    def _heard(self, message: ConsoleMessage) -> None:
        if message.type == "error":
            self.problems.append(f"{message.text} {message.location.get('url', '')}")

    def tearDown(self) -> None:
        bad = [text for text in self.problems if not any(word in text for word in self.expected_errors)]
        self.assertEqual(bad, [], "the page logged errors")

    def open(self, address: str) -> Page:
        """Go to an address of the application."""
        self.page.goto(self.address + address)
        return self.page

    def upload(self, mesh: trimesh.Trimesh | bytes, name: str) -> None:
        """Choose a file in the list of parts."""
        data = mesh if isinstance(mesh, bytes) else stl_bytes(mesh)
        self.page.get_by_label("Part files").set_input_files(
            {"name": name, "mimeType": "application/octet-stream", "buffer": data}
        )

    def add_part(self, mesh: trimesh.Trimesh, name: str) -> int:
        """Add a part straight through the API; returns its number."""
        form = {"file": {"name": name, "mimeType": "application/octet-stream", "buffer": stl_bytes(mesh)}}
        answer = self.page.request.post(f"{self.address}/api/parts", multipart=form)  # type: ignore[arg-type]
        self.assertEqual(answer.status, 201, answer.text())
        return int(answer.json()["id"])

    def new_part(self, name: str = "test-block.stl", size: tuple[float, float, float] = (20, 20, 6)) -> Page:
        """Add a small block and open its bench."""
        self.open(f"/parts/{self.add_part(trimesh.creation.box(size), name)}")
        self.wait_for_figures()
        return self.page

    def wait_for_figures(self) -> None:
        """Until no column is computing."""
        expect(self.page.get_by_text("computing …")).to_have_count(0)
        expect(self.page.get_by_test_id("sheet")).to_be_visible()
        expect(self.page.locator('[data-testid^="print_time:"][aria-busy=true]')).to_have_count(0)

    def hear_nothing(self) -> None:
        """As on a page that was asleep: what others change is not told."""
        self.expected_errors = (*self.expected_errors, "ERR_FAILED")
        self.page.route("**/api/changes", lambda route: route.abort())

    def tab_until(self, script: str) -> None:
        """Press Tab until a script says that it is there; every page's stops are fewer than 400."""
        for _ in range(400):
            self.page.keyboard.press("Tab")
            if self.page.evaluate(script):
                return
        self.fail(f"Tab never comes to where {script}")

    def next_frame(self) -> None:
        """Until the page has drawn what it has been told so far: two frames, for the first may be under way."""
        self.page.evaluate("() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))")

    def cell(self, row: str, column: str) -> Locator:
        """A cell's button by the names of its row and column."""
        return self.page.get_by_role("button", name=f"{row}, {column}:")

    def result(self, row: str, column: str) -> str:
        """What a result cell says."""
        found: str = self.page.get_by_role("note", name=f"{row}, {column}:").get_attribute("aria-label") or ""
        return found.split(": ", 1)[1]

    def set_cell(self, row: str, column: str, text: str) -> None:
        """Type into a cell and keep it."""
        self.cell(row, column).click()
        self.page.keyboard.press("Control+a")
        self.page.keyboard.type(text)
        self.page.keyboard.press("Enter")

    def axe(self) -> list[dict[str, Any]]:
        """Serious and critical findings of axe on the page as it stands."""
        self.page.evaluate(AXE.read_text())
        report = self.page.evaluate(
            "axe.run(document, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice']})"
        )
        return [
            {
                "rule": violation["id"],
                "impact": violation["impact"],
                "where": [node["html"][:160] for node in violation["nodes"][:3]],
            }
            for violation in report["violations"]
            if violation["impact"] in ("serious", "critical")
        ]
