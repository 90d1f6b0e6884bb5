"""Devices that are signed in. They end by themselves: unused for a while, and at the latest after a while."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import delete, select, text, update
from sqlalchemy.orm import Session

from meanbead.store.people import digest_of
from meanbead.store.tables import Person, SessionRow, now

IDLE = {False: timedelta(hours=4), True: timedelta(days=30)}
"""Unused for so long, a device is signed out; remembered ones later."""

ENDS = {False: timedelta(hours=16), True: timedelta(days=60)}
"""However much it is used, a device signs in again after this."""

CONFIRMED = timedelta(minutes=10)
"""For so long after the passphrase was given, things that matter may be done."""

_NOTE_USE = timedelta(minutes=1)
_CLOCK = timedelta(minutes=5)
"""A session from further in the future than this was made by a clock that has been moved since."""


def begin(session: Session, person: Person, *, device: str, address: str, remembered: bool) -> tuple[SessionRow, str]:
    """Sign a device in; its token is told once."""
    token = secrets.token_urlsafe(32)
    at = now()
    row = SessionRow(
        token=digest_of(token),
        person_id=person.id,
        data={},
        device=device[:120],
        address=address[:45],
        remembered=remembered,
        created_at=at,
        seen_at=at,
        confirmed_at=at,
    )
    session.add(row)
    session.flush()
    return row, token


def find(session: Session, token: str) -> SessionRow | None:
    """The session of a cookie, with its person; None where it has ended, or its person has gone. Its use is noted."""
    row = session.get(SessionRow, digest_of(token))
    if row is None or row.person.deleted_at is not None:
        return None
    at = now()
    if not _lasts(row, at):
        return None
    if at - row.seen_at > _NOTE_USE:
        row.seen_at = at
    return row


def lasts(session: Session, token_digest: str) -> bool:
    """Whether a session has not ended; asking does not count as use."""
    row = session.get(SessionRow, token_digest)
    return row is not None and row.person.deleted_at is None and _lasts(row, now())


def _lasts(row: SessionRow, at: datetime) -> bool:
    from_the_future = max(row.created_at, row.seen_at) - at > _CLOCK
    return (
        not from_the_future and at - row.seen_at < IDLE[row.remembered] and at - row.created_at < ENDS[row.remembered]
    )


def is_confirmed(row: SessionRow) -> bool:
    """Whether the passphrase was given lately."""
    return timedelta(0) <= now() - row.confirmed_at < CONFIRMED


def confirm(session: Session, token_digest: str) -> None:
    """Note that the passphrase was given just now."""
    session.execute(update(SessionRow).where(SessionRow.token == token_digest).values(confirmed_at=now()))


def keep(session: Session, token_digest: str, data: dict[str, Any]) -> None:
    """Keep what a request's session holds."""
    session.execute(update(SessionRow).where(SessionRow.token == token_digest).values(data=data))


def devices_of(session: Session, person_id: int) -> Sequence[SessionRow]:
    """Devices on which a person is signed in, the last used first."""
    return [row for row in all_devices(session) if row.person_id == person_id]


def all_devices(session: Session) -> Sequence[SessionRow]:
    """All devices that are signed in, the last used first."""
    at = now()
    rows = session.scalars(select(SessionRow).order_by(SessionRow.seen_at.desc())).all()
    return [row for row in rows if _lasts(row, at)]


def is_remembered(session: Session, token_digest: str | None) -> bool:
    """Whether a device is one that stays signed in for long."""
    row = None if token_digest is None else session.get(SessionRow, token_digest)
    return row is not None and row.remembered


def end(session: Session, *, token_digest: str | None = None, person_id: int | None = None, number: int | None = None,
        but: str | None = None) -> int:  # fmt: skip
    """Sign devices out: one by its token or number, or all of a person ``but`` one. Pages that listen are told."""
    asked = delete(SessionRow)
    if token_digest is not None:
        asked = asked.where(SessionRow.token == token_digest)
    if person_id is not None:
        asked = asked.where(SessionRow.person_id == person_id)
    if number is not None:
        asked = asked.where(SessionRow.number == number)
    if but is not None:
        asked = asked.where(SessionRow.token != but)
    if token_digest is None and person_id is None:
        raise ValueError("whose devices are to be signed out has to be said")
    gone = session.scalars(asked.returning(SessionRow.token)).all()
    for token in gone:
        session.execute(text("select pg_notify('meanbead_ended', :token)"), {"token": token})
    return len(gone)


def forget_ended(session: Session) -> int:
    """Delete sessions that have ended by themselves; returns how many."""
    at = now()
    rows = session.scalars(select(SessionRow)).all()
    gone = [row for row in rows if not _lasts(row, at)]
    for row in gone:
        session.delete(row)
    return len(gone)
