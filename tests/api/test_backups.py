"""Backups over HTTP: for owners who have just given their passphrase; what is restored is what is then shown."""

from __future__ import annotations

import tempfile
import unittest
import zipfile
from datetime import UTC, datetime, timedelta
from pathlib import Path

from sqlalchemy import text

from meanbead.api import create_app
from meanbead.services.backups import Backups
from tests.support.people import Browser, add_people, network_app
from tests.support.server import new_database


class BackupsOverHttp(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.database = new_database("backups_http", usual=True)
        self.addCleanup(self.database.close)
        self.backups = Backups(Path(folder.name) / "backups", self.database.url)

    def alone(self) -> Browser:
        return Browser(create_app(self.database, kept=self.backups), over_network=False)

    def bring(self, browser: Browser, data: bytes):
        headers = {"Origin": browser.origin, "X-CSRFToken": browser.csrf, "Content-Type": "application/zip"}
        return browser.client.post(
            "/api/backups/bring", data=data, base_url=browser.origin, headers=headers, environ_overrides=browser.environ
        )

    def names(self, browser: Browser) -> list[str]:
        return [row["name"] for row in browser.ask("GET", "/api/shelf").get_json()["machines"]]

    def test_out_and_back_and_what_lists_had_kept_is_forgotten(self) -> None:
        browser = self.alone()
        before = self.names(browser)
        made = browser.ask("POST", "/api/backups").get_json()
        data = browser.ask("GET", f"/api/backups/{made['name']}").data
        browser.ask("POST", "/api/machines", {"name": "Later"})
        self.assertEqual(self.names(browser), [*before, "Later"])
        told = self.bring(browser, data)
        self.assertEqual(told.status_code, 200, told.text)
        contents = told.get_json()
        self.assertEqual(contents["rows"]["machines"], len(before))
        self.assertEqual(self.names(browser), [*before, "Later"])  # brought, and nothing restored yet
        self.assertEqual(browser.ask("POST", "/api/restore", {"name": contents["name"]}).status_code, 200)
        self.assertEqual(self.names(browser), before)
        aside = browser.ask("GET", "/api/backups").get_json()["backups"]
        self.assertEqual(sorted(one["kind"] for one in aside), ["before-restore", "by-hand"])
        kept = next(one["name"] for one in aside if one["kind"] == "before-restore")
        self.assertEqual(
            browser.ask("POST", f"/api/backups/{kept}/check").get_json()["rows"]["machines"], len(before) + 1
        )
        browser.ask("POST", "/api/restore", {"name": kept})
        self.assertEqual(self.names(browser), [*before, "Later"])

    def test_what_is_no_archive_is_refused_and_not_kept(self) -> None:
        browser = self.alone()
        made = browser.ask("POST", "/api/backups").get_json()
        data = browser.ask("GET", f"/api/backups/{made['name']}").data
        for bad in (b"", b"PK nothing", data[: len(data) // 2]):
            answer = self.bring(browser, bad)
            self.assertEqual(answer.status_code, 422)
            self.assertIn("Nothing was touched", answer.get_json(force=True)["detail"])
        self.assertEqual([path.name for path in self.backups.folder.glob("brought-*")], [])
        for name in ("../../etc/passwd", "nightly-..zip", "other.zip", "nightly-1.zip"):
            self.assertEqual(browser.ask("POST", "/api/restore", {"name": name}).status_code, 404)
        self.assertEqual(browser.ask("GET", "/api/backups/..%2Frunning.json").status_code, 404)

    def test_only_an_owner_who_has_just_given_the_passphrase_may(self) -> None:
        add_people(self.database, Ida="owner", Max="member", Gus="guest")
        app = network_app(self.database, self.backups)
        for name in ("Max", "Gus"):
            browser = Browser(app)
            browser.sign_in(name)
            for method, path in (("GET", "/api/backups"), ("POST", "/api/backups"), ("POST", "/api/restore")):
                self.assertEqual(
                    browser.ask(method, path, {"name": "x"} if method == "POST" else None).status_code, 403
                )
        owner = Browser(app)
        owner.sign_in("Ida")
        self.assertEqual(owner.ask("POST", "/api/backups").status_code, 201)  # signed in just now
        with self.database.session.begin() as db:
            past = datetime.now(UTC) - timedelta(hours=2)
            db.execute(text("update sessions set confirmed_at = :past"), {"past": past})
        late = owner.ask("POST", "/api/backups")
        self.assertEqual((late.status_code, late.get_json(force=True)["type"]), (403, "urn:meanbead:confirm"))
        name = self.backups.kept()[0].name
        self.assertEqual(owner.ask("GET", f"/api/backups/{name}").status_code, 403)
        self.assertEqual(owner.ask("GET", "/api/backups").status_code, 200)

    def test_no_secret_leaves_with_it_and_a_restore_signs_nobody_out(self) -> None:
        add_people(self.database, Ida="owner")
        owner = Browser(network_app(self.database, self.backups))
        owner.sign_in("Ida")
        name = owner.ask("POST", "/api/backups").get_json()["name"]
        with self.database.session.begin() as db:
            secrets = [
                str(found)
                for found in db.scalars(text("select passphrase from people union select token from sessions"))
            ]
        with zipfile.ZipFile(self.backups.path(name)) as opened:
            everything = b"".join(opened.read(member) for member in opened.namelist())
        self.assertEqual(len(secrets), 2)
        for secret in secrets:
            self.assertNotIn(secret.encode(), everything)
        self.assertEqual(owner.ask("POST", "/api/restore", {"name": name}).status_code, 200)
        self.assertEqual(owner.ask("GET", "/api/me").get_json()["name"], "Ida")

    def test_without_a_data_folder_it_says_so(self) -> None:
        browser = Browser(create_app(self.database), over_network=False)
        self.assertEqual(browser.ask("GET", "/api/backups").status_code, 404)


if __name__ == "__main__":
    unittest.main()
