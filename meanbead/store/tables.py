"""The tables. Nested descriptions are JSONB, checked by the core's models on the way in and out."""

from __future__ import annotations

from datetime import UTC, date, datetime
from typing import Any

from pydantic import BaseModel
from sqlalchemy import (
    BigInteger,
    Date,
    DateTime,
    ForeignKey,
    Identity,
    Index,
    LargeBinary,
    MetaData,
    String,
    UniqueConstraint,
    text,
)
from sqlalchemy.dialects.postgresql import ARRAY, JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, declared_attr, mapped_column, relationship

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


class Purpose(ShelfRow, Base):
    """What parts are for; ``limits`` is a core Limits."""

    __tablename__ = "purposes"
    limits: Mapped[dict[str, Any]] = mapped_column(JSONB)


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


JOB_UNDER_WAY = "state in ('waiting', 'running') and not cancel"
"""Of the same kind and inputs only one job is under way, whoever asks how often."""


class JobRow(Base):
    """A piece of work in the background. Its result grows while it runs; ``inputs`` finds a result again.

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


class Person(VersionedRow, Base):
    """Somebody with an account: an ``owner``, a ``member`` or a ``guest``. ``passphrase`` is its Argon2id hash."""

    __tablename__ = "people"
    __table_args__ = (
        Index("ix_people_name", text("lower(name)"), unique=True, postgresql_where=text("deleted_at is null")),
    )
    role: Mapped[str] = mapped_column(String(10))
    passphrase: Mapped[str] = mapped_column(String(200))


class SessionRow(Base):
    """A device that is signed in. ``token`` is the SHA-256 of what its cookie holds, so that whoever reads the database
    cannot use it; ``number`` names it where the token must not be shown; ``data`` is what a request's session keeps."""

    __tablename__ = "sessions"
    token: Mapped[str] = mapped_column(String(64), primary_key=True)
    number: Mapped[int] = mapped_column(Identity())
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id", ondelete="CASCADE"), index=True)
    data: Mapped[dict[str, Any]] = mapped_column(JSONB, default=dict)
    device: Mapped[str] = mapped_column(String(120), default="")
    address: Mapped[str] = mapped_column(String(45), default="")
    remembered: Mapped[bool] = mapped_column(default=False)
    created_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)
    seen_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)
    confirmed_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)

    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)


class Invitation(Base):
    """A link that makes one account, or sets ``person_id``'s passphrase anew; ``token`` is its SHA-256."""

    __tablename__ = "invitations"
    id: Mapped[int] = mapped_column(primary_key=True)
    token: Mapped[str] = mapped_column(String(64), unique=True)
    role: Mapped[str] = mapped_column(String(10))
    person_id: Mapped[int | None] = mapped_column(ForeignKey("people.id", ondelete="CASCADE"))
    made_by: Mapped[str] = mapped_column(String(120))
    created_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)
    ends_at: Mapped[datetime] = mapped_column(DateTime(timezone=True))
    used_at: Mapped[datetime | None] = mapped_column(DateTime(timezone=True))


class Tries(Base):
    """Failed tries to sign in, by account and by address."""

    __tablename__ = "tries"
    key: Mapped[str] = mapped_column(String(140), primary_key=True)
    failed: Mapped[int] = mapped_column(default=0)
    last_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)


class AuditRow(Base):
    """Who did what, when, from where. Written once; no secrets, no content."""

    __tablename__ = "audit"
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now, index=True)
    who: Mapped[str] = mapped_column(String(120))
    what: Mapped[str] = mapped_column(String(200))
    about: Mapped[str] = mapped_column(String(400), default="")
    address: Mapped[str] = mapped_column(String(45), default="")


class Generation(Base):
    """How many times rows were added to a table that is too large to be counted; a trigger counts."""

    __tablename__ = "generations"
    name: Mapped[str] = mapped_column(String(40), primary_key=True)
    count: Mapped[int] = mapped_column(BigInteger, default=0)
