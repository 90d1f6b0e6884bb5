"""What stands on the shelf, and the house."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any

from sqlalchemy import Date, DateTime, ForeignKey, String
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from meanbead.store.tables.base import Base, ShelfRow, VersionedRow


class Machine(ShelfRow, Base):
    """A machine; ``printer`` is a core Printer. It holds a nozzle, fitted on a day and run for so many hours since, and a
    spool. ``console`` says where its console listens, how fast, and which command reports its settings; ``panel`` what the
    time on its panel counts (``printing`` or ``with_heating``), empty until somebody was asked; ``head`` is a core HeadBox.
    ``files`` is a core FileOptions, ``way`` how they get there, without its token; ``first_file_at`` when somebody has read what
    the first file of a machine asks of whoever starts it."""

    __tablename__ = "machines"
    printer: Mapped[dict[str, Any]] = mapped_column(JSONB)
    nozzle_id: Mapped[int | None] = mapped_column(ForeignKey("nozzles.id"))
    spool_id: Mapped[int | None] = mapped_column(ForeignKey("spools.id"))
    fitted_on: Mapped[date | None] = mapped_column(Date)
    hours_run: Mapped[float] = mapped_column(default=0.0)
    console: Mapped[dict[str, Any]] = mapped_column(JSONB, default=dict)
    panel: Mapped[str] = mapped_column(String(12), default="")
    head: Mapped[dict[str, Any]] = mapped_column(JSONB, default=dict)
    files: Mapped[dict[str, Any]] = mapped_column(JSONB, default=dict)
    way: Mapped[dict[str, Any]] = mapped_column(JSONB, default=dict)
    first_file_at: Mapped[datetime | None] = mapped_column(DateTime(timezone=True))


class NozzleRow(ShelfRow, Base):
    """A nozzle; ``nozzle`` is a core Nozzle. ``wear`` is what it has been through: hours, hours and grams of abrasive
    plastic, and by when it is thought to be worn."""

    __tablename__ = "nozzles"
    nozzle: Mapped[dict[str, Any]] = mapped_column(JSONB)
    wear: Mapped[dict[str, Any]] = mapped_column(JSONB, default=dict)


class MaterialRow(ShelfRow, Base):
    """A material; ``material`` is a core Material."""

    __tablename__ = "materials"
    material: Mapped[dict[str, Any]] = mapped_column(JSONB)


class SpoolRow(ShelfRow, Base):
    """A spool of a material; the other columns are a core Spool's."""

    __tablename__ = "spools"
    material_id: Mapped[int] = mapped_column(ForeignKey("materials.id"))
    left_g: Mapped[float] = mapped_column()
    empty_g: Mapped[float | None] = mapped_column()
    opened_on: Mapped[date | None] = mapped_column(Date)
    dried_on: Mapped[date | None] = mapped_column(Date)
    dried_temp_c: Mapped[float | None] = mapped_column()
    dried_h: Mapped[float | None] = mapped_column()
    kept: Mapped[str] = mapped_column(String(10), default="open")

    material: Mapped[MaterialRow] = relationship(lazy="selectin")


class Purpose(ShelfRow, Base):
    """What parts are for; ``limits`` is a core Limits."""

    __tablename__ = "purposes"
    limits: Mapped[dict[str, Any]] = mapped_column(JSONB)


class House(VersionedRow, Base):
    """The workshop's own rules, one row; ``rules`` is a core HouseRules, ``shop`` a core Shop without its spool. At
    ``scale_address`` the workshop's scale gives its readings. ``day`` is a core DayRules, ``comments`` a core CommentRules: which of
    our settings the names in files' comments are. ``samples`` names the rows of the sample workshop, by table, in ``rows``, and in
    ``removed`` those that were taken away together."""

    __tablename__ = "house"
    rules: Mapped[dict[str, Any]] = mapped_column(JSONB, default=dict)
    shop: Mapped[dict[str, Any]] = mapped_column(JSONB, default=dict)
    scale_address: Mapped[str] = mapped_column(String(200), default="")
    day: Mapped[dict[str, Any]] = mapped_column(JSONB, default=dict)
    comments: Mapped[dict[str, Any]] = mapped_column(JSONB, default=dict)
    samples: Mapped[dict[str, Any]] = mapped_column(JSONB, default=dict, server_default="{}")
