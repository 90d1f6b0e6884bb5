"""The workshop's own rules."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from meanbead.store.tables import House


def house_of(session: Session) -> House:
    """The one row of the workshop's own rules."""
    return session.scalars(select(House).order_by(House.id).limit(1)).one()
