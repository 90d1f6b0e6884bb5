"""Refresh the pictures in this folder from the sample workshop: ``.venv/bin/python docs/screenshots/make.py [NAME ...]``."""

from __future__ import annotations

import re
import sys
import tempfile
import threading
import time
from pathlib import Path

HERE = Path(__file__).resolve().parent
sys.path.insert(0, str(HERE.parents[1]))

import httpx  # noqa: E402
from playwright.sync_api import Page  # noqa: E402

from meanbead.api import create_app  # noqa: E402
from meanbead.api.access import Access  # noqa: E402
from meanbead.api.asgi import Application  # noqa: E402
from meanbead.api.changes import ChangeFeed  # noqa: E402
from meanbead.core.estimate import Engine  # noqa: E402
from meanbead.core.gcode.placeholders import SIMPLE_END, SIMPLE_START  # noqa: E402
from meanbead.demo.runs import add_sample_runs  # noqa: E402
from meanbead.demo.workshop import estimate_first_columns  # noqa: E402
from meanbead.listen import Server, bound, port_of  # noqa: E402
from meanbead.network.certificates import own_certificate  # noqa: E402
from meanbead.simulators.machine import MachineServer, SimulatedMachine  # noqa: E402
from tests.support.people import PASSPHRASE, add_people  # noqa: E402
from tests.support.server import live_server, new_database, stop_servers  # noqa: E402
from tests.ui.browser import browser  # noqa: E402

MACHINE = SimulatedMachine(slower={"ramps": 1.35, "corners": 1.3})
"""What the pictures of a print under way are of."""


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


def curve(page: Page) -> None:
    """What each layer height takes."""
    page.get_by_role("button", name="Layer height in mm, Everyday:").focus()
    page.keyboard.press("Alt+r")
    page.get_by_text("Eight tenths of the saving").wait_for(timeout=60_000)
    page.wait_for_timeout(400)


def moves(page: Page) -> None:
    """What saves most, and what stands out."""
    page.get_by_text(re.compile(r"\d+ changes tried here")).wait_for(timeout=60_000)
    page.get_by_text("looking for waste").wait_for(state="detached", timeout=60_000)
    page.wait_for_timeout(1200)


def palette(page: Page) -> None:
    """Everything by a few letters."""
    moves(page)
    page.keyboard.press("Control+k")
    page.keyboard.type("wall")
    page.wait_for_timeout(400)


def difference(page: Page) -> None:
    """Two recipes, and the strokes that only one of them has."""
    page.get_by_role("link", name="Layers", exact=True).first.click()
    page.get_by_role("combobox", name="Recipe").select_option(label="Everyday")
    page.get_by_role("combobox", name="beside").select_option(label="One wall more")
    page.get_by_role("button", name="Show the difference").click()
    page.get_by_label("Layer", exact=True).fill("60")
    page.wait_for_timeout(9000)


def tradeoff(page: Page) -> None:
    """A frontier around the bracket."""
    page.get_by_role("link", name="Trade-off").click()
    page.get_by_role("button", name="Search").click()
    page.get_by_role("progressbar").wait_for(timeout=30_000)
    page.get_by_role("progressbar").wait_for(state="detached", timeout=180_000)
    page.wait_for_timeout(1500)


def send(page: Page) -> None:
    """A file that was written, read back and sent, before it is started."""
    page.get_by_role("group", name=re.compile("lies on")).wait_for(timeout=60_000)


def live(page: Page) -> None:
    """A print half way, behind its plan."""
    for box in page.get_by_role("checkbox").all():
        box.check()
    page.get_by_role("button", name="Start it", exact=True).click()
    page.get_by_role("heading", name=re.compile(r": heating")).wait_for(timeout=30_000)
    for _ in range(16):
        MACHINE.pass_s(90)
        page.wait_for_timeout(2600)
    page.get_by_role("heading", name=re.compile(r": \d+ % done")).wait_for(timeout=30_000)


def sent(address: str) -> None:
    """A simulated machine on a console, and a file on it."""
    server = MachineServer(MACHINE)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    with httpx.Client(base_url=address, timeout=120) as client:
        row = next(one for one in client.get("/api/shelf").json()["machines"] if one["id"] == 1)
        printer = row["printer"] | {"start_gcode": SIMPLE_START, "end_gcode": SIMPLE_END}
        client.patch("/api/machines/1", json={"version": row["version"], "printer": printer})
        way = {"kind": "console", "address": server.address, "allowed": True}
        version = client.get("/api/machines/1/sending").json()["version"]
        client.put("/api/machines/1/sending", json={"version": version, "way": way, "options": {"names": "short"}})
        client.post("/api/machines/1/first-file")
        column = client.get("/api/parts/4").json()["chosen_id"]
        job = client.post(f"/api/recipes/{column}/file").json()
        while job["state"] in ("waiting", "running"):
            time.sleep(0.3)
            job = client.get(f"/api/jobs/{job['id']}").json()
        client.post("/api/prints", json={"key": "a-picture", "file_id": job["file"]["file_id"]})


def entered(page: Page) -> None:
    """A run as it is entered at the machine."""
    page.get_by_role("button", name="Scrapped").click()
    page.get_by_label("Hours").fill("2")
    page.get_by_label("Minutes").fill("41")
    page.get_by_role("button", name="Tag a fault").click()
    page.get_by_role("button", name="Strings").click()
    page.evaluate("scrollTo(0, 0)")
    page.wait_for_timeout(300)


def limits(page: Page) -> None:
    """What its runs say of a machine's limits."""
    page.get_by_role("button", name="Find them from its runs").click()
    page.get_by_role("table", name=re.compile("Limits as described")).wait_for(timeout=180_000)
    page.wait_for_timeout(500)


def board(page: Page) -> None:
    """A week planned, and why a run stands where it stands."""
    page.get_by_role("progressbar", name="Planning").wait_for(timeout=60_000)
    page.get_by_role("progressbar", name="Planning").wait_for(state="detached", timeout=600_000)
    page.get_by_role("button", name="two days").click()
    page.locator("[data-run]").nth(4).click()
    page.get_by_role("heading", name="Why here").wait_for()
    page.wait_for_timeout(1500)


LOGGED = (
    "log",
    "run-phone",
    "parts",
    "bench",
    "calibration",
    "board",
)
"""Views that show what was logged."""

VIEWS = {
    "board": board,
    "calibration": limits,
    "run-phone": entered,
    "send": send,
    "live": live,
    "ready": ready,
    "layers": layers,
    "bench": moves,
    "curve": curve,
    "palette": palette,
    "difference": difference,
    "tradeoff": tradeoff,
}


PEOPLE = ("people",)


def people() -> None:
    """Accounts and the network of a made-up workshop."""
    database = new_database("pictures_people", samples=True)
    add_people(database, Ida="owner", Bo="member", Gus="guest")
    names, addresses = ["workshop", "workshop.local"], ["192.168.7.20"]
    certificate = own_certificate(Path(tempfile.mkdtemp()), names, addresses)
    urls = tuple(f"https://{host}:8443" for host in (*addresses, *names))
    app = create_app(database, Engine(), Access(urls=urls, key="of pictures", certificate=certificate))
    door, feed = bound("127.0.0.1", 0), ChangeFeed(database)
    server = Server(Application(app, database, feed), [door])
    server.start()
    address = f"http://127.0.0.1:{port_of(door)}"

    def signed_in(name: str, *, width: int = 1280, agent: str | None = None) -> Page:
        page = browser().new_page(viewport={"width": width, "height": 800}, user_agent=agent)
        page.goto(address)
        page.get_by_label("Name", exact=True).fill(name)
        page.get_by_label("Passphrase", exact=True).fill(PASSPHRASE)
        if agent is not None:
            page.get_by_label("Remember this device").check()
        page.get_by_role("button", name="Sign in").click()
        page.get_by_label(f"Account of {name}").wait_for()
        return page

    phone = "Mozilla/5.0 (Linux; Android 15) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/140 Mobile Safari/537.36"
    signed_in("Gus")
    signed_in("Ida", width=390, agent=phone)
    desk = signed_in("Ida")
    desk.goto(f"{address}/people")
    desk.wait_for_timeout(800)
    desk.get_by_role("button", name="Make a link").click()
    desk.get_by_alt_text("The link as a QR code").wait_for()
    desk.wait_for_timeout(500)
    desk.screenshot(path=HERE / "people.png")
    print("people.png")
    desk.close()
    feed.stop()
    server.stop()
    database.close()


def main() -> None:
    """Take every picture, or those that are named."""
    wanted = set(sys.argv[1:])
    if not wanted or wanted & set(PEOPLE):
        people()
        if wanted and wanted <= set(PEOPLE):
            return
    server = live_server()
    engine = Engine()
    estimate_first_columns(server.database, engine)
    if not wanted or wanted & {*LOGGED}:
        add_sample_runs(server.database, engine)
    if not wanted or wanted & {"send", "live"}:
        sent(server.address)
    estimate_first_columns(server.database, engine)  # anew, where what a machine is has been changed since
    for name, address, size, dark in (
        ("parts", "/", (1280, 800), False),
        ("bench", "Herb trough", (1280, 800), False),
        ("shelf-machines", "/shelf?kind=machines", (1280, 800), False),
        ("ready", "Domed knob", (1280, 800), False),
        ("layers", "Snow owl", (1280, 800), False),
        ("curve", "Herb trough", (1280, 800), False),
        ("palette", "Herb trough", (1280, 800), False),
        ("difference", "Herb trough", (1280, 800), False),
        ("first-steps", "/begin", (1280, 800), False),
        ("guide", "/guide/next-move", (1280, 800), False),
        ("tradeoff", "Shelf bracket", (1280, 900), False),
        ("flow-curve", "/flow/2", (1280, 800), False),
        ("log", "/log", (1280, 800), False),
        ("run-phone", "/run/46", (390, 844), False),
        ("calibration", "/log/calibration", (1280, 1000), False),
        ("board", "/day", (1280, 800), False),
        ("send", "/parts/4/send", (1280, 800), False),
        ("live", "/parts/4/send", (1280, 800), False),
    ):
        if wanted and name not in wanted:
            continue
        page = browser().new_page(
            viewport={"width": size[0], "height": size[1]}, color_scheme="dark" if dark else "light"
        )
        page.goto(server.address + (address if address.startswith("/") else "/"))
        if not address.startswith("/"):
            page.get_by_role("link", name=address).click()
            page.get_by_test_id("sheet").wait_for()
        settle(page)
        arrange = VIEWS.get(name)
        if arrange is not None:
            arrange(page)
        page.screenshot(path=HERE / f"{name}.png")
        page.close()
        print(f"{name}.png")
    stop_servers()  # before its database ends


if __name__ == "__main__":
    main()
