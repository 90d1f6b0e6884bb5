"""What the API takes and gives: the journal of what was done to machines, nozzles and spools."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import Field

from meanbead.api.runs_schemas import Key
from meanbead.api.schema import RowId, Schema, Version
from meanbead.core.faults.knowledge import JOURNAL_KINDS, JournalKind
from meanbead.store.tables import JournalRow


class EntryOut(Schema):
    """One entry. ``before`` and ``after`` tell what changed, by what; ``by_shelf`` where a change on the shelf wrote it."""

    id: int
    version: int
    at: datetime
    kind: JournalKind
    kind_name: str
    name: str
    machine_id: int | None
    nozzle_id: int | None
    spool_id: int | None
    before: dict[str, str]
    after: dict[str, str]
    note: str
    who: str
    by_shelf: bool
    removed: bool


class EntriesAsk(Schema):
    """Of which machine; so many, after which one."""

    machine_id: RowId | None = None
    limit: Annotated[int, Field(ge=1, le=500)] = 50
    after: RowId | None = None


class EntriesOut(Schema):
    """Entries, the last first."""

    entries: list[EntryOut]
    more: bool
    kinds: dict[JournalKind, str]


class EntryAdd(Schema):
    """Something that was done. ``key`` is made where it is typed: sent twice it is stored once. A spool that was dried or
    opened, and a nozzle that was swapped on a machine, are marked so on the shelf, too."""

    key: Key
    kind: JournalKind
    machine_id: RowId | None = None
    nozzle_id: RowId | None = None
    spool_id: RowId | None = None
    at: datetime | None = None
    note: Annotated[str, Field(max_length=1000)] = ""


class EntryEdit(Schema):
    """A correction; what is left out stays. That limits were changed on the machine, or only in their description, is told
    by ``kind``."""

    version: Version
    kind: Literal["limits_changed", "limits_corrected"] | None = None
    at: datetime | None = None
    note: Annotated[str, Field(max_length=1000)] | None = None


def entry_out(row: JournalRow) -> EntryOut:
    """An entry's row as it is given out."""
    kind: JournalKind = row.kind  # type: ignore[assignment]
    return EntryOut(
        id=row.id,
        version=row.version,
        at=row.at,
        kind=kind,
        kind_name=JOURNAL_KINDS[kind],
        name=row.name,
        machine_id=row.machine_id,
        nozzle_id=row.nozzle_id,
        spool_id=row.spool_id,
        before={key: str(value) for key, value in row.before.items()},
        after={key: str(value) for key, value in row.after.items()},
        note=row.note,
        who=row.who,
        by_shelf=row.key.startswith("shelf-"),
        removed=row.deleted_at is not None,
    )
