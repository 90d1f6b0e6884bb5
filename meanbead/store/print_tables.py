"""The tables of what goes to machines: written files, prints under way, tokens. An archive holds none of them.

They name rows of the workshop by plain numbers, without a foreign key, because a restore replaces those and empties these.
"""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, DateTime, ForeignKey, Index, LargeBinary, String, text
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from meanbead.store.tables import Base, VersionedRow, now

__all__ = ["PRINT_UNDER_WAY", "DeviceToken", "PrintFile", "PrintPiece", "PrintRow"]

PRINT_UNDER_WAY = "state in ('sending', 'sent', 'starting', 'printing', 'paused') and deleted_at is null"
"""A machine has one print of these states at most."""


class DeviceToken(Base):
    """A secret that a machine's way needs, sealed with a key that is not in the database."""

    __tablename__ = "device_tokens"
    machine_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    sealed: Mapped[bytes] = mapped_column(LargeBinary)
    set_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)


class PrintFile(Base):
    """A file that may go to a machine: written from a column, or made elsewhere. ``inputs`` identifies what it was made of and
    for; ``inspection`` is a core Inspection; ``state`` is ``ready`` or ``refused``. Its text lies in :class:`PrintPiece`."""

    __tablename__ = "print_files"
    id: Mapped[int] = mapped_column(primary_key=True)
    inputs: Mapped[str] = mapped_column(String(64), index=True)
    recipe_id: Mapped[int] = mapped_column(index=True)
    machine_id: Mapped[int] = mapped_column()
    name: Mapped[str] = mapped_column(String(120))
    ours: Mapped[bool] = mapped_column()
    state: Mapped[str] = mapped_column(String(10))
    size_bytes: Mapped[int] = mapped_column(BigInteger)
    inspection: Mapped[dict[str, Any]] = mapped_column(JSONB, deferred=True)
    notes: Mapped[list[str]] = mapped_column(JSONB, default=list)
    made_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)


class PrintPiece(Base):
    """A piece of a file's text, compressed by itself, so that a file of any size is written and read in bounded memory."""

    __tablename__ = "print_pieces"
    file_id: Mapped[int] = mapped_column(ForeignKey("print_files.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    content: Mapped[bytes] = mapped_column(LargeBinary)


class PrintRow(VersionedRow, Base):
    """A file on its way to a machine, on it, or printed by it. ``name`` is the part's, ``file_name`` what it is called there.
    ``key`` is made where it was asked for, so that asking twice sends once. ``track`` is the file's course in bytes as the
    machine counts them; ``followed`` a core Followed; ``problem`` what is wrong just now, in a sentence."""

    __tablename__ = "prints"
    __table_args__ = (
        Index("uq_prints_machine_under_way", "machine_id", unique=True, postgresql_where=text(PRINT_UNDER_WAY)),
    )
    key: Mapped[str] = mapped_column(String(40), unique=True)
    machine_id: Mapped[int] = mapped_column(index=True)
    recipe_id: Mapped[int] = mapped_column()
    file_id: Mapped[int] = mapped_column()
    queue_id: Mapped[int | None] = mapped_column()
    queue_plate: Mapped[int | None] = mapped_column()
    run_id: Mapped[int | None] = mapped_column(index=True)
    way: Mapped[str] = mapped_column(String(10))
    file_name: Mapped[str] = mapped_column(String(120))
    state: Mapped[str] = mapped_column(String(10))
    who: Mapped[str] = mapped_column(String(60), default="")
    sent_bytes: Mapped[int] = mapped_column(BigInteger, default=0)
    size_bytes: Mapped[int] = mapped_column(BigInteger, default=0)
    track: Mapped[list[dict[str, Any]]] = mapped_column(JSONB, default=list, deferred=True)
    followed: Mapped[dict[str, Any]] = mapped_column(JSONB, default=dict)
    problem: Mapped[str] = mapped_column(String(500), default="")
    lost_at: Mapped[datetime | None] = mapped_column(DateTime(timezone=True))
    seen_at: Mapped[datetime | None] = mapped_column(DateTime(timezone=True))
