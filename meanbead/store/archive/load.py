"""Bring a workshop back from its archive: into a database beside the running one first, by the schema that it was written
with; then, migrated and checked, into the running one in a single transaction.

Whatever fails or dies on the way, the running workshop stays as it was.
"""

from __future__ import annotations

import json
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import psycopg
from alembic import command
from psycopg import sql

from meanbead.store.archive.layout import EMPTIED, TABLES, ArchiveError, Contents
from meanbead.store.archive.read import check, lines_of, opened
from meanbead.store.archive.tables import Connection, TableShape, column_list, shape_of
from meanbead.store.database import Database, alembic_config, plain_url

__all__ = ["has_data", "restore"]

_BATCH_ROWS = 500
_BATCH_BYTES = 8 << 20
_LOCK_TIMEOUT = "60s"


def has_data(url: str) -> bool:
    """Whether a workshop holds anything that a restore would put aside."""
    with psycopg.connect(plain_url(url)) as connection:
        found = connection.execute("select exists (select from machines) or exists (select from parts)").fetchone()
        return bool(found and found[0])


def restore(
    url: str, path: Path, *, keep_old: Callable[[], object] | None = None, told: Callable[[str], None] = lambda _: None
) -> Contents:
    """Have the database at ``url`` hold what the archive at ``path`` holds, and give what that is.

    ``keep_old`` is called once nobody can write any more and before anything is replaced, so that what was there can be
    kept. Accounts, devices and the journal of who did what stay. Raises :class:`ArchiveError` for an archive that is
    damaged, of a newer version, or does not hold together; nothing was changed then.
    """
    told("checking the archive")
    contents = check(path)
    with opened(path) as (archive, _):
        beside = _fresh_beside(url)
        try:
            _load(beside, archive, contents, told)
            told("bringing it up to date")
            database = Database(beside)
            database.migrate()
            database.close()
            _replace(url, beside, keep_old, told)
        finally:
            _drop(url, beside)
    return contents


def _beside(url: str) -> str:
    return f"{url.rsplit('/', 1)[-1]}_restoring"


def _admin(url: str) -> Connection:
    return psycopg.connect(plain_url(url).rsplit("/", 1)[0] + "/postgres", autocommit=True)


def _fresh_beside(url: str) -> str:
    name = _beside(url)
    with _admin(url) as admin:
        # What a crash left behind of the last try.
        admin.execute(sql.SQL("drop database if exists {} with (force)").format(sql.Identifier(name)))
        admin.execute(sql.SQL("create database {} template template0").format(sql.Identifier(name)))
    return url.rsplit("/", 1)[0] + f"/{name}"


def _drop(url: str, beside: str) -> None:
    with _admin(url) as admin:
        name = beside.rsplit("/", 1)[-1]
        admin.execute(sql.SQL("drop database if exists {} with (force)").format(sql.Identifier(name)))


def _load(beside: str, archive: zipfile.ZipFile, contents: Contents, told: Callable[[str], None]) -> None:
    database = Database(beside)
    with database.engine.begin() as opened_connection:
        config = alembic_config()
        config.attributes["connection"] = opened_connection
        command.upgrade(config, contents.schema)
    database.close()
    with psycopg.connect(plain_url(beside)) as connection:
        connection.execute("set local session_replication_role = replica")  # rows name each other in circles
        connection.execute("set local timezone to 'UTC'")
        for table, count in contents.rows.items():
            shape = shape_of(connection, table)
            if shape is None:
                raise ArchiveError(
                    f"The archive has a table {table:.60} that its own version does not know. Nothing was touched."
                )
            told(table)
            connection.execute(sql.SQL("delete from {}").format(sql.Identifier(table)))  # what migrations begin with
            try:
                loaded = _rows(connection, archive, shape)
            except (psycopg.DataError, psycopg.IntegrityError, ValueError, KeyError) as problem:
                raise ArchiveError(f"A row of {table} cannot be read ({problem}). Nothing was touched.") from None
            if loaded != count:
                raise ArchiveError(f"{table} has {loaded} rows, and should have {count}. Nothing was touched.")
        _check_references(connection)


def _rows(connection: Connection, archive: zipfile.ZipFile, shape: TableShape) -> int:
    names = shape.plain + shape.binary
    row = sql.SQL("(select %s::jsonb as held) d, jsonb_populate_record(null::{}, d.held)").format(
        sql.Identifier(shape.name)
    )
    plain = sql.SQL(", ").join(
        # As it stands, so that JSON's own null stays one.
        sql.SQL("d.held -> {}").format(sql.Literal(name))
        if name in shape.nested
        else sql.SQL("r.{}").format(sql.Identifier(name))
        for name in shape.plain
    )
    given = sql.SQL(", ").join([plain, *(sql.SQL("%s") for _ in shape.binary)])
    query = sql.SQL("insert into {} ({}) overriding system value select {} from {} r").format(
        sql.Identifier(shape.name), column_list(names), given, row
    )
    total, held, batch = 0, 0, []
    with connection.cursor() as cursor:
        for line in lines_of(archive, shape.name):
            blobs: list[Any] = []
            text = line
            if shape.binary:
                content = json.loads(line)
                for column in shape.binary:
                    place = content.get(column)
                    blobs.append(None if place is None else archive.read(str(place)))
                text = _without(line, shape.binary)
            batch.append((*blobs, text))
            held += len(text) + sum(len(blob) for blob in blobs if blob is not None)
            total += 1
            if len(batch) >= _BATCH_ROWS or held >= _BATCH_BYTES:
                cursor.executemany(query, batch)
                held, batch = 0, []
        if batch:
            cursor.executemany(query, batch)
    return total


def _without(line: str, binary: tuple[str, ...]) -> str:
    """A row's text without the places of what is no text, which were put at its end."""
    at = line.rindex(f', "{binary[0]}": ')
    return line[:at] + "}"


def _check_references(connection: Connection) -> None:
    """Rows were written without looking at what they name: now it is looked at."""
    found = connection.execute(
        "select conrelid::regclass::text, a.attname, confrelid::regclass::text, b.attname from pg_constraint c "
        "join pg_attribute a on a.attrelid = c.conrelid and a.attnum = c.conkey[1] "
        "join pg_attribute b on b.attrelid = c.confrelid and b.attnum = c.confkey[1] "
        "where c.contype = 'f' and c.connamespace = 'public'::regnamespace and cardinality(c.conkey) = 1"
    ).fetchall()
    for child, column, parent, key in found:
        query = sql.SQL(
            "select exists (select from {child} c where c.{column} is not null "
            "and not exists (select from {parent} p where p.{key} = c.{column}))"
        ).format(
            child=sql.Identifier(child),
            column=sql.Identifier(column),
            parent=sql.Identifier(parent),
            key=sql.Identifier(key),
        )
        missing = connection.execute(query).fetchone()
        if missing and missing[0]:
            raise ArchiveError(
                f"A row of {child} names one of {parent} that is not in the archive. Nothing was touched."
            )


def _replace(url: str, beside: str, keep_old: Callable[[], object] | None, told: Callable[[str], None]) -> None:
    with psycopg.connect(plain_url(beside)) as source, psycopg.connect(plain_url(url)) as target:
        target.execute(f"set local lock_timeout = '{_LOCK_TIMEOUT}'")
        shapes = [shape for table in TABLES if (shape := shape_of(target, table)) is not None]
        all_tables = sql.SQL(", ").join(sql.Identifier(shape.name) for shape in shapes)
        try:
            target.execute(sql.SQL("lock table {} in exclusive mode").format(all_tables))
            if keep_old is not None:
                told("keeping what is here")
                keep_old()  # readers are still let in, and nobody writes
            told("putting it in its place")
            target.execute(sql.SQL("truncate {}").format(all_tables))
        except psycopg.errors.LockNotAvailable:
            raise ArchiveError("Somebody is writing all the time; nothing was changed. Try again.") from None
        target.execute("set local session_replication_role = replica")
        for shape in shapes:
            _copy(source, target, shape)
        for shape in shapes:
            _move_sequence(target, shape)
        for table in EMPTIED:
            target.execute(sql.SQL("delete from {}").format(sql.Identifier(table)))
        target.execute("update generations set count = count + 1")
        target.execute("delete from jobs where state not in ('waiting', 'running')")
        target.execute("update jobs set cancel = true")
        everything = json.dumps({"table": "*", "id": 0, "version": 0, "of": None})
        target.execute("select pg_notify('meanbead_changes', %s)", [everything])


def _copy(source: Connection, target: Connection, shape: TableShape) -> None:
    columns, table = column_list(shape.columns), sql.Identifier(shape.name)
    out = sql.SQL("copy (select {} from {}) to stdout (format binary)").format(columns, table)
    into = sql.SQL("copy {} ({}) from stdin (format binary)").format(table, columns)
    with (
        source.cursor() as reading,
        target.cursor() as writing,
        reading.copy(out) as given,
        writing.copy(into) as taken,
    ):
        for block in given:
            taken.write(block)


def _move_sequence(target: Connection, shape: TableShape) -> None:
    """Numbers go on after the largest that was ever given, here or in the archive: none comes twice."""
    if shape.keys != ("id",):
        return
    found = target.execute("select pg_get_serial_sequence(%s, 'id')", [f'public."{shape.name}"']).fetchone()
    if found is None or found[0] is None:
        return
    query = sql.SQL(
        "select setval({name}, greatest((select coalesce(max(id), 0) + 1 from {table}), "
        "(select last_value + is_called::int from {sequence})), false)"
    ).format(
        name=sql.Literal(found[0]),
        table=sql.Identifier(shape.name),
        sequence=sql.SQL(found[0]),
    )
    target.execute(query)
