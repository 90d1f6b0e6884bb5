"""The audit journal: who did what, when, from where. It is kept for a year."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import timedelta

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from meanbead.store.tables import AuditRow, now

KEPT_FOR = timedelta(days=366)


def note(session: Session, who: str, what: str, about: str = "", address: str = "") -> None:
    """Write a line. Neither secrets nor content belong in it."""
    session.add(AuditRow(at=now(), who=who[:120], what=what[:200], about=about[:400], address=address[:45]))
    session.flush()


def lines(session: Session, *, before: int | None = None, limit: int = 100) -> Sequence[AuditRow]:
    """The newest lines, or those before a number."""
    asked = select(AuditRow).order_by(AuditRow.id.desc()).limit(limit)
    return session.scalars(asked if before is None else asked.where(AuditRow.id < before)).all()


def forget_old(session: Session) -> None:
    """Delete what is over a year old."""
    session.execute(delete(AuditRow).where(AuditRow.at < now() - KEPT_FOR))
