"""What all tables share."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from pydantic import BaseModel
from sqlalchemy import DateTime, MetaData, String
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, declared_attr, mapped_column

_NAMING = {
    "ix": "ix_%(column_0_label)s",
    "uq": "uq_%(table_name)s_%(column_0_name)s",
    "fk": "fk_%(table_name)s_%(column_0_name)s",
    "pk": "pk_%(table_name)s",
}


def now() -> datetime:
    """This moment, with its time zone."""
    return datetime.now(UTC)


def plain(model: BaseModel) -> dict[str, Any]:
    """A core model as a JSONB column holds it."""
    return model.model_dump(mode="json", exclude_none=True)


class Base(DeclarativeBase):
    """Base of all tables."""

    metadata = MetaData(naming_convention=_NAMING)


class VersionedRow:
    """A row that people edit: it has a version, against which stale writes are refused, and a deletion can be undone."""

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    version: Mapped[int] = mapped_column(default=1)
    created_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)
    updated_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now, onupdate=now)
    deleted_at: Mapped[datetime | None] = mapped_column(DateTime(timezone=True))

    @declared_attr.directive
    @classmethod
    def __mapper_args__(cls) -> dict[str, Any]:
        return {"version_id_col": cls.version}


class ShelfRow(VersionedRow):
    """What lies on the shelf: in an order of people's own; ``sources`` says which of its figures (by dotted name) were
    measured or set; the others are typical."""

    position: Mapped[float] = mapped_column(default=0.0)
    sources: Mapped[dict[str, Any]] = mapped_column(JSONB, default=dict)
