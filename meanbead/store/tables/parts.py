"""Parts, their recipes, and files that are replayed."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any

from sqlalchemy import BigInteger, Date, DateTime, ForeignKey, Index, LargeBinary, String
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from meanbead.store.tables.base import Base, VersionedRow, now
from meanbead.store.tables.shelf import Machine, MaterialRow, NozzleRow, SpoolRow


class Part(VersionedRow, Base):
    """A part. The file as it came is kept, and the sound mesh made of it, as raw little-endian arrays. ``chosen_id`` is the
    column that is *the* one; where nobody chose, or it is gone, the first is.

    ``vertices`` are as read; ``pose`` says how the part stands. ``facts``, ``digest`` and ``picture`` are of that pose.
    ``guessed`` is a core Guesses where the surface was open, and ``guessed_faces`` (u1) marks its triangles.
    """

    __tablename__ = "parts"
    file_name: Mapped[str] = mapped_column(String(255))
    facts: Mapped[dict[str, Any]] = mapped_column(JSONB)
    digest: Mapped[str] = mapped_column(String(64), index=True)
    note: Mapped[str] = mapped_column(String(400), default="")
    pose: Mapped[dict[str, Any]] = mapped_column(JSONB, default=dict)
    purpose_id: Mapped[int | None] = mapped_column(ForeignKey("purposes.id"))
    chosen_id: Mapped[int | None] = mapped_column(ForeignKey("recipes.id", use_alter=True))
    quantity: Mapped[int] = mapped_column(default=1)
    due_on: Mapped[date | None] = mapped_column(Date)
    source: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    vertices: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    faces: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    picture: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    guessed: Mapped[dict[str, Any] | None] = mapped_column(JSONB)
    guessed_faces: Mapped[bytes | None] = mapped_column(LargeBinary, deferred=True)


class Upload(Base):
    """A file that waits for an answer: which of its models, or whether to guess where its surface is open.

    ``member`` names one model of an archive; ``picture`` shows where the surface is open.
    """

    __tablename__ = "uploads"
    id: Mapped[int] = mapped_column(primary_key=True)
    file_name: Mapped[str] = mapped_column(String(255))
    unit: Mapped[str] = mapped_column(String(10), default="auto")
    member: Mapped[str] = mapped_column(String(255), default="")
    source: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    picture: Mapped[bytes | None] = mapped_column(LargeBinary, deferred=True)
    created_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)


class GcodeFile(Base):
    """A G-code file as it came, compressed; it never changes."""

    __tablename__ = "gcode_files"
    id: Mapped[int] = mapped_column(primary_key=True)
    file_name: Mapped[str] = mapped_column(String(255))
    digest: Mapped[str] = mapped_column(String(64))
    size_bytes: Mapped[int] = mapped_column(BigInteger)
    content: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    created_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)


class RecipeRow(VersionedRow, Base):
    """A column of a part's sheet; ``choices`` is a core Recipe. With ``gcode_id`` it replays that file instead. One that was
    made to cure a run names that run, ``tries_run_id``, and the cause that it tries. One that is a cell of an experiment stands
    on no sheet; ``cell`` is its level of each factor."""

    __tablename__ = "recipes"
    __table_args__ = (Index("ix_recipes_part_position", "part_id", "position"),)
    part_id: Mapped[int] = mapped_column(ForeignKey("parts.id", ondelete="CASCADE"))
    machine_id: Mapped[int] = mapped_column(ForeignKey("machines.id"))
    nozzle_id: Mapped[int] = mapped_column(ForeignKey("nozzles.id"))
    material_id: Mapped[int] = mapped_column(ForeignKey("materials.id"))
    spool_id: Mapped[int | None] = mapped_column(ForeignKey("spools.id"))
    position: Mapped[float] = mapped_column(default=0.0)
    choices: Mapped[dict[str, Any]] = mapped_column(JSONB)
    gcode_id: Mapped[int | None] = mapped_column(ForeignKey("gcode_files.id"))
    house_id: Mapped[int | None] = mapped_column(ForeignKey("house_recipes.id"), index=True)
    house_version: Mapped[int | None] = mapped_column()
    tries_run_id: Mapped[int | None] = mapped_column(ForeignKey("runs.id", use_alter=True), index=True)
    tries_cause: Mapped[str] = mapped_column(String(40), default="")
    experiment_id: Mapped[int | None] = mapped_column(
        ForeignKey("experiments.id", use_alter=True, ondelete="CASCADE"), index=True
    )
    cell: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))

    part: Mapped[Part] = relationship(lazy="selectin", foreign_keys=[part_id])
    machine: Mapped[Machine] = relationship()
    nozzle: Mapped[NozzleRow] = relationship()
    material: Mapped[MaterialRow] = relationship()
    spool: Mapped[SpoolRow | None] = relationship(lazy="selectin")
    gcode: Mapped[GcodeFile | None] = relationship(lazy="selectin")
    house: Mapped[HouseRecipe | None] = relationship(lazy="selectin")


ON_SHEETS = (RecipeRow.deleted_at.is_(None), RecipeRow.experiment_id.is_(None))
"""Columns that stand on a part's sheet: none that was removed, and no cell of an experiment."""


class HouseRecipe(VersionedRow, Base):
    """A recipe that the workshop keeps for a machine, nozzle and material; ``choices`` is a core Recipe."""

    __tablename__ = "house_recipes"
    machine_id: Mapped[int] = mapped_column(ForeignKey("machines.id"))
    nozzle_id: Mapped[int] = mapped_column(ForeignKey("nozzles.id"))
    material_id: Mapped[int] = mapped_column(ForeignKey("materials.id"))
    choices: Mapped[dict[str, Any]] = mapped_column(JSONB)

    machine: Mapped[Machine] = relationship()
    nozzle: Mapped[NozzleRow] = relationship()
    material: Mapped[MaterialRow] = relationship()


class RecipeVersion(Base):
    """What a column or a house recipe held at a version, since when, and by whom. Written once, never changed."""

    __tablename__ = "recipe_versions"
    __table_args__ = (Index("ix_recipe_versions_of", "kind", "row_id", "version", unique=True),)
    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str] = mapped_column(String(20))
    row_id: Mapped[int] = mapped_column()
    version: Mapped[int] = mapped_column()
    at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)
    who: Mapped[str] = mapped_column(String(60), default="")
    content: Mapped[dict[str, Any]] = mapped_column(JSONB)
