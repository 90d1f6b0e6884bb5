"""The journal of what was done to machines, nozzles and spools."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import ColumnElement, or_, select
from sqlalchemy.orm import Session

from meanbead.store.tables import JournalRow, now

__all__ = ["between", "find_by_key", "list_entries", "note_change"]

_TAKEN_BACK_WITHIN = timedelta(hours=1)
"""What is changed once more so soon is one change: a slip, corrected or undone."""


def list_entries(
    session: Session, *, machine_id: int | None = None, limit: int, before: JournalRow | None = None
) -> Sequence[JournalRow]:
    """Entries, the last first."""
    asked = (
        select(JournalRow).where(JournalRow.deleted_at.is_(None)).order_by(JournalRow.at.desc(), JournalRow.id.desc())
    )
    if machine_id is not None:
        asked = asked.where(JournalRow.machine_id == machine_id)
    if before is not None:
        asked = asked.where(or_(JournalRow.at < before.at, (JournalRow.at == before.at) & (JournalRow.id < before.id)))
    return session.scalars(asked.limit(limit)).all()


def find_by_key(session: Session, key: str) -> JournalRow | None:
    """The entry that was stored under a key, deleted or not."""
    return session.scalars(select(JournalRow).where(JournalRow.key == key)).one_or_none()


def between(
    session: Session, since: datetime, until: datetime, *, machine_id: int | None, spool_id: int | None
) -> Sequence[JournalRow]:
    """What was done to a machine, or to a spool, after one moment and up to another."""
    about: list[ColumnElement[bool]] = []
    if machine_id is not None:
        about.append(JournalRow.machine_id == machine_id)
    if spool_id is not None:
        about.append(JournalRow.spool_id == spool_id)
    if not about:
        return []
    return session.scalars(
        select(JournalRow)
        .where(JournalRow.at > since, JournalRow.at <= until, JournalRow.deleted_at.is_(None), or_(*about))
        .order_by(JournalRow.at, JournalRow.id)
    ).all()


def note_change(
    session: Session,
    kind: str,
    name: str,
    *,
    key: str,
    who: str,
    before: dict[str, Any],
    after: dict[str, Any],
    machine_id: int | None = None,
    nozzle_id: int | None = None,
    spool_id: int | None = None,
) -> JournalRow | None:
    """Note what was changed on the shelf. Together with a change of the same within the last hour it is one; where the two
    come to nothing, both are forgotten, and None is given."""
    last = session.scalars(
        select(JournalRow)
        .where(
            JournalRow.kind == kind,
            JournalRow.machine_id.is_not_distinct_from(machine_id),
            # A machine's spool or nozzle is what changes; of a spool itself it is the same one.
            *([] if machine_id is not None else [JournalRow.spool_id.is_not_distinct_from(spool_id)]),
            JournalRow.deleted_at.is_(None),
            JournalRow.at > now() - _TAKEN_BACK_WITHIN,
            JournalRow.key.startswith("shelf-"),
        )
        .order_by(JournalRow.at.desc())
        .limit(1)
    ).one_or_none()
    if last is None:
        row = JournalRow(
            key=key,
            kind=kind,
            name=name[:120],
            who=who,
            before=before,
            after=after,
            machine_id=machine_id,
            nozzle_id=nozzle_id,
            spool_id=spool_id,
        )
        session.add(row)
        session.flush()
        return row
    first = before | last.before  # what stood before the first of the two
    final = last.after | after
    still = {path for path in {*first, *final} if first.get(path) != final.get(path)}
    if not still:
        last.deleted_at = now()
        session.flush()
        return None
    last.before = {path: first.get(path) for path in sorted(still)}
    last.after = {path: final.get(path) for path in sorted(still)}
    last.name, last.who, last.nozzle_id, last.spool_id = name[:120], who, nozzle_id, spool_id
    session.flush()
    return last
