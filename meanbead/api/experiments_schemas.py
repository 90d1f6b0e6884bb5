"""What the API takes and gives: experiments."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from pydantic import Field

from meanbead.api.recipes_schemas import RecipeOut
from meanbead.api.schema import Name, RowId, Schema, Version
from meanbead.core.learn.experiments.grid import Varied
from meanbead.core.learn.experiments.plan import GridPlan
from meanbead.core.learn.experiments.ready_made import ReadyMade
from meanbead.core.learn.experiments.verdict import Verdict
from meanbead.core.learn.experiments.words import Keeping
from meanbead.core.model.experiment import CellLevels, Grid, Measured
from meanbead.store.tables import ComparisonRow, ExperimentRow, MeasurementRow

Key = Annotated[str, Field(min_length=8, max_length=40, pattern=r"^[A-Za-z0-9-]+$")]
Spot = Annotated[str, Field(max_length=40)]


class Kept(Schema):
    """What was made of a verdict: the sentence, whether it stands among the house's rules, and into what it went, in
    words."""

    sentence: Annotated[str, Field(min_length=1, max_length=600)]
    among_rules: bool = False
    into: Annotated[list[Annotated[str, Field(max_length=160)]], Field(max_length=12)] = Field(default=[])
    at: datetime | None = None
    who: Annotated[str, Field(max_length=60)] = ""


class ExperimentHead(Schema):
    """An experiment in a list."""

    id: int
    version: int
    name: str
    part_id: int
    part: str
    machine: str
    material: str
    cells: int
    printed: int
    created_at: datetime
    kept: Kept | None


class ExperimentsOut(Schema):
    """All experiments, the newest first."""

    experiments: list[ExperimentHead]


class ExperimentAdd(Schema):
    """A new experiment on a column's part, starting from what the column holds."""

    name: Name
    recipe_id: RowId
    grid: Grid
    note: Annotated[str, Field(max_length=1000)] = ""


class ExperimentEdit(Schema):
    """A change; what is left out stays. ``kept`` null takes a kept verdict back."""

    version: Version
    name: Name | None = None
    grid: Grid | None = None
    note: Annotated[str, Field(max_length=1000)] | None = None
    kept: Kept | None = None


class CellRunOut(Schema):
    """A run of a cell."""

    id: int
    state: str
    real_s: float | None
    faults: list[str]
    looks: int | None


class MeasurementOut(Schema):
    """A piece's measurement; ``result`` is what counts."""

    id: int
    version: int
    recipe_id: int
    measured: Measured
    result: float
    who: str


class CellOut(Schema):
    """A cell: its column with figures, its levels (``words`` of them), limits that it is over and risks, its runs, and what was measured.
    ``blind`` is the number that its pieces bear while they are compared."""

    recipe: RecipeOut
    levels: CellLevels
    words: str
    marks: list[str]
    risks: list[str]
    printed: bool
    faulted: bool
    runs: list[CellRunOut]
    measured: list[MeasurementOut]
    blind: int


class ExperimentOut(Schema):
    """All of an experiment."""

    head: ExperimentHead
    grid: Grid
    note: str
    factors: list[Varied]
    levels: dict[str, list[str]]
    cells: list[CellOut]
    plan: GridPlan
    comparisons: int
    judges: list[str]
    times: Literal["real", "expected"]
    verdict: Verdict | None
    sentence: str
    keepings: list[Keeping]


class ReadyMadeOut(Schema):
    """Experiments to begin with, and what can vary."""

    ready: list[ReadyMade]
    factors: list[Varied]


class PairAsk(Schema):
    """At which spot to compare."""

    spot: Spot = ""


class PairOut(Schema):
    """Two pieces to compare, by the numbers that they bear; none where there is nothing more to compare. ``done`` is how
    many the asker has compared at that spot."""

    numbers: tuple[int, int] | None
    done: int
    pieces: int


class ComparisonAdd(Schema):
    """Two pieces by their numbers, and which is better; null where nobody could tell."""

    key: Key
    numbers: tuple[Annotated[int, Field(ge=0, le=1000)], Annotated[int, Field(ge=0, le=1000)]]
    better: Annotated[int, Field(ge=0, le=1000)] | None
    spot: Spot = ""


class ComparisonOut(Schema):
    """A comparison that is stored."""

    id: int
    version: int


class MeasurementAdd(Schema):
    """A piece of a cell, measured."""

    key: Key
    recipe_id: RowId
    measured: Measured


def kept_out(row: ExperimentRow) -> Kept | None:
    """What was made of an experiment's verdict."""
    return None if row.kept is None else Kept.model_validate(row.kept)


def head_out(row: ExperimentRow, counted: tuple[int, int] = (0, 0)) -> ExperimentHead:
    """An experiment's row as lists show it."""
    return ExperimentHead(
        id=row.id,
        version=row.version,
        name=row.name,
        part_id=row.part_id,
        part=row.part.name,
        machine=row.machine.name,
        material=row.material.name,
        cells=counted[0],
        printed=counted[1],
        created_at=row.created_at,
        kept=kept_out(row),
    )


def comparison_out(row: ComparisonRow) -> ComparisonOut:
    """A comparison's row as it is given out; which cells it was between is not."""
    return ComparisonOut(id=row.id, version=row.version)


def measurement_out(row: MeasurementRow) -> MeasurementOut:
    """A measurement's row as it is given out."""
    measured = Measured.model_validate(row.measured)
    told: dict[str, Any] = {"id": row.id, "version": row.version, "recipe_id": row.recipe_id, "who": row.who}
    return MeasurementOut(**told, measured=measured, result=measured.result)
