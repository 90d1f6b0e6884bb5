"""The whole workshop goes out and comes back to the last bit; what is damaged, or dies on the way, touches nothing."""

from __future__ import annotations

import json
import os
import random
import signal
import subprocess
import sys
import tempfile
import time
import unittest
import zipfile
from collections.abc import Callable
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any, ClassVar

import psycopg
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from psycopg.types.json import Jsonb

from meanbead.services.backups import NIGHTS_KEPT, Backups
from meanbead.store import archive
from meanbead.store.archive import LEFT_OUT, TABLES, ArchiveError
from meanbead.store.database import Database, plain_url
from meanbead.store.tables import Base
from tests.running.effort import cases
from tests.support.server import new_database

FLOATS = st.floats(allow_nan=False, allow_infinity=False, width=64)
TEXTS = st.text(st.characters(exclude_characters="\0", codec="utf-8"), max_size=40)
NESTED = st.recursive(
    st.none() | st.booleans() | st.integers(-(2**53), 2**53) | FLOATS | TEXTS,
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(TEXTS, inner, max_size=3),
    max_leaves=6,
)


def contents(database: Database) -> dict[str, list[Any]]:
    """Every row of every table that an archive holds, as the database's own binary text: compared to the last bit."""
    found = {}
    with psycopg.connect(plain_url(database.url)) as connection:
        for table in TABLES:
            key = next(iter(Base.metadata.tables[table].primary_key)).name
            rows = connection.execute(f"select t::text from {table} t order by {key}").fetchall()
            found[table] = [row[0] for row in rows]
    return found


class ArchiveCase(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def database(self, name: str, *, samples: bool = False) -> Database:
        made = new_database(name, samples=samples)
        self.addCleanup(made.close)
        return made


class RoundTrip(ArchiveCase):
    def test_every_table_is_held_or_left_out_with_a_reason(self) -> None:
        self.assertEqual(sorted([*TABLES, *LEFT_OUT]), sorted(Base.metadata.tables), "each table in one of the two")
        for table, reason in LEFT_OUT.items():
            self.assertRegex(reason, r"\w+ \w+ \w+", table)

    def test_the_sample_workshop_comes_back_to_the_last_bit(self) -> None:
        full, empty = self.database("archive_full", samples=True), self.database("archive_empty")
        before, file = contents(full), self.folder / "w.zip"
        made = archive.write(full.url, file)
        self.assertEqual(made.rows["parts"], len(before["parts"]))
        self.assertFalse(archive.has_data(empty.url))
        archive.restore(empty.url, file)
        self.assertEqual(contents(empty), before)
        self.assertEqual(file.stat().st_mode & 0o777, 0o600)
        with zipfile.ZipFile(file) as opened:
            names = opened.namelist()
            self.assertIn("tables/parts.csv", names)
            source = next(name for name in names if name.endswith("/source.stl"))
            self.assertEqual(opened.read(source)[80:84], opened.read(source)[80:84])
            self.assertFalse([name for name in names if "people" in name or "sessions" in name])
        # Numbers go on after those that were given: a new row does not take an old one's.
        with psycopg.connect(plain_url(empty.url)) as connection:
            last = connection.execute("select max(id) from parts").fetchone()
            following = connection.execute("select nextval(pg_get_serial_sequence('parts', 'id'))").fetchone()
            assert last is not None
            assert following is not None
            self.assertGreater(following[0], last[0])

    @settings(max_examples=cases(5, 80), deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
    @given(
        rows=st.lists(
            st.tuples(
                TEXTS, FLOATS, NESTED, st.binary(max_size=60), st.dates(), st.datetimes(), st.lists(TEXTS, max_size=3)
            ),
            min_size=3,
            max_size=12,
        )
    )
    def test_whatever_rows_hold_comes_back(self, rows: list[tuple[Any, ...]]) -> None:
        full, other = self.database("archive_any"), self.database("archive_other")
        with psycopg.connect(plain_url(full.url)) as connection:
            for number, (text, value, nested, data, day, moment, words) in enumerate(rows, start=1):
                stamp = moment.replace(year=2000 + moment.year % 90).astimezone()
                common = (text[:100], number, stamp, stamp)
                connection.execute(
                    "insert into parts (id, name, version, created_at, updated_at, file_name, facts, digest, note, pose, quantity, "
                    "due_on, source, vertices, faces, picture) values (%s, %s, %s, %s, %s, %s, %s, 'd', '', %s, 1, %s, %s, %s, %s, %s)",
                    (number, *common, text, Jsonb(nested), Jsonb({"v": value}), day, data, data, data, data),
                )
                connection.execute(
                    "insert into runs (name, version, created_at, updated_at, key, part_id, tries_cause, who, plates, copies, "
                    "started_at, snapshot, entry, state, faults, column_name, machine_name, nozzle_name, material_name, plastic, "
                    "predicted_s, hours, booked) values (%s, %s, %s, %s, %s, %s, '', '', 1, 1, %s, %s, '{}', 'kept', %s, '', '', "
                    "'', '', '', %s, 0, '{}')",
                    (*common, f"key-{number}", number, stamp, Jsonb(nested), [word[:40] for word in words], value),
                )
        file = self.folder / "any.zip"
        archive.write(full.url, file)
        archive.restore(other.url, file)
        self.assertEqual(contents(other), contents(full))

    def test_over_another_workshop_the_old_one_is_kept_and_accounts_stay(self) -> None:
        full, other = self.database("archive_full", samples=True), self.database("archive_old")
        with psycopg.connect(plain_url(other.url)) as connection:
            connection.execute(
                "insert into purposes (name, version, created_at, updated_at, position, sources, limits) "
                "values ('Mine', 1, now(), now(), 1, '{}', '{}')"
            )
            connection.execute(
                "insert into people (name, version, created_at, updated_at, role, passphrase) "
                "values ('Ida', 1, now(), now(), 'owner', 'x')"
            )
            connection.execute(
                "insert into machines (name, version, created_at, updated_at, position, sources, printer, hours_run, console, panel) "
                "values ('Old', 1, now(), now(), 1, '{}', '{}', 0, '{}', '')"
            )
        before = contents(other)
        backups = Backups(self.folder / "kept", other.url)
        file = self.folder / "w.zip"
        archive.write(full.url, file)
        backups.restore(file)
        self.assertEqual(contents(other), contents(full))
        with psycopg.connect(plain_url(other.url)) as connection:
            self.assertEqual(connection.execute("select name from people").fetchall(), [("Ida",)])
        aside = [one for one in backups.kept() if one.kind == "before-restore"]
        self.assertEqual(len(aside), 1)
        backups.restore(backups.path(aside[0].name))
        self.assertEqual(contents(other), before)


class Damaged(ArchiveCase):
    full: ClassVar[Database]
    other: ClassVar[Database]
    file: ClassVar[Path]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.full, cls.other = new_database("archive_whole", samples=True), new_database("archive_damaged")
        for database in (cls.full, cls.other):
            cls.addClassCleanup(database.close)
        cls.file = Path(folder.name) / "w.zip"
        archive.write(cls.full.url, cls.file)

    def setUp(self) -> None:
        super().setUp()
        self.before = contents(self.other)

    def refused(self, file: Path, says: str) -> None:
        with self.assertRaises(ArchiveError) as raised:
            archive.restore(self.other.url, file, keep_old=lambda: self.fail("the old was put aside for a bad archive"))
        self.assertIn(says, str(raised.exception))
        self.assertEqual(contents(self.other), self.before)

    def changed(self, change: Callable[[dict[str, bytes]], object]) -> Path:
        """The archive with its members changed, written as a sound ZIP file."""
        with zipfile.ZipFile(self.file) as opened:
            members = {name: opened.read(name) for name in opened.namelist()}
        change(members)
        path = self.folder / "changed.zip"
        with zipfile.ZipFile(path, "w") as out:
            for name, data in members.items():
                out.writestr(name, data)
        return path

    def test_bytes_that_were_changed_or_cut_off_are_found_wherever_they_are(self) -> None:
        data = self.file.read_bytes()
        rng = random.Random(4)
        broken = self.folder / "broken.zip"
        for _ in range(12):
            at = rng.randrange(len(data) - 200)
            broken.write_bytes(data[:at] + bytes([data[at] ^ 0x41]) + data[at + 1 :])
            try:
                archive.check(broken)
            except ArchiveError:
                continue
            # A byte that means nothing, such as of a member's date, may be any: what is read is what was written.
            with zipfile.ZipFile(broken) as opened, zipfile.ZipFile(self.file) as whole:
                self.assertTrue(all(opened.read(name) == whole.read(name) for name in whole.namelist()))
        for share in (0.3, 0.9, 0.999):
            broken.write_bytes(data[: int(share * len(data))])
            self.refused(broken, "cut off")

    def test_what_was_written_into_it_by_others_is_found(self) -> None:
        self.refused(self.changed(lambda members: members.update({"tables/parts.jsonl": b""})), "damaged")
        self.refused(self.changed(lambda members: members.update({"extra": b""})), "put into it")
        self.refused(self.changed(lambda members: members.pop("tables/runs.csv")), "not whole")
        self.refused(self.changed(lambda members: members.pop("workshop.json")), "no archive")
        nothing = self.folder / "n.zip"
        nothing.write_bytes(b"PK nothing")
        self.refused(nothing, "no archive")

    def test_a_newer_one_is_left_to_the_newer_version(self) -> None:
        for field, value in (("schema", "9999"), ("format_version", 99)):

            def newer(members: dict[str, bytes], field: str = field, value: Any = value) -> None:
                manifest = json.loads(members["workshop.json"]) | {field: value}
                members["workshop.json"] = json.dumps(manifest).encode()

            self.refused(self.changed(newer), "newer")

    def test_rows_that_name_what_is_not_there_are_refused(self) -> None:
        import hashlib

        def without_machines(members: dict[str, bytes]) -> None:
            manifest = json.loads(members["workshop.json"])
            members["tables/machines.jsonl"] = b""
            manifest["sha256"]["tables/machines.jsonl"] = hashlib.sha256(b"").hexdigest()
            manifest["rows"]["machines"] = 0
            members["workshop.json"] = json.dumps(manifest).encode()

        self.refused(self.changed(without_machines), "not in the archive")

    def test_what_fails_at_the_last_moment_leaves_the_old_workshop(self) -> None:
        def no_room() -> None:
            raise OSError("no room")

        with self.assertRaises(OSError):
            archive.restore(self.other.url, self.file, keep_old=no_room)
        self.assertEqual(contents(self.other), self.before)

    def test_a_process_that_dies_in_the_middle_leaves_the_old_workshop(self) -> None:
        """Killed at several moments of a restore and of a backup."""
        for step in ("parts", "putting"):
            with self.subTest(step=step):
                program = (
                    "import sys, os, signal\nfrom pathlib import Path\nfrom meanbead.store import archive\n"
                    f"def told(what):\n    if what.startswith({step!r}): os.kill(os.getpid(), signal.SIGKILL)\n"
                    "archive.restore(sys.argv[1], Path(sys.argv[2]), keep_old=lambda: None, told=told)\n"
                )
                done = subprocess.run(
                    [sys.executable, "-c", program, self.other.url, str(self.file)], env={**os.environ}
                )
                self.assertEqual(done.returncode, -signal.SIGKILL)
                self.assertEqual(contents(self.other), self.before)
        target = self.folder / "again.zip"
        program = (
            "import sys, os, signal\nfrom pathlib import Path\nfrom meanbead.store import archive\n"
            "def told(what):\n    if what == 'runs': os.kill(os.getpid(), signal.SIGKILL)\n"
            "archive.write(sys.argv[1], Path(sys.argv[2]), told)\n"
        )
        target.write_bytes(b"the last one")
        done = subprocess.run([sys.executable, "-c", program, self.full.url, str(target)], env={**os.environ})
        self.assertEqual(done.returncode, -signal.SIGKILL)
        self.assertEqual(target.read_bytes(), b"the last one")
        archive.restore(self.other.url, self.file)  # and the next one finds nothing in its way
        self.assertEqual(contents(self.other), contents(self.full))


class Nights(ArchiveCase):
    def test_one_a_night_seven_deep_and_a_missed_one_at_once(self) -> None:
        database = self.database("archive_nights")
        backups = Backups(self.folder / "kept", database.url)
        start = datetime.now().astimezone().replace(hour=1, minute=0, second=0, microsecond=0)
        made = 0
        for hour in range(24 * 10):
            moment = start + timedelta(hours=hour)
            if backups.make_if_due(moment):
                made += 1
                newest = max(backups.folder.glob("nightly-*.zip"), key=lambda path: path.stat().st_mtime)
                os.utime(newest, (moment.timestamp(), moment.timestamp()))
            time.sleep(0)
        self.assertEqual(made, 11)  # at once, and then each night at two
        self.assertEqual(len(backups.kept()), NIGHTS_KEPT)
        self.assertFalse(
            Backups(self.folder / "kept", database.url, nightly=False).make_if_due(start + timedelta(days=99))
        )

    def test_what_goes_wrong_at_night_is_told(self) -> None:
        backups = Backups(self.folder / "kept", "postgresql+psycopg://nobody@127.0.0.1:1/none")
        with self.assertLogs("meanbead", "WARNING"):
            self.assertFalse(backups.make_if_due(datetime.now().astimezone()))
        self.assertIn("connection", backups.problem())
        self.assertEqual(list(backups.folder.glob("*.zip")), [])


if __name__ == "__main__":
    unittest.main()
