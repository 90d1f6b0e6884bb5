"""People, phones and the network, in the real pages: from ``./start --network`` to an edit that another sees."""

import re
import unittest
from typing import ClassVar

import trimesh
from playwright.sync_api import BrowserContext, Page, expect

from tests.running.effort import only_long
from tests.support.network import NetworkWorkshop
from tests.support.people import PASSPHRASE
from tests.support.solids import stl_bytes
from tests.ui.browser import browser, serious_findings
from tests.support.patience import PATIENCE_MS

OTHER = "four green kettles sing low"


class Network(unittest.TestCase):
    workshop: ClassVar[NetworkWorkshop]
    part: ClassVar[int]

    @classmethod
    def setUpClass(cls) -> None:
        cls.workshop = NetworkWorkshop()
        context = browser().new_context()
        page = context.new_page()
        page.goto(cls.workshop.home)
        cls.enter(page, "Ida")
        token = page.evaluate("async () => (await (await fetch('/api/me')).json()).csrf")
        form = {
            "file": {
                "name": "block.stl",
                "mimeType": "model/stl",
                "buffer": stl_bytes(trimesh.creation.box((20, 20, 6))),
            }
        }
        made = page.request.post(
            f"{cls.workshop.home}/api/parts",
            multipart=form,  # type: ignore[arg-type]
            headers={"X-CSRFToken": token, "Origin": cls.workshop.home},
        )
        assert made.status == 201, made.text()
        cls.part = int(made.json()["id"])
        context.close()

    @classmethod
    def tearDownClass(cls) -> None:
        cls.workshop.stop()

    @staticmethod
    def sign_in(page: Page, name: str, passphrase: str = PASSPHRASE) -> None:
        page.get_by_label("Name", exact=True).fill(name)
        page.get_by_label("Passphrase", exact=True).fill(passphrase)
        page.get_by_role("button", name="Sign in").click()

    @classmethod
    def enter(cls, page: Page, name: str) -> None:
        """Sign in, and be inside."""
        cls.sign_in(page, name)
        page.get_by_label(f"Account of {name}").wait_for()

    def page(
        self, width: int = 1280, height: int = 800, *, address: str = "/", home: bool = False, kept: bool = False
    ) -> Page:
        """A browser of its own at an address. ``kept``: with what keeps pages for reading without a connection, which fetches
        the whole application first."""
        context: BrowserContext = browser().new_context(
            viewport={"width": width, "height": height},
            ignore_https_errors=True,
            reduced_motion="reduce",
            service_workers="allow" if kept else "block",
        )
        self.addCleanup(context.close)
        context.set_default_timeout(PATIENCE_MS)
        expect.set_options(timeout=PATIENCE_MS)
        page = context.new_page()
        page.goto((self.workshop.home if home else self.workshop.net) + address)
        return page

    def bench(self, page: Page) -> None:
        page.goto(f"{page.url.split('/', 3)[0]}//{page.url.split('/', 3)[2]}/parts/{self.part}")
        expect(page.get_by_role("button", name="Layer height in mm, Everyday:")).to_be_visible()

    def invite(self, page: Page, role: str) -> str:
        page.get_by_label("Whom to invite").select_option(role)
        page.get_by_role("button", name="Make a link").click()
        link = page.locator("p.font-mono")
        expect(link).to_contain_text("/join#")
        return link.inner_text()

    def new_run(self, page: Page) -> int:
        """Start a run of the part's first column, as the page would."""
        return int(
            page.evaluate(
                """async (part) => {
                  const token = (await (await fetch('/api/me')).json()).csrf;
                  const columns = (await (await fetch(`/api/parts/${part}/recipes`)).json()).recipes;
                  const answer = await fetch(`/api/recipes/${columns[0].id}/runs`, {
                    method: 'POST', headers: {'X-CSRFToken': token, 'Content-Type': 'application/json'},
                    body: JSON.stringify({key: crypto.randomUUID()}),
                  });
                  return (await answer.json()).id;
                }""",
                self.part,
            )
        )

    def serious(self, page: Page) -> list[str]:
        return [f"{one['rule']}: {one['where'][0]}" for one in serious_findings(page)]

    def test_a_label_that_is_scanned_leads_over_the_sign_in_to_the_entry(self) -> None:
        desk = self.page()
        self.enter(desk, "Ida")
        run = self.new_run(desk)
        phone = self.page(390, 800, address=f"/run/{run}")
        self.sign_in(phone, "Ida")  # and goes on to where the code led
        expect(phone.get_by_role("button", name="Store it")).to_be_visible()
        self.assertIn(f"/run/{run}", phone.url)
        phone.get_by_role("button", name="Kept").click()
        phone.get_by_role("button", name="Store it").click()
        expect(phone.get_by_text("Stored.")).to_be_visible()
        desk.goto(f"{self.workshop.net}/log/{run}")
        expect(desk.get_by_text("kept", exact=False).first).to_be_visible()
        expect(desk.get_by_text("Ida").first).to_be_visible()

    def test_from_an_invitation_to_an_edit_that_the_other_sees_while_typing(self) -> None:
        desk = self.page(address="/people")
        self.assertEqual(self.serious(desk), [])
        self.enter(desk, "Ida")
        expect(desk.get_by_role("heading", name="People")).to_be_visible()
        link = self.invite(desk, "member")
        self.assertTrue(link.startswith(self.workshop.net))
        self.assertEqual(self.serious(desk), [])

        phone = self.page(390, 800, address=f"/join{link[link.index('#') :]}")
        expect(phone.get_by_text("Ida invites you as a member")).to_be_visible()
        self.assertNotIn("#", phone.url)  # what was in the link stays in no history
        phone.get_by_label("Name", exact=True).fill("Bo")
        phone.get_by_label("Passphrase", exact=True).fill("too short")
        phone.get_by_role("button", name="Join").click()
        expect(phone.get_by_role("alert")).to_contain_text("at least 12 letters")
        phone.get_by_label("Passphrase", exact=True).fill(OTHER)
        phone.get_by_role("button", name="Join").click()
        expect(phone.get_by_label("Account of Bo, member")).to_be_visible()

        self.bench(desk)
        self.bench(phone)
        # Somebody types at the desk while the phone changes another cell: it is seen, and the typing stays.
        desk.get_by_role("button", name="Walls in lines, Everyday:").click()
        desk.keyboard.press("Control+a")
        desk.keyboard.type("4")
        phone.get_by_role("button", name="Layer height in mm, Everyday:").click()
        phone.keyboard.press("Control+a")
        phone.keyboard.type("0.24")
        phone.keyboard.press("Enter")
        expect(phone.get_by_role("button", name="Layer height in mm, Everyday: 0.24")).to_be_visible()
        expect(desk.get_by_role("button", name="Layer height in mm, Everyday: 0.24")).to_be_visible()
        self.assertEqual(desk.evaluate("document.activeElement.value"), "4")
        desk.keyboard.press("Enter")
        expect(phone.get_by_role("button", name="Walls in lines, Everyday: 4")).to_be_visible()
        # Names stand at versions.
        versions = desk.evaluate(
            "async (part) => { const all = await (await fetch(`/api/parts/${part}/recipes`)).json(); "
            "return (await (await fetch(`/api/recipes/${all.recipes[0].id}/versions`)).json()).versions }",
            self.part,
        )
        self.assertEqual({one["who"] for one in versions[:2]}, {"Bo", "Ida"})

    def test_a_guest_reads_and_cannot_change(self) -> None:
        desk = self.page(address="/people")
        self.enter(desk, "Ida")
        link = self.invite(desk, "guest")
        guest = self.page(390, 800, address=f"/join{link[link.index('#') :]}")
        guest.get_by_label("Name", exact=True).fill("Gus")
        guest.get_by_label("Passphrase", exact=True).fill(OTHER)
        guest.get_by_role("button", name="Join").click()
        expect(guest.get_by_label("Account of Gus, guest")).to_be_visible()
        self.bench(guest)
        cell = guest.get_by_role("button", name="Layer height in mm, Everyday:")
        expect(cell).to_have_attribute("aria-disabled", "true")
        cell.focus()
        guest.keyboard.type("0.1")
        expect(guest.get_by_role("textbox", name="Layer height in mm, Everyday")).to_have_count(0)
        status = guest.evaluate(
            "async () => { const me = await (await fetch('/api/me')).json(); return (await fetch('/api/house-rules', "
            "{method: 'PATCH', body: '{\"version\": 1}', headers: {'Content-Type': 'application/json', 'X-CSRFToken': me.csrf}})).status }"
        )
        self.assertEqual(status, 403)
        # An owner signs all of somebody's devices out: the page says so by itself.
        desk.reload()
        desk.get_by_role("button", name="Sign out all devices of Gus").click()
        expect(guest.get_by_role("heading", name="Sign in")).to_be_visible()
        expect(guest.get_by_text("Layer height")).to_have_count(0)

    def test_a_wrong_passphrase_waits(self) -> None:
        page = self.page()
        told = page.get_by_role("alert")
        # On a slow machine the first waits, of seconds, may run out before the next try; later ones do not.
        for _ in range(10):
            self.sign_in(page, "Nobody", "not the right words")
            expect(page.get_by_role("button", name="Sign in")).to_be_enabled()
            expect(told).to_contain_text(re.compile("do not belong together|Wait"))
            if "Wait" in told.inner_text():
                break
        expect(told).to_contain_text("Too many tries failed. Wait")

    @only_long
    def test_account_and_network_pages(self) -> None:
        page = self.page(address="/account")
        self.enter(page, "Ida")
        expect(page.get_by_text("this one", exact=True)).to_be_visible()
        self.assertEqual(self.serious(page), [])
        page.goto(f"{self.workshop.net}/network")
        expect(page.get_by_alt_text("The address as a QR code")).to_be_visible()
        expect(page.get_by_role("heading", name="Android")).to_be_visible()
        self.assertEqual(self.serious(page), [])
        # A phone that is not signed in reads how to trust it.
        stranger = self.page(390, 800, address="/trust")
        expect(stranger.get_by_role("link", name="Download the certificate")).to_be_visible()
        self.assertEqual(self.serious(stranger), [])
        self.assertLessEqual(stranger.evaluate("document.documentElement.scrollWidth"), 390)

    def test_a_stopped_workshop_is_told_on_every_page_and_what_was_typed_is_sent_when_it_answers(self) -> None:
        # On this machine's own address, which browsers trust without a certificate.
        page = self.page(home=True, kept=True)
        self.enter(page, "Ida")
        page.wait_for_function("navigator.serviceWorker.ready.then(() => true)")
        page.reload()
        page.wait_for_function("navigator.serviceWorker.controller !== null")
        run = self.new_run(page)
        seen = {
            "/log": "Block",
            "/day/now": "Now",
            f"/run/{run}": "Store it",
            f"/parts/{self.part}": "Layer height in mm",
        }
        away = page.get_by_role("status").filter(has_text="No connection.")
        for address, text in seen.items():
            page.goto(self.workshop.home + address)
            expect(page.get_by_text(text).or_(page.get_by_role("button", name=text)).first).to_be_visible()
            page.wait_for_load_state("networkidle")
            expect(away).to_have_count(0)
        self.workshop.kill()
        # The bench has not been touched: its stream has broken off.
        expect(away).to_contain_text(re.compile(r"You see what was known at \d\d:\d\d"))
        for address, text in seen.items():
            page.goto(self.workshop.home + address)
            expect(page.get_by_text(text).or_(page.get_by_role("button", name=text)).first).to_be_visible()
            expect(away).to_contain_text(re.compile(r"You see what was known at \d\d:\d\d"))
            if address.startswith("/run/"):
                page.get_by_role("button", name="Kept").click()
                page.get_by_role("button", name="Store it").click()
                expect(page.get_by_text("it is kept in this phone")).to_be_visible()
        page.get_by_role("button", name="Top layers in layers, Everyday:").click()
        page.keyboard.press("Control+a")
        page.keyboard.type("7")
        page.keyboard.press("Enter")

        self.workshop.start_again()
        expect(away).to_have_count(0)
        other = self.page(home=True)
        self.enter(other, "Ida")
        self.bench(other)
        expect(other.get_by_role("button", name="Top layers in layers, Everyday: 7")).to_be_visible()
        page.goto(f"{self.workshop.home}/run/{run}")
        expect(page.get_by_text("Stored.")).to_be_visible()
        # Signing out wipes what was kept.
        page.goto(self.workshop.home)
        page.get_by_label("Account of Ida, owner").click()
        with page.expect_navigation():
            page.get_by_role("button", name="Sign out").click()
        expect(page.get_by_role("heading", name="Sign in")).to_be_visible()
        self.assertEqual(page.evaluate("caches.keys()"), [])


if __name__ == "__main__":
    unittest.main()
