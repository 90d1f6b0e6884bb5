"""Data of released versions open in this one; those of a newer one are left alone, with a sentence."""

import gzip
import unittest
from pathlib import Path
from typing import Any
from unittest.mock import patch

import psycopg
from psycopg.errors import DiskFull
from sqlalchemy import text
from sqlalchemy.exc import OperationalError

from meanbead.api import create_app
from meanbead.core.estimate import ENGINE_VERSION
from meanbead.store import archive, cluster
from meanbead.store.database import Database, NewerData, plain_url
from tests.released.make import HERE
from tests.support.people import HOST, Browser, network_app
from tests.support.server import new_database

KEPT = sorted(HERE.glob("workshop-*.sql.gz"))


def opened(file: Path) -> Database:
    """A database with what a version has kept, not migrated yet."""
    name = f"released_{file.name.split('-')[1][:4]}"
    database = new_database(name)
    with database.engine.begin() as connection:
        connection.execute(text("drop schema public cascade"))
        connection.execute(text("create schema public"))
    with psycopg.connect(plain_url(database.url)) as raw:
        raw.execute(gzip.decompress(file.read_bytes()).decode())  # of our own making
    database.close()
    return Database(database.url)


def from_older_engine(database: Database) -> bool:
    """Whether what is kept was computed by an engine of before: such figures are shown as outdated, not as today's."""
    with database.session.begin() as session:
        kept = set(session.scalars(text("select engine_version from estimates")))
    return kept != {ENGINE_VERSION}


class Upgrades(unittest.TestCase):
    def test_there_is_something_to_open(self) -> None:
        self.assertGreaterEqual(len(KEPT), 2)

    def test_what_each_version_has_kept_opens_with_its_figures(self) -> None:
        for file in KEPT:
            with self.subTest(file=file.name):
                database = opened(file)
                self.addCleanup(database.close)
                database.migrate()
                with database.session.begin() as session:
                    accounts = session.scalar(text("select count(*) from people"))
                browser = (
                    Browser(network_app(database)) if accounts else Browser(create_app(database), over_network=False)
                )
                if accounts:
                    self.assertEqual(browser.sign_in("Ida").status_code, 200)
                part = browser.ask("GET", "/api/parts").get_json()["parts"][0]
                outdated = from_older_engine(database)
                self.assertEqual((part["name"], part["headline"]["outdated"]), ("Block", outdated))
                self.assertGreater(part["headline"]["print_time_s"], 60)
                columns = browser.ask("GET", f"/api/parts/{part['id']}/recipes").get_json()["recipes"]
                for column in columns:
                    # Figures of another engine are not shown as this one's; who asks gets them worked out anew.
                    self.assertEqual(column["estimate"] is None, outdated)
                    answer = browser.ask("POST", f"/api/recipes/{column['id']}/estimate").get_json()
                    self.assertGreater(answer["print_time_s"], 60)
                versions = browser.ask("GET", f"/api/recipes/{columns[0]['id']}/versions").get_json()["versions"]
                self.assertEqual(versions[-1]["who"], "Ida")
                for path in (
                    "/api/shelf",
                    "/api/house-rules",
                    "/api/flow-tests",
                    f"/api/recipes/{columns[0]['id']}/findings",
                ):
                    self.assertEqual(browser.ask("GET", path).status_code, 200, path)

    def test_an_archive_of_each_version_is_restored_for_good(self) -> None:
        """Made once by the version that it is named after, and never again."""
        archives = sorted(HERE.glob("archive-*.zip"))
        self.assertGreaterEqual(len(archives), 1)
        for file in archives:
            with self.subTest(file=file.name):
                database = new_database(f"from_{file.stem.replace('-', '_')}")
                self.addCleanup(database.close)
                archive.restore(database.url, file)
                browser = Browser(create_app(database), over_network=False)
                part = browser.ask("GET", "/api/parts").get_json()["parts"][0]
                self.assertEqual((part["name"], part["headline"]["outdated"]), ("Block", from_older_engine(database)))
                self.assertEqual(browser.ask("GET", part["picture"]).data[:4], b"\x89PNG")
                runs = browser.ask("GET", "/api/runs?fault=strings").get_json()["runs"]
                self.assertEqual((runs[0]["note"], runs[0]["weight_g"]), ("Älter, with signs: ✓", 2.5))
                run = browser.ask("GET", f"/api/runs/{runs[0]['id']}").get_json()
                self.assertGreater(run["prediction"]["print_time_s"], 60)
                self.assertEqual(browser.ask("GET", run["photos"][0]["thumbnail"]).data[:2], b"\xff\xd8")

    def test_a_newer_workshop_is_left_alone_with_a_sentence(self) -> None:
        database = new_database("newer")
        self.addCleanup(database.close)
        with database.engine.begin() as connection:
            connection.execute(text("update alembic_version set version_num = '9999'"))
        with self.assertRaisesRegex(NewerData, "newer Mean Bead"):
            database.migrate()
        with database.engine.begin() as connection:
            self.assertEqual(connection.scalar(text("select version_num from alembic_version")), "9999")


class Faults(unittest.TestCase):
    def test_a_full_disk_is_told_and_nothing_is_changed(self) -> None:
        database = new_database("full")
        self.addCleanup(database.close)
        browser = Browser(create_app(database), over_network=False)

        def full(*_: Any) -> None:
            raise OperationalError("insert", {}, DiskFull("could not extend file: No space left on device"))

        with patch("meanbead.store.rows.get_for_edit", full):
            answer = browser.ask("POST", "/api/parts/1/delete", {"version": 1})
        self.assertEqual(answer.status_code, 507)
        self.assertIn("is full; nothing was changed", answer.get_json(force=True)["detail"])

    def test_a_database_that_starts_anew_in_the_middle_is_told_and_then_asked_again(self) -> None:
        database = new_database("anew")
        self.addCleanup(database.close)
        browser = Browser(create_app(database), over_network=False)
        self.assertEqual(browser.ask("GET", "/api/parts").status_code, 200)
        with database.engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
            mine = connection.scalar(text("select pg_backend_pid()"))
            connection.execute(
                text(
                    "select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and pid <> :mine"
                ),
                {"mine": mine},
            )
        # Connections that are gone are noticed before they are used.
        self.assertEqual(browser.ask("GET", "/api/parts").status_code, 200)

        def gone(*_: Any, **__: Any) -> None:
            raise OperationalError("select", {}, Exception("terminating connection due to administrator command"))

        with patch("meanbead.store.parts.names", gone):
            answer = browser.ask("GET", "/api/parts/names")
        self.assertEqual(answer.status_code, 503)
        self.assertIn("nothing was changed", answer.text)

    def test_the_database_listens_on_loopback_only(self) -> None:
        database = new_database("loopback")
        self.addCleanup(database.close)
        with database.engine.connect() as connection:
            self.assertEqual(connection.scalar(text("show listen_addresses")), "127.0.0.1")
        self.assertIn("127.0.0.1", cluster.Running(Path(), 1, "x").url)
        self.assertNotEqual(HOST, "127.0.0.1")


if __name__ == "__main__":
    unittest.main()
