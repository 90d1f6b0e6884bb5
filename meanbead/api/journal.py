"""The journal over HTTP: what was done to machines, nozzles and spools."""

from __future__ import annotations

from datetime import date
from typing import Any
from uuid import uuid4

from apiflask import APIBlueprint
from sqlalchemy.orm import Session

from meanbead import store
from meanbead.api.access import me
from meanbead.api.context import session
from meanbead.api.journal_schemas import EntriesAsk, EntriesOut, EntryAdd, EntryEdit, EntryOut, entry_out
from meanbead.api.schema import VersionOnly
from meanbead.core.errors import MeanBeadError
from meanbead.core.faults.knowledge import JOURNAL_KINDS, JournalKind
from meanbead.store.tables import JournalRow, Machine, NozzleRow, SpoolRow, now

blueprint = APIBlueprint("journal", __name__, url_prefix="/api", tag="Journal")


def note_shelf(
    db: Session, kind: JournalKind, name: str, before: dict[str, Any], after: dict[str, Any], **about: int | None
) -> None:
    """Note a change that was made on the shelf."""
    store.journal.note_change(
        db, kind, name, key=f"shelf-{uuid4().hex[:30]}", who=me().name, before=before, after=after, **about
    )


@blueprint.get("/journal")
@blueprint.input(EntriesAsk, location="query")
@blueprint.output(EntriesOut)
def list_entries(query_data: EntriesAsk) -> EntriesOut:
    """What was done, the last first."""
    with session() as db:
        after = None if query_data.after is None else store.rows.get(db, JournalRow, query_data.after, deleted=True)
        found = store.journal.list_entries(
            db, machine_id=query_data.machine_id, limit=query_data.limit + 1, before=after
        )
        return EntriesOut(
            entries=[entry_out(row) for row in found[: query_data.limit]],
            more=len(found) > query_data.limit,
            kinds=JOURNAL_KINDS,
        )


@blueprint.post("/journal")
@blueprint.input(EntryAdd)
@blueprint.output(EntryOut, status_code=201)
def add_entry(json_data: EntryAdd) -> EntryOut:
    """Note what was done. The same key again gives what is stored under it."""
    said = json_data
    with session() as db:
        store.rows.lock_key(db, said.key)
        known = store.journal.find_by_key(db, said.key)
        if known is not None:
            return entry_out(known)
        if said.machine_id is None and said.spool_id is None:
            raise MeanBeadError("It was done to a machine or to a spool.", field="machine_id", remedy="Choose which.")
        names = [
            store.rows.get(db, table, number).name
            for table, number in ((Machine, said.machine_id), (NozzleRow, said.nozzle_id), (SpoolRow, said.spool_id))
            if number is not None
        ]
        row = JournalRow(
            key=said.key,
            kind=said.kind,
            name=f"{JOURNAL_KINDS[said.kind]}: {', '.join(names)}"[:120],
            at=said.at or now(),
            note=said.note.strip(),
            who=me().name[:60],
            machine_id=said.machine_id,
            nozzle_id=said.nozzle_id,
            spool_id=said.spool_id,
        )
        _on_the_shelf(db, row)
        db.add(row)
        db.flush()
        return entry_out(row)


def _on_the_shelf(db: Session, row: JournalRow) -> None:
    """What the journal says of a spool or a fitted nozzle is so on the shelf, too: one fact in one place."""
    day = row.at.date()
    if row.spool_id is not None and row.kind in ("spool_dried", "spool_opened"):
        spool = db.get_one(SpoolRow, row.spool_id, with_for_update=True)
        name = "dried_on" if row.kind == "spool_dried" else "opened_on"
        before = getattr(spool, name)
        if before is None or before < day:
            row.before, row.after = {name: str(before or "")}, {name: str(day)}
            setattr(spool, name, day)
    if row.machine_id is not None and row.nozzle_id is not None and row.kind == "nozzle_swapped":
        machine = db.get_one(Machine, row.machine_id, with_for_update=True)
        if machine.nozzle_id != row.nozzle_id:
            old = None if machine.nozzle_id is None else db.get(NozzleRow, machine.nozzle_id)
            row.before = {"nozzle": "" if old is None else old.name}
            row.after = {"nozzle": db.get_one(NozzleRow, row.nozzle_id).name}
            machine.nozzle_id, machine.fitted_on, machine.hours_run = row.nozzle_id, day, 0.0


@blueprint.patch("/journal/<int:entry_id>")
@blueprint.input(EntryEdit)
@blueprint.output(EntryOut)
def edit_entry(entry_id: int, json_data: EntryEdit) -> EntryOut:
    """Correct an entry's day, its note, or whether limits were changed or only their description."""
    with session() as db:
        row = store.rows.get_for_edit(db, JournalRow, entry_id, json_data.version)
        if json_data.at is not None:
            row.at = json_data.at
        if json_data.kind is not None and json_data.kind != row.kind:
            if row.kind not in ("limits_changed", "limits_corrected"):
                raise MeanBeadError("That entry is not about limits.", field="kind")
            row.name = row.name.replace(JOURNAL_KINDS[row.kind], JOURNAL_KINDS[json_data.kind])[:120]  # type: ignore[index]
            row.kind = json_data.kind
        if json_data.note is not None:
            row.note = json_data.note.strip()
        db.flush()
        return entry_out(row)


@blueprint.post("/journal/<int:entry_id>/delete")
@blueprint.input(VersionOnly)
@blueprint.output(EntryOut)
def delete_entry(entry_id: int, json_data: VersionOnly) -> EntryOut:
    """Take an entry out; it can be restored. A spool's day that it had set goes with it."""
    with session() as db:
        row = store.rows.get_for_edit(db, JournalRow, entry_id, json_data.version)
        store.rows.delete(db, row)
        _back_on_the_shelf(db, row, row.after, row.before)
        return entry_out(row)


@blueprint.post("/journal/<int:entry_id>/restore")
@blueprint.output(EntryOut)
def restore_entry(entry_id: int) -> EntryOut:
    """Undo taking an entry out."""
    with session() as db:
        row = store.rows.get(db, JournalRow, entry_id, deleted=True)
        if row.deleted_at is not None:
            store.rows.restore(db, row)
            _back_on_the_shelf(db, row, row.before, row.after)
        return entry_out(row)


def _back_on_the_shelf(db: Session, row: JournalRow, now_there: dict[str, Any], wanted: dict[str, Any]) -> None:
    """A spool's day, where the entry itself had set it and nobody has set another since, goes with the entry. A nozzle stays
    where it is: it is taken off on the shelf."""
    if row.spool_id is None or row.key.startswith("shelf-"):
        return
    spool = db.get_one(SpoolRow, row.spool_id, with_for_update=True)
    for name in ("opened_on", "dried_on"):
        if name in wanted and str(getattr(spool, name) or "") == now_there.get(name):
            setattr(spool, name, date.fromisoformat(wanted[name]) if wanted[name] else None)
    db.flush()
