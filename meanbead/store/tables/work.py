"""Jobs, kept estimates, and the mark of a restore."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, DateTime, ForeignKey, Index, String, text
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from meanbead.store.tables.base import Base, now

JOB_UNDER_WAY = "state in ('waiting', 'running') and not cancel"
"""Of the same kind and inputs only one job is under way, whoever asks how often."""


class JobRow(Base):
    """A piece of work in the background. Its result grows while it runs, and ``revision`` counts how many times it was
    stored; ``inputs`` finds a result again.

    While it runs, ``worker`` names who is at it, and ``beat_at`` is that worker's last sign of life.
    """

    __tablename__ = "jobs"
    __table_args__ = (
        Index("ix_jobs_inputs", "kind", "inputs"),
        Index("ix_jobs_under_way", "kind", "inputs", unique=True, postgresql_where=text(JOB_UNDER_WAY)),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str] = mapped_column(String(40))
    inputs: Mapped[str] = mapped_column(String(64))
    arguments: Mapped[dict[str, Any]] = mapped_column(JSONB)
    queue: Mapped[str] = mapped_column(String(20), default="long")
    state: Mapped[str] = mapped_column(String(10), default="waiting")
    worker: Mapped[str] = mapped_column(String(80), default="")
    attempts: Mapped[int] = mapped_column(default=0)
    beat_at: Mapped[datetime | None] = mapped_column(DateTime(timezone=True))
    share: Mapped[float] = mapped_column(default=0.0)
    doing: Mapped[str] = mapped_column(String(200), default="")
    cancel: Mapped[bool] = mapped_column(default=False)
    result: Mapped[dict[str, Any] | None] = mapped_column(JSONB)
    revision: Mapped[int] = mapped_column(default=0, server_default="0")
    problem: Mapped[str] = mapped_column(String(1000), default="")
    created_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)
    updated_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)


class EstimateRow(Base):
    """A computed estimate, found again by the digest of all its inputs, the engine's version among them."""

    __tablename__ = "estimates"
    __table_args__ = (Index("ix_estimates_recipe_made", "recipe_id", "created_at"),)
    inputs: Mapped[str] = mapped_column(String(64), primary_key=True)
    recipe_id: Mapped[int | None] = mapped_column(ForeignKey("recipes.id", ondelete="CASCADE"))
    engine_version: Mapped[str] = mapped_column(String(40))
    result: Mapped[dict[str, Any]] = mapped_column(JSONB)
    created_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)


class Generation(Base):
    """How many times rows were added to a table that is too large to be counted; a trigger counts."""

    __tablename__ = "generations"
    name: Mapped[str] = mapped_column(String(40), primary_key=True)
    count: Mapped[int] = mapped_column(BigInteger, default=0)
