"""What pages hear of: every table that people edit, without anybody having written a trigger for it."""

from __future__ import annotations

import json
import unittest
from typing import Any

import psycopg
from sqlalchemy import text

from meanbead import services, store
from meanbead.core.model import Recipe
from meanbead.demo.workshop import fill_if_empty
from meanbead.store.database import Database, plain_url
from meanbead.store.notices import keep_notices, told_tables
from meanbead.store.tables import Base, VersionedRow
from tests.support.server import new_database
from tests.support.solids import box


class Notices(unittest.TestCase):
    def setUp(self) -> None:
        self.database: Database = new_database("notices")
        self.addCleanup(self.database.close)

    def heard(self, *statements: str) -> list[dict[str, Any]]:
        """What a listener hears of statements that are committed one by one."""
        with psycopg.connect(plain_url(self.database.url), autocommit=True) as listener:
            listener.execute("listen meanbead_changes")
            for statement in statements:
                with self.database.engine.begin() as connection:
                    connection.execute(text(statement))
            return [json.loads(notice.payload) for notice in listener.notifies(timeout=0.2)]

    def test_every_table_that_people_edit_is_told_of(self) -> None:
        edited = {
            str(mapper.local_table) for mapper in Base.registry.mappers if issubclass(mapper.class_, VersionedRow)
        }
        self.assertEqual(edited - {"people"}, set(told_tables()))
        with self.database.engine.connect() as connection:
            found = connection.execute(
                text(
                    "select c.relname, count(*) from pg_trigger t join pg_class c on c.oid = t.tgrelid "
                    "where t.tgname in ('tell_added', 'tell_changed') group by 1"
                )
            ).all()
        self.assertEqual({(name, 2) for name in told_tables()}, {tuple(row) for row in found})

    def test_a_new_version_is_told_with_what_it_belongs_to_and_a_note_beside_it_is_not(self) -> None:
        fill_if_empty(self.database, samples=False)
        with self.database.session.begin() as session:
            part = services.parts.add_part(session, box(8, 8, 2), name="Block", file_name="b.stl", source=b"")
            machine, nozzle, material = store.shelf.first_of_each(session)
            ids = {"machine_id": machine.id, "nozzle_id": nozzle.id, "material_id": material.id}
            store.recipes.add_recipe(session, part, name="Plain", choices=Recipe(), **ids)  # type: ignore[arg-type]
            part_id = part.id
        heard = self.heard(
            "update machines set version = version + 1 where id = 1",
            "update machines set hours_run = hours_run + 1 where id = 1",
            "update recipes set version = version + 1",
        )
        told = [("machines", 1, 2, None), ("recipes", 1, 2, str(part_id))]
        self.assertEqual([(one["table"], one["id"], one["version"], one["of"]) for one in heard], told)

    def test_keeping_them_again_touches_nothing_and_what_is_missing_comes_back(self) -> None:
        def numbers() -> list[tuple[int, int]]:
            with self.database.engine.connect() as connection:
                rows = connection.execute(text("select oid::int, xmin::text::int from pg_trigger order by 1")).all()
                return [(row[0], row[1]) for row in rows]

        before = numbers()
        self.database.migrate()
        self.assertEqual(numbers(), before)
        with self.database.engine.begin() as connection:
            connection.execute(text("drop trigger tell_changed on spools"))
            connection.execute(text("create trigger tell_added after insert on jobs execute function tell_change()"))
            keep_notices(connection)
            left = connection.scalar(text("select count(*) from pg_trigger where tgname like 'tell_%'"))
        self.assertEqual(left, 2 * len(told_tables()))
