"""Debian's Chromium, driven by Playwright: one browser and one page a process, emptied between tests.

A new window for each test would cost three times what the tests themselves do: its scripts are compiled anew.
"""

from __future__ import annotations

import atexit
import time
import unittest
from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from functools import lru_cache
from pathlib import Path
from typing import Any
from unittest import mock

import trimesh
from playwright.sync_api import Browser, ConsoleMessage, Error, Locator, Page, expect, sync_playwright
from sqlalchemy import text

from meanbead.core.advise.confirm import Remedies
from meanbead.core.advise.context import AdviceContext
from meanbead.core.advise.next_moves import NextMoves
from meanbead.core.advise.trial import try_out
from meanbead.core.estimate import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.store.tables import Base
from tests.support.patience import PATIENCE_MS, PATIENCE_S
from tests.support.server import LiveServer, live_server
from tests.support.solids import stl_bytes

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


_SERIOUS = """async (only) => {
  // Colours that are on their way are nobody's colours.
  for (const one of document.getAnimations()) if (one.effect?.getComputedTiming().endTime !== Infinity) one.finish();
  const runOnly = only.length > 0 ? { type: "rule", values: only } : ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"];
  // What lies behind an open dialog can be neither seen nor reached.
  const where = document.querySelector(":modal") ?? document;
  const { violations } = await axe.run(where, { runOnly, resultTypes: ["violations"] });
  return violations
    .filter((one) => one.impact === "serious" || one.impact === "critical")
    .map((one) => ({ rule: one.id, impact: one.impact, where: one.nodes.slice(0, 3).map((node) => node.html.slice(0, 160)) }));
}"""


@lru_cache(maxsize=1)
def _axe_source() -> str:
    return AXE.read_text()


def serious_findings(page: Page, only: tuple[str, ...] = ()) -> list[dict[str, Any]]:
    """Serious and critical findings of axe on a page as it stands; of some rules only, where these are named."""
    if not page.evaluate("() => 'axe' in window"):
        page.evaluate(_axe_source())
    found: list[dict[str, Any]] = page.evaluate(_SERIOUS, only)
    return found


EMPTY = "/bead.svg"
"""A page of the application that does nothing: what a test has left behind ends there."""

_FORGET = """async () => {
  localStorage.clear();
  sessionStorage.clear();
  for (const one of await indexedDB.databases()) indexedDB.deleteDatabase(one.name);
}"""


@lru_cache(maxsize=1)
def _shared_page() -> Page:
    context = browser().new_context(reduced_motion="reduce")
    context.set_default_timeout(PATIENCE_MS)
    expect.set_options(timeout=PATIENCE_MS)
    return context.new_page()


def _emptied(page: Page, address: str) -> None:
    """Leave what a page shows, and forget all that it keeps and that was set up around it."""
    page.unroute_all(behavior="ignoreErrors")
    page.context.unroute_all(behavior="ignoreErrors")
    page.context.set_offline(False)
    page.goto(address + EMPTY)
    page.evaluate(_FORGET)
    page.context.clear_cookies()
    for other in page.context.pages:
        if other is not page:
            other.close()
    page.bring_to_front()  # a page behind another draws nothing


def _nothing_to_try(engine: Engine, job: PrintJob, context: AdviceContext) -> Iterator[NextMoves]:
    yield NextMoves(base=try_out(engine, job, context).measures, best=[], others=0, tried=0, of=0)


def _no_remedies(*_: object) -> Remedies:
    return Remedies(remedies=[], waste=[], complete=True)


def _shown(page: Page) -> str:
    try:
        return page.locator("body").aria_snapshot(timeout=2000)[-6000:]
    except Error as problem:
        return f"nothing that can be read: {problem}"


_added: dict[tuple[str, bytes], int] = {}
"""Parts that were added, kept aside as they came: by the server's address and the file."""


def _copied(server: LiveServer, like: int, file_name: str, *, hidden: bool = False) -> int:
    """A copy of a part and its columns, straight in the database; a hidden one is there to be copied again."""
    title = file_name.removesuffix(".stl").replace("-", " ").capitalize()
    with server.database.engine.begin() as connection:

        def copy(table: str, where: str, **other: Any) -> int:
            kept = [name for name in Base.metadata.tables[table].columns.keys() if name not in {"id", *other}]
            names, values = ", ".join([*kept, *other]), ", ".join([*kept, *(f":{name}" for name in other)])
            statement = (
                f"insert into {table} ({names}) select {values} from {table} where {where} order by id returning id"
            )
            return int(connection.execute(text(statement), {"like": like, **other}).scalar() or 0)

        gone = datetime.now(UTC) if hidden else None
        made = copy("parts", "id = :like", name=title, file_name=file_name, version=1, deleted_at=gone)
        copy("recipes", "part_id = :like", part_id=made, version=1, deleted_at=gone)
    return made


class UiCase(unittest.TestCase):
    """A test with a page as nobody has used it yet; what it logs as an error fails the test. What it has made is taken away after
    it, so that no test meets another's parts."""

    size = (1280, 800)
    dark = False
    advised = False
    """Whether next moves and remedies are tried on each bench that is opened: tests of these say so. For all others it would be
    the most expensive thing that their page does, forty estimates a visit."""
    expected_errors: tuple[str, ...] = ()

    def setUp(self) -> None:
        server = live_server()
        self.address = server.address
        if not self.advised:
            self.enterContext(mock.patch("meanbead.api.advice.next_moves", _nothing_to_try))
            self.enterContext(mock.patch("meanbead.jobs.kinds.remedies_tried", _no_remedies))
        self.addCleanup(_take_away, server, _newest(server))
        self.page: Page = _shared_page()
        _emptied(self.page, self.address)
        self.addCleanup(_emptied, self.page, self.address)
        self.page.set_viewport_size({"width": self.size[0], "height": self.size[1]})
        self.page.emulate_media(color_scheme="dark" if self.dark else "light", reduced_motion="reduce")
        self.problems: list[str] = []
        self.listen("console", self._heard)
        self.listen("pageerror", lambda error: self.problems.append(str(error)))

    def listen(self, event: str, told: Callable[[Any], None]) -> None:
        """Hear of what happens to the page, until the test ends."""
        self.page.on(event, told)  # type: ignore[call-overload]
        self.addCleanup(self.page.remove_listener, event, told)

    def _heard(self, message: ConsoleMessage) -> None:
        if message.type == "error":
            self.problems.append(f"{message.text} {message.location.get('url', '')}")

    def _callTestMethod(self, method: Callable[[], None]) -> None:
        """Run a test; where it fails, what was on the page is said, too."""
        try:
            method()
        except Exception as problem:
            seen = self.page.evaluate("() => `${document.visibilityState}, focus ${document.hasFocus()}`")
            problem.add_note(f"The page {self.page.url} ({seen}) shows:\n{_shown(self.page)}\nIt logged: {self.problems}")
            raise

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
        """Add a part straight through the API; returns its number. One that was added before in this process is copied within the
        database, with its columns as they came: what is computed of it is known then."""
        data = stl_bytes(mesh)
        like = _added.get((self.address, data))
        if like is not None and name.endswith(".stl"):
            return _copied(live_server(), like, name)
        form = {"file": {"name": name, "mimeType": "application/octet-stream", "buffer": data}}
        answer = self.page.request.post(f"{self.address}/api/parts", multipart=form)  # type: ignore[arg-type]
        self.assertEqual(answer.status, 201, answer.text())
        made = int(answer.json()["id"])
        if self.address == live_server().address:
            _added[self.address, data] = _copied(live_server(), made, "kept-aside.stl", hidden=True)
        return made

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

    def eventually(self, holds: Callable[[], bool], says: Callable[[], str]) -> None:
        """Until something holds that no locator can wait for; what is wrong where it never does."""
        until = time.monotonic() + PATIENCE_S
        while not holds():
            if time.monotonic() > until:
                self.fail(says())
            self.page.wait_for_timeout(50)

    def scripted(self, source: str) -> Page:
        """A page of the test's own, in which a script runs before any other; it is the page of the test from now on."""
        context = browser().new_context(
            viewport={"width": self.size[0], "height": self.size[1]}, reduced_motion="reduce"
        )
        self.addCleanup(context.close)
        context.set_default_timeout(PATIENCE_MS)
        context.add_init_script(source)
        self.page = context.new_page()
        self.page.on("console", self._heard)
        self.page.on("pageerror", lambda error: self.problems.append(str(error)))
        return self.page

    def without_cache(self) -> None:
        """Load everything anew, as on a first visit, until the test ends."""
        line = self.page.context.new_cdp_session(self.page)
        line.send("Network.setCacheDisabled", {"cacheDisabled": True})
        self.addCleanup(line.detach)

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

    def axe(self, *only: str) -> list[dict[str, Any]]:
        """Serious and critical findings of axe on the page as it stands; of some rules only, where these are named."""
        return serious_findings(self.page, only)
