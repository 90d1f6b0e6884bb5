"""What all rows that people edit share: reading, locking against stale writes, deleting and undoing that."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TypeVar

from sqlalchemy import select, text
from sqlalchemy.orm import Session

from meanbead.store.tables import (
    ShelfRow,
    VersionedRow,
    now,
)

Row = TypeVar("Row", bound=VersionedRow)


class NotFound(LookupError):
    """There is no such row, or it was deleted."""


class Stale(RuntimeError):
    """The row was changed by somebody else in between; ``row`` is what stands now."""

    def __init__(self, row: VersionedRow, given: int) -> None:
        super().__init__(f"version {given} was edited, but version {row.version} is stored")
        self.row = row


def all_rows(session: Session, table: type[Row]) -> Sequence[Row]:
    """Rows that are not deleted: those of the shelf in people's own order, others in that of their making."""
    order = (table.position, table.id) if issubclass(table, ShelfRow) else (table.id,)
    return session.scalars(select(table).where(table.deleted_at.is_(None)).order_by(*order)).all()


def get(session: Session, table: type[Row], row_id: int, *, deleted: bool = False) -> Row:
    """One row. Raises :class:`NotFound`; deleted rows are found only when asked for."""
    row = session.get(table, row_id)
    if row is None or (row.deleted_at is not None and not deleted):
        raise NotFound(f"There is no {table.__tablename__.rstrip('s').replace('_', ' ')} {row_id}.")  # type: ignore[attr-defined]
    return row


def get_for_edit(session: Session, table: type[Row], row_id: int, version: int) -> Row:
    """One row, locked for writing. Raises :class:`Stale` when ``version`` is not the one stored."""
    get(session, table, row_id)
    row = session.get_one(table, row_id, with_for_update=True, populate_existing=True)
    if row.version != version:
        session.expunge_all()  # so that what is stored can still be shown after the transaction has been undone
        raise Stale(row, version)
    return row


def lock_key(session: Session, key: str) -> None:
    """Have whoever stores something under the same key wait until this transaction has ended: sent twice at once, one of them
    finds what the other has stored."""
    session.execute(text("select pg_advisory_xact_lock(hashtextextended(:key, 0))"), {"key": key})


def delete(session: Session, row: VersionedRow) -> None:
    """Mark a row deleted; it can be restored."""
    row.deleted_at = now()
    session.flush()


def restore(session: Session, row: VersionedRow) -> None:
    """Undo a deletion."""
    row.deleted_at = None
    session.flush()
