"""Tests of flow, test pieces and experiments."""

from __future__ import annotations

from datetime import date
from typing import Any

from sqlalchemy import Date, ForeignKey, LargeBinary, String, UniqueConstraint
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from meanbead.store.tables.base import Base, VersionedRow
from meanbead.store.tables.parts import Part
from meanbead.store.tables.shelf import Machine, MaterialRow, NozzleRow, SpoolRow


class FlowTestRow(VersionedRow, Base):
    """A flow test of a machine's hot end with a nozzle and a material.

    ``setup`` says what is planned and with which scale. ``measured`` is a core MeasuredMelt once the test is used in
    estimates, ``measured_of`` identifies the strands that it was made of, and ``wear`` what nozzle and machine had been through
    then. A retired one is used no more.
    """

    __tablename__ = "flow_tests"
    machine_id: Mapped[int] = mapped_column(ForeignKey("machines.id"), index=True)
    nozzle_id: Mapped[int] = mapped_column(ForeignKey("nozzles.id"))
    material_id: Mapped[int] = mapped_column(ForeignKey("materials.id"))
    spool_id: Mapped[int | None] = mapped_column(ForeignKey("spools.id"))
    setup: Mapped[dict[str, Any]] = mapped_column(JSONB, default=dict)
    measured: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    measured_of: Mapped[str] = mapped_column(String(64), default="")
    wear: Mapped[dict[str, Any]] = mapped_column(JSONB, default=dict)
    retired_on: Mapped[date | None] = mapped_column(Date)
    retired_because: Mapped[str] = mapped_column(String(400), default="")

    machine: Mapped[Machine] = relationship(lazy="selectin")
    nozzle: Mapped[NozzleRow] = relationship(lazy="selectin")
    material: Mapped[MaterialRow] = relationship(lazy="selectin")
    spool: Mapped[SpoolRow | None] = relationship(lazy="selectin")


class FlowPointRow(VersionedRow, Base):
    """One strand of a flow test; ``point`` is a core FlowPoint. ``key`` is made where it is typed, so that one that is sent
    twice is stored once. ``photo`` is a JPEG."""

    __tablename__ = "flow_points"
    __table_args__ = (UniqueConstraint("test_id", "key"),)
    test_id: Mapped[int] = mapped_column(ForeignKey("flow_tests.id", ondelete="CASCADE"))
    key: Mapped[str] = mapped_column(String(40))
    point: Mapped[dict[str, Any]] = mapped_column(JSONB)
    photo: Mapped[bytes | None] = mapped_column(LargeBinary, deferred=True)
    has_photo: Mapped[bool] = mapped_column(default=False)


class TestPieceRow(VersionedRow, Base):
    """A piece that measures a machine: its ``kind``, how it was made (``setup``), the part that shows it, and what was seen."""

    __tablename__ = "test_pieces"
    machine_id: Mapped[int] = mapped_column(ForeignKey("machines.id"))
    nozzle_id: Mapped[int] = mapped_column(ForeignKey("nozzles.id"))
    material_id: Mapped[int] = mapped_column(ForeignKey("materials.id"))
    part_id: Mapped[int | None] = mapped_column(ForeignKey("parts.id"))
    kind: Mapped[str] = mapped_column(String(40))
    setup: Mapped[dict[str, Any]] = mapped_column(JSONB, default=dict)
    result: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))

    machine: Mapped[Machine] = relationship(lazy="selectin")
    nozzle: Mapped[NozzleRow] = relationship(lazy="selectin")
    material: Mapped[MaterialRow] = relationship(lazy="selectin")


class ExperimentRow(VersionedRow, Base):
    """An experiment on a part: ``grid`` is a core Grid; what it starts from are ``choices`` (a core Recipe) with a machine, a
    nozzle and a material. Its cells are recipes that name it. ``kept`` is what was made of its verdict: the sentence, and the
    rows that it went into."""

    __tablename__ = "experiments"
    part_id: Mapped[int] = mapped_column(ForeignKey("parts.id"), index=True)
    machine_id: Mapped[int] = mapped_column(ForeignKey("machines.id"))
    nozzle_id: Mapped[int] = mapped_column(ForeignKey("nozzles.id"))
    material_id: Mapped[int] = mapped_column(ForeignKey("materials.id"))
    choices: Mapped[dict[str, Any]] = mapped_column(JSONB)
    grid: Mapped[dict[str, Any]] = mapped_column(JSONB)
    note: Mapped[str] = mapped_column(String(1000), default="")
    kept: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))

    part: Mapped[Part] = relationship(lazy="selectin")
    machine: Mapped[Machine] = relationship(lazy="selectin")
    nozzle: Mapped[NozzleRow] = relationship(lazy="selectin")
    material: Mapped[MaterialRow] = relationship(lazy="selectin")


class ComparisonRow(VersionedRow, Base):
    """Two cells' pieces, looked at without knowing which they are: the better one and the other, at a spot; ``even`` where
    nobody could tell."""

    __tablename__ = "comparisons"
    key: Mapped[str] = mapped_column(String(40), unique=True)
    experiment_id: Mapped[int] = mapped_column(ForeignKey("experiments.id", ondelete="CASCADE"), index=True)
    better_id: Mapped[int] = mapped_column(ForeignKey("recipes.id", ondelete="CASCADE"))
    other_id: Mapped[int] = mapped_column(ForeignKey("recipes.id", ondelete="CASCADE"))
    even: Mapped[bool] = mapped_column(default=False)
    spot: Mapped[str] = mapped_column(String(40), default="")
    who: Mapped[str] = mapped_column(String(60), default="")


class MeasurementRow(VersionedRow, Base):
    """A cell's piece, measured; ``measured`` is a core Measured."""

    __tablename__ = "measurements"
    key: Mapped[str] = mapped_column(String(40), unique=True)
    experiment_id: Mapped[int] = mapped_column(ForeignKey("experiments.id", ondelete="CASCADE"), index=True)
    recipe_id: Mapped[int] = mapped_column(ForeignKey("recipes.id", ondelete="CASCADE"))
    measured: Mapped[dict[str, Any]] = mapped_column(JSONB)
    who: Mapped[str] = mapped_column(String(60), default="")
