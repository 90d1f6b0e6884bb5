"""Speed as it is felt, through the real page: from the last key of an edit to the new figure, and other waits of a person.

``.venv/bin/python -m benchmarks.felt [--edits 50] [--parts "Herb trough,..."] [--address URL]``. Nothing else may run on the same cores; a server of its own process (``--address``) is what people have, one in this process
shares its lock with the browser's driver and is slower.
"""

from __future__ import annotations

import argparse
import random
import statistics
import time
from typing import Any

from playwright.sync_api import Page

from meanbead.core.estimate import Engine
from meanbead.demo.workshop import estimate_first_columns
from tests.support.server import live_server, stop_servers
from tests.ui.browser import browser

AIMS_MS = {"pace": 150, "infill": 150, "walls": 150, "layer height": 400, "line width": 400}
EDITS: dict[str, tuple[str, tuple[str, ...]]] = {
    "pace": ("Inner walls in mm/s", ("61", "66", "71", "76", "58", "63", "68", "73", "78", "59")),
    "infill": ("Infill in %", ("11", "12", "13", "14", "16", "17", "18", "19", "21", "22")),
    "walls": ("Walls in lines", ("3", "4", "2", "5", "3", "1", "4", "2", "5", "3")),
    "layer height": (
        "Layer height in mm",
        ("0.12", "0.16", "0.24", "0.28", "0.14", "0.18", "0.22", "0.26", "0.13", "0.17"),
    ),
    "line width": ("Line width in mm", ("0.41", "0.42", "0.43", "0.45", "0.46", "0.47", "0.48", "0.49", "0.5", "0.4")),
}


def unseen(kind: str, text: str) -> str:
    """A value a little off, so that no run finds stored what another one computed; counts of walls stay."""
    off = random.random()
    return {
        "pace": f"{float(text) + off:.1f}",
        "infill": f"{float(text) + off:.2f}",
        "layer height": f"{float(text) + 0.009 * off:.4f}",
        "line width": f"{float(text) + 0.009 * off:.4f}",
    }.get(kind, text)


# From Enter in the cell to the first figure of the edited version, a sample's or the full one: both by the page's own clock.
WATCH = """(column) => {
  const cell = () => document.querySelector(`[data-testid="print_time:${column}"]`);
  const version = (one) => Number(one.dataset.figure.split(':')[0]);
  const before = version(cell());
  window.__felt = new Promise((done) => {
    let began = 0;
    const press = (event) => { if (event.key === 'Enter' && began === 0) began = performance.now(); };
    window.addEventListener('keydown', press, { capture: true });
    const end = (found) => { watcher.disconnect(); window.removeEventListener('keydown', press, { capture: true }); done(found); };
    const watcher = new MutationObserver(() => {
      const now = cell();
      if (began > 0 && now && version(now) > before && !now.dataset.figure.endsWith('old')) end(performance.now() - began);
    });
    watcher.observe(document.querySelector('[data-testid=sheet]'), { subtree: true, childList: true, attributes: true });
    setTimeout(() => end(null), 30000);
  });
}"""


def at(share: float, values: list[float]) -> float:
    """The value within which this share of all lies."""
    ordered = sorted(values)
    return ordered[min(len(ordered) - 1, int(share * len(ordered)))]


def edit(page: Page, column: int, label: str, name: str, text: str) -> float | None:
    """Type a value and keep it; milliseconds until its figure is there."""
    page.evaluate(WATCH, column)
    page.get_by_role("button", name=f"{label}, {name}:").click()
    page.keyboard.press("Control+a")
    page.keyboard.type(text)
    page.keyboard.press("Enter")
    found: float | None = page.evaluate("window.__felt")
    page.locator(f'[data-testid="print_time:{column}"][aria-busy=false]').wait_for(timeout=60_000)
    # A person looks before the next edit; what is tried in the background meanwhile must not slow it.
    page.wait_for_timeout(400)
    return found


def felt(page: Page, address: str, part: dict[str, Any], edits: int) -> dict[str, list[float]]:
    """Milliseconds from key to figure by kind of edit, in the first column of a part."""
    columns = page.request.get(f"{address}/api/parts/{part['id']}/recipes").json()["recipes"]
    column = columns[0]
    page.goto(f"{address}/parts/{part['id']}")
    page.locator(f'[data-testid="print_time:{column["id"]}"][aria-busy=false]').wait_for(timeout=120_000)
    found: dict[str, list[float]] = {}
    for kind, (label, values) in EDITS.items():
        for number in range(edits // len(EDITS)):
            took = edit(page, column["id"], label, column["name"], unseen(kind, values[number % len(values)]))
            if took is not None:
                found.setdefault(kind, []).append(took)
    return found


def main() -> None:
    """Measure, and say what misses its aim."""
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--edits", type=int, default=50)
    asked.add_argument("--parts", default="")
    asked.add_argument(
        "--address", default="", help="a server that is running, as ./start makes it; else one in this process"
    )
    options = asked.parse_args()
    address = options.address
    if not address:
        server = live_server()
        estimate_first_columns(server.database, Engine())
        address = server.address
    page = browser().new_page(viewport={"width": 1280, "height": 800})
    try:
        wanted = [name.strip() for name in options.parts.split(",") if name.strip()]
        parts = page.request.get(f"{address}/api/parts").json()["parts"]
        print(f"{'part':16s} " + "  ".join(f"{kind:>22s}" for kind in EDITS) + "   (median / p95 ms)")
        for part in parts:
            if wanted and part["name"] not in wanted:
                continue
            began = time.perf_counter()
            found = felt(page, address, part, options.edits)
            cells = [
                f"{statistics.median(found[kind]):6.0f} / {at(0.95, found[kind]):6.0f}{' MISS' if at(0.95, found[kind]) > AIMS_MS[kind] else '     '}"
                for kind in EDITS
                if found.get(kind)
            ]
            print(
                f"{part['name']:16s} "
                + "  ".join(f"{cell:>22s}" for cell in cells)
                + f"   {time.perf_counter() - began:.0f} s",
                flush=True,
            )
    finally:
        page.close()
        stop_servers()


if __name__ == "__main__":
    main()
