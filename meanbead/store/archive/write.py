"""Write a workshop's archive: one state of the database, in bounded memory, whole or not at all."""

from __future__ import annotations

import hashlib
import json
import os
import zipfile
from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import psycopg
from psycopg import sql

from meanbead import __version__
from meanbead.store.archive.layout import FORMAT, MANIFEST, READ_ME, README_NAME, TABLES, Contents, file_name, key_of
from meanbead.store.archive.tables import Connection, TableShape, column_list, shape_of
from meanbead.store.database import plain_url

__all__ = ["write"]

_ROWS_AT_ONCE = 50
_ALREADY_PACKED = (".jpg", ".png", ".z", ".3mf", ".zip")


class _Writer:
    """A ZIP file whose members are checksummed as they are written."""

    def __init__(self, archive: zipfile.ZipFile) -> None:
        self.archive = archive
        self.sums: dict[str, str] = {}

    def member(self, name: str, parts: Iterator[bytes]) -> None:
        """Write a member piece by piece."""
        packed = name.endswith(_ALREADY_PACKED)
        info = zipfile.ZipInfo(name, datetime.now().timetuple()[:6])
        info.compress_type = zipfile.ZIP_STORED if packed else zipfile.ZIP_DEFLATED
        info.external_attr = 0o600 << 16
        digest = hashlib.sha256()
        with self.archive.open(info, "w", force_zip64=True) as file:
            for part in parts:
                digest.update(part)
                file.write(part)
        self.sums[name] = digest.hexdigest()


def write(url: str, path: Path, told: Callable[[str], None] = lambda _: None) -> Contents:
    """Write the archive of the database at ``url`` to ``path``, and give what it holds.

    All tables are read in one transaction, and so in one state. The file appears under its name when it is whole: a crash
    leaves what was there before. Raises :class:`OSError` where there is no room.
    """
    part = path.with_name(f".{path.name}.part")
    part.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    made_at = datetime.now(UTC)
    try:
        descriptor = os.open(part, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
        with os.fdopen(descriptor, "wb") as file:
            with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED, compresslevel=5) as archive:
                rows, schema = _tables(url, _Writer(archive), made_at, told)
            file.flush()
            os.fsync(file.fileno())
        os.replace(part, path)
    finally:
        part.unlink(missing_ok=True)
    return Contents(made_at, __version__, schema, rows, path.stat().st_size)


def _tables(url: str, writer: _Writer, made_at: datetime, told: Callable[[str], None]) -> tuple[dict[str, int], str]:
    rows: dict[str, int] = {}
    with psycopg.connect(plain_url(url)) as connection:
        connection.execute("set transaction isolation level repeatable read, read only")
        connection.execute("set local timezone to 'UTC'")
        connection.execute("set local datestyle to 'ISO'")
        found = connection.execute("select version_num from alembic_version").fetchone()
        schema = str(found[0]) if found else ""
        writer.member(README_NAME, iter([READ_ME.encode()]))
        for table in TABLES:
            shape = shape_of(connection, table)
            if shape is None:
                continue
            told(table)
            counted = [0]
            writer.member(f"tables/{table}.jsonl", _lines(connection, shape, counted))
            writer.member(f"tables/{table}.csv", _csv(connection, shape))
            for name, data in _files(connection, shape):
                writer.member(name, iter([data]))
            rows[table] = counted[0]
    manifest = {
        "format": "meanbead-workshop",
        "format_version": FORMAT,
        "schema": schema,
        "made_by": f"Mean Bead {__version__}",
        "version": __version__,
        "made_at": made_at.isoformat(),
        "rows": rows,
        "sha256": writer.sums,
    }
    writer.archive.writestr(MANIFEST, json.dumps(manifest, indent=1))
    return rows, schema


def _ordered(shape: TableShape) -> sql.Composed:
    return sql.SQL(" from {} t order by {}").format(sql.Identifier(shape.name), column_list(shape.keys))


def _lines(connection: Connection, shape: TableShape, counted: list[int]) -> Iterator[bytes]:
    """Rows as JSON; in the place of what is no text stands where it lies. The database writes numbers so that they read back
    to the last bit."""
    # What is null stands in no line: where a column holds JSON, its null is another one.
    absent = sql.SQL(", ").join(
        sql.SQL("case when t.{} is null then {} end").format(sql.Identifier(column), sql.Literal(column))
        for column in shape.plain
    )
    without = sql.SQL("(to_jsonb(t) - {}::text[] - array_remove(array[{}], null))::text")
    given = [without.format(sql.Literal(list(shape.binary)), absent)]
    given += [sql.SQL("t.{} is not null").format(sql.Identifier(column)) for column in shape.binary]
    query = sql.SQL("select ") + sql.SQL(", ").join(given) + _ordered(shape)
    with connection.cursor(name=f"rows_of_{shape.name}") as cursor:
        cursor.itersize = _ROWS_AT_ONCE
        for text, *there in cursor.execute(query):
            counted[0] += 1
            if not shape.binary:
                yield f"{text}\n".encode()
                continue
            row: dict[str, Any] = json.loads(text)
            key = key_of(row, list(shape.keys))
            places = {
                column: file_name(shape.name, key, column, row) if has else None
                for column, has in zip(shape.binary, there, strict=True)
            }
            # The row's own text is kept as it is: reading it and writing it anew could cost digits.
            yield f"{text[:-1]}, {json.dumps(places)[1:]}\n".encode()


def _csv(connection: Connection, shape: TableShape) -> Iterator[bytes]:
    query = (
        sql.SQL("copy (select {}").format(column_list(shape.plain))
        + _ordered(shape)
        + sql.SQL(") to stdout (format csv, header)")
    )
    with connection.cursor() as cursor, cursor.copy(query) as copy:
        for block in copy:
            yield bytes(block)


def _files(connection: Connection, shape: TableShape) -> Iterator[tuple[str, bytes]]:
    """What is no text, one after the other: never more than one row's is held."""
    if not shape.binary:
        return
    named = [*shape.keys, *(["file_name"] if "file_name" in shape.columns else [])]
    query = sql.SQL("select {}, {}").format(column_list(tuple(named)), column_list(shape.binary)) + _ordered(shape)
    with connection.cursor(name=f"files_of_{shape.name}") as cursor:
        cursor.itersize = 1
        for found in cursor.execute(query):
            row = dict(zip(named, found, strict=False))
            key = key_of(row, list(shape.keys))
            for column, data in zip(shape.binary, found[len(named) :], strict=True):
                if data is not None:
                    yield file_name(shape.name, key, column, row), bytes(data)
