"""Plates, the queue, hours and the plan."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import DateTime, ForeignKey, String
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from meanbead.store.tables.base import Base, VersionedRow, now


class PlateRow(VersionedRow, Base):
    """Several parts on one plate, by one recipe: ``recipe_id`` is the column whose machine, nozzle, plastic and choices it takes.
    ``items`` are core PlateItems. ``gap_mm`` None is the recipe's. ``part_id`` is the plate as a part of its own, once it was
    put together."""

    __tablename__ = "plates"
    recipe_id: Mapped[int] = mapped_column(ForeignKey("recipes.id"))
    machine_id: Mapped[int] = mapped_column(ForeignKey("machines.id"))
    order: Mapped[str] = mapped_column(String(12), default="by_layer")
    gap_mm: Mapped[float | None] = mapped_column()
    items: Mapped[list[dict[str, Any]]] = mapped_column(JSONB, default=list)
    part_id: Mapped[int | None] = mapped_column(ForeignKey("parts.id"))
    note: Mapped[str] = mapped_column(String(1000), default="")


class QueueItem(VersionedRow, Base):
    """Something that is to be printed: a column ``quantity`` times, ``per_plate`` of it at once; or a plate, ``quantity`` times.
    With ``may_pick`` the plan may take any column of the part that holds its purpose's limits. ``machine_ids`` may print it
    (empty: all), with ``material_id``'s plastic where that is another than the column's. ``pins`` are core QueuePins by plate's
    number; ``again_of_id`` the run that it repeats."""

    __tablename__ = "queue_items"
    key: Mapped[str] = mapped_column(String(40), unique=True)
    recipe_id: Mapped[int] = mapped_column(ForeignKey("recipes.id"))
    plate_id: Mapped[int | None] = mapped_column(ForeignKey("plates.id"))
    quantity: Mapped[int] = mapped_column(default=1)
    per_plate: Mapped[int] = mapped_column(default=1)
    due_at: Mapped[datetime | None] = mapped_column(DateTime(timezone=True))
    priority: Mapped[int] = mapped_column(default=0)
    may_pick: Mapped[bool] = mapped_column(default=False)
    machine_ids: Mapped[list[int]] = mapped_column(JSONB, default=list)
    material_id: Mapped[int | None] = mapped_column(ForeignKey("materials.id"))
    pins: Mapped[dict[str, Any]] = mapped_column(JSONB, default=dict)
    again_of_id: Mapped[int | None] = mapped_column(ForeignKey("runs.id", use_alter=True))
    note: Mapped[str] = mapped_column(String(1000), default="")


class HoursException(VersionedRow, Base):
    """Hours that are not as every week: somebody is away from ``from_at`` to ``to_at``, or there. ``source`` is the calendar that it
    came from, and its entry's number there; empty where somebody typed it."""

    __tablename__ = "hours_exceptions"
    from_at: Mapped[datetime] = mapped_column(DateTime(timezone=True))
    to_at: Mapped[datetime] = mapped_column(DateTime(timezone=True))
    there: Mapped[bool] = mapped_column(default=False)
    source: Mapped[str] = mapped_column(String(300), default="", index=True)


class DayPlanRow(VersionedRow, Base):
    """A plan as it was made: ``inputs`` identifies what of, ``plan`` is a core DayPlan, ``moved`` what it has elsewhere than the one
    before it, ``notes`` what could not be kept. Old ones are taken out."""

    __tablename__ = "day_plans"
    inputs: Mapped[str] = mapped_column(String(64))
    plan: Mapped[dict[str, Any]] = mapped_column(JSONB)
    moved: Mapped[list[dict[str, Any]]] = mapped_column(JSONB, default=list)
    notes: Mapped[list[str]] = mapped_column(JSONB, default=list)
    made_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)
