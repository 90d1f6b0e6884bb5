"""Real prints, their photos, and what was done to machines."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import DateTime, ForeignKey, Index, LargeBinary, String, UniqueConstraint
from sqlalchemy.dialects.postgresql import ARRAY, JSONB
from sqlalchemy.orm import Mapped, mapped_column

from meanbead.store.tables.base import Base, VersionedRow, now


class RunRow(VersionedRow, Base):
    """A print that was really run. ``name`` is its part's name then, ``key`` is made where it is started, so that one that is
    sent twice is stored once.

    ``snapshot`` is a core Snapshot, written once; ``entry`` a core RunEntry, what came of it. The columns between are made
    of these two, to be searched. ``booked`` is what was taken off the spool and put on nozzle and machine; ``follows_id``
    the run that it was to do better than, ``tries_cause`` by curing what, and ``proof`` what it showed of that. ``again`` is
    its ledger as it would be computed with the machine's limits of a later description, and of which. It is the queue's
    ``queue_id``, its plate ``queue_plate``; ``delay_s`` is by how much longer it takes, as somebody said.
    """

    __tablename__ = "runs"
    __table_args__ = (
        Index("ix_runs_part_started", "part_id", "started_at"),
        Index("ix_runs_machine_started", "machine_id", "started_at"),
        Index("ix_runs_started", "started_at", "id"),
        Index("ix_runs_faults", "faults", postgresql_using="gin"),
    )
    key: Mapped[str] = mapped_column(String(40), unique=True)
    part_id: Mapped[int | None] = mapped_column(ForeignKey("parts.id"))
    recipe_id: Mapped[int | None] = mapped_column(ForeignKey("recipes.id"))
    machine_id: Mapped[int | None] = mapped_column(ForeignKey("machines.id"))
    nozzle_id: Mapped[int | None] = mapped_column(ForeignKey("nozzles.id"))
    material_id: Mapped[int | None] = mapped_column(ForeignKey("materials.id"))
    spool_id: Mapped[int | None] = mapped_column(ForeignKey("spools.id"))
    follows_id: Mapped[int | None] = mapped_column(ForeignKey("runs.id"), index=True)
    tries_cause: Mapped[str] = mapped_column(String(40), default="")
    who: Mapped[str] = mapped_column(String(60), default="")
    plates: Mapped[int] = mapped_column(default=1)
    copies: Mapped[int] = mapped_column(default=1)
    started_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)
    snapshot: Mapped[dict[str, Any]] = mapped_column(JSONB, deferred=True)
    entry: Mapped[dict[str, Any]] = mapped_column(JSONB, default=dict)
    state: Mapped[str] = mapped_column(String(10), default="running")
    faults: Mapped[list[str]] = mapped_column(ARRAY(String(40)), default=list)
    column_name: Mapped[str] = mapped_column(String(120), default="")
    machine_name: Mapped[str] = mapped_column(String(120), default="")
    nozzle_name: Mapped[str] = mapped_column(String(120), default="")
    material_name: Mapped[str] = mapped_column(String(120), default="")
    plastic: Mapped[str] = mapped_column(String(120), default="")
    predicted_s: Mapped[float | None] = mapped_column()
    predicted_g: Mapped[float | None] = mapped_column()
    real_s: Mapped[float | None] = mapped_column()
    hours: Mapped[float] = mapped_column(default=0.0)
    booked: Mapped[dict[str, Any]] = mapped_column(JSONB, default=dict)
    proof: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    again: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    queue_id: Mapped[int | None] = mapped_column(ForeignKey("queue_items.id"), index=True)
    queue_plate: Mapped[int | None] = mapped_column()
    delay_s: Mapped[float] = mapped_column(default=0.0)


class RunPhoto(VersionedRow, Base):
    """A photo of what came out, as a JPEG, and a small one of it; ``name`` is a caption."""

    __tablename__ = "run_photos"
    __table_args__ = (UniqueConstraint("run_id", "key"),)
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"))
    key: Mapped[str] = mapped_column(String(40))
    photo: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    thumbnail: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)


class JournalRow(VersionedRow, Base):
    """What was done to a machine, a nozzle or a spool, when, and by whom; ``name`` says it in a line. ``before`` and ``after``
    keep what changed where that is known."""

    __tablename__ = "journal"
    __table_args__ = (Index("ix_journal_machine_at", "machine_id", "at"), Index("ix_journal_at", "at"))
    key: Mapped[str] = mapped_column(String(40), unique=True)
    at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)
    kind: Mapped[str] = mapped_column(String(20))
    machine_id: Mapped[int | None] = mapped_column(ForeignKey("machines.id"))
    nozzle_id: Mapped[int | None] = mapped_column(ForeignKey("nozzles.id"))
    spool_id: Mapped[int | None] = mapped_column(ForeignKey("spools.id"))
    before: Mapped[dict[str, Any]] = mapped_column(JSONB, default=dict)
    after: Mapped[dict[str, Any]] = mapped_column(JSONB, default=dict)
    note: Mapped[str] = mapped_column(String(1000), default="")
    who: Mapped[str] = mapped_column(String(60), default="")


class ImportColumns(Base):
    """How the columns of a CSV file with these headings were matched the last time; ``headings`` is their digest."""

    __tablename__ = "import_columns"
    headings: Mapped[str] = mapped_column(String(64), primary_key=True)
    matched: Mapped[dict[str, Any]] = mapped_column(JSONB)
    at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)
