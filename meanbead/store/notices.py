"""Notices of changed rows: the triggers that tell the pages, made from the tables as they are described.

A table that people edit (it has a version) is told of as soon as it exists; nobody has to write a trigger for it.
"""

from __future__ import annotations

from sqlalchemy import Connection, Table, text

from meanbead.store.tables import Base

__all__ = ["keep_notices", "told_tables"]

_SILENT = frozenset({"people"})
"""Tables with versions whose changes are no page's business: accounts are read by their owners, when they look."""

_BELONGING = ("run_id", "part_id", "test_id", "experiment_id")
"""Columns that say what a row belongs to: the first that is filled goes out with the notice."""

_FUNCTION = """
create or replace function tell_change() returns trigger language plpgsql as $$
declare
  of text;
  name text;
begin
  foreach name in array coalesce(tg_argv, '{}') loop
    execute format('select ($1).%I::text', name) using new into of;
    exit when of is not null;
  end loop;
  perform pg_notify('meanbead_changes', json_build_object(
    'table', tg_table_name, 'id', new.id, 'version', new.version, 'of', of)::text);
  return null;
end $$
"""

_STANDING = """
select c.relname, t.tgname, encode(t.tgargs, 'hex') from pg_trigger t join pg_class c on c.oid = t.tgrelid
where t.tgname in ('tell_added', 'tell_changed')
union all select 'tell_change', md5(prosrc), '' from pg_proc where proname = 'tell_change'
"""


def told_tables() -> dict[str, tuple[str, ...]]:
    """Tables whose changes the pages hear of, with the columns that say what a row belongs to."""
    tables = Base.metadata.tables
    return {
        name: tuple(column for column in _BELONGING if column in table.columns)
        for name, table in sorted(tables.items())
        if _is_told(table)
    }


def keep_notices(connection: Connection) -> None:
    """Make the triggers of all told tables; nothing is touched where they are there already."""
    before = _standing(connection)
    wanted = {
        (table, name, "".join(f"{word}\0" for word in of).encode().hex())
        for table, of in told_tables().items()
        for name in ("tell_added", "tell_changed")
    }
    if before == wanted | {("tell_change", _digest(connection), "")}:
        return
    connection.execute(text(_FUNCTION))
    for table, name, _ in before - wanted:
        if table != "tell_change":
            connection.execute(text(f'drop trigger {name} on "{table}"'))
    for table, of in told_tables().items():
        tells = f"for each row {{}}execute function tell_change({', '.join(repr(word) for word in of)})"
        # What is noted beside a row without a new version is nobody's change.
        newer = "when (old.version is distinct from new.version) "
        connection.execute(text(f'create or replace trigger tell_added after insert on "{table}" {tells.format("")}'))
        connection.execute(
            text(f'create or replace trigger tell_changed after update on "{table}" {tells.format(newer)}')
        )


def _is_told(table: Table) -> bool:
    return {"id", "version", "updated_at"} <= set(table.columns.keys()) and table.name not in _SILENT


def _standing(connection: Connection) -> set[tuple[str, str, str]]:
    return {(str(table), str(name), str(words)) for table, name, words in connection.execute(text(_STANDING))}


def _digest(connection: Connection) -> str:
    body = _FUNCTION.split("$$")[1]
    return str(connection.scalar(text("select md5(:body)"), {"body": body}))
