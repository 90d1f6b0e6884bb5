"""What a database's tables are made of, as it says itself: an archive may be of a version whose tables this one no longer
describes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import psycopg
from psycopg import sql

__all__ = ["TableShape", "column_list", "shape_of"]

Connection = psycopg.Connection[Any]


@dataclass(frozen=True)
class TableShape:
    """A table's columns in order, those that are no text and those that are JSON among them, and its key."""

    name: str
    columns: tuple[str, ...]
    binary: tuple[str, ...]
    nested: tuple[str, ...]
    keys: tuple[str, ...]

    @property
    def plain(self) -> tuple[str, ...]:
        """Columns that are text, numbers, moments or JSON."""
        return tuple(column for column in self.columns if column not in self.binary)


def shape_of(connection: Connection, table: str) -> TableShape | None:
    """A table as the database describes it; None where there is none."""
    found = connection.execute(
        "select column_name, data_type from information_schema.columns "
        "where table_schema = 'public' and table_name = %s order by ordinal_position",
        [table],
    ).fetchall()
    if not found:
        return None
    keys = connection.execute(
        "select a.attname from pg_index i join pg_attribute a on a.attrelid = i.indrelid and a.attnum = any(i.indkey) "
        "where i.indrelid = %s::regclass and i.indisprimary order by a.attnum",
        [f'public."{table}"'],
    ).fetchall()
    return TableShape(
        table,
        tuple(name for name, _ in found),
        tuple(name for name, kind in found if kind == "bytea"),
        tuple(name for name, kind in found if kind == "jsonb"),
        tuple(name for (name,) in keys),
    )


def column_list(names: tuple[str, ...]) -> sql.Composed:
    """Names of columns, with commas between."""
    return sql.SQL(", ").join(sql.Identifier(name) for name in names)
