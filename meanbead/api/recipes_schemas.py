"""What the API takes and gives: recipes."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from pydantic import Field

from meanbead.api.schema import Name, RowId, Schema, Version
from meanbead.core.model import Estimate, Recipe
from meanbead.core.model.finding import SetTo
from meanbead.core.recipe.preview import Preview
from meanbead.store.tables import (
    RecipeRow,
    RecipeVersion,
)


class GcodeOut(Schema):
    """The file that a column replays."""

    file_name: str
    size_bytes: int


class HouseOrigin(Schema):
    """The house recipe that a column was filled from, at its version then; ``newest`` is the version that stands now."""

    id: int
    name: str
    version: int
    newest: int


class RecipeOut(Schema):
    """A column: what was chosen, what follows from it, and the estimate if it is known already, of the part as it stands
    at ``part_digest``.

    With ``gcode`` it replays that file, and its choices do not count. With ``tries_run_id`` it was made to do better than that
    run.
    """

    id: int
    part_id: int
    part_digest: str
    inputs: str
    name: str
    version: int
    position: float
    machine_id: int
    nozzle_id: int
    material_id: int
    spool_id: int | None
    choices: Recipe
    gcode: GcodeOut | None = None
    house: HouseOrigin | None = None
    tries_run_id: int | None = None
    preview: Preview | None = None
    problem: str | None = None
    estimate: Estimate | None = None


class RecipesOut(Schema):
    """A part's columns, left to right."""

    recipes: list[RecipeOut]


class RecipeAdd(Schema):
    """A new column: a duplicate right of the original (``copy_of``), carried over to another nozzle if ``nozzle_id``
    names one, or with ``settings`` changed; a house recipe (``house_id``); a bead in a short line such as ``0.6 / 0.28 / 0.7`` (``line``); or fresh.
    """

    copy_of: RowId | None = None
    nozzle_id: RowId | None = None
    settings: Annotated[list[SetTo], Field(max_length=200)] = Field(default=[])
    house_id: RowId | None = None
    line: Annotated[str, Field(max_length=200)] | None = None
    name: Name | None = None


class RecipeEdit(Schema):
    """A change of a column; what is left out stays. A spool brings its material; null leaves it open. With ``take_version`` it holds again what it held then."""

    version: Version
    name: Name | None = None
    machine_id: RowId | None = None
    nozzle_id: RowId | None = None
    material_id: RowId | None = None
    spool_id: RowId | None = None
    choices: Recipe | None = None
    take_version: Version | None = None


class VersionOut(Schema):
    """What a recipe held at a version."""

    version: int
    at: datetime
    who: str
    name: str
    machine: str
    nozzle: str
    material: str
    machine_id: int
    nozzle_id: int
    material_id: int
    choices: Recipe


class VersionsOut(Schema):
    """A recipe's versions, the newest first."""

    versions: list[VersionOut]


def recipe_out(
    row: RecipeRow,
    preview: Preview | None = None,
    problem: str | None = None,
    estimate: Estimate | None = None,
    inputs: str = "",
) -> RecipeOut:
    """A recipe's row as it is given out. ``inputs`` is the digest of all that its figures are computed from."""
    return RecipeOut(
        id=row.id,
        part_id=row.part_id,
        part_digest=row.part.digest,
        inputs=inputs,
        name=row.name,
        version=row.version,
        position=row.position,
        machine_id=row.machine_id,
        nozzle_id=row.nozzle_id,
        material_id=row.material_id,
        spool_id=_own_spool(row),
        choices=Recipe.model_validate(row.choices),
        gcode=GcodeOut(file_name=row.gcode.file_name, size_bytes=row.gcode.size_bytes) if row.gcode else None,
        house=_origin(row),
        tries_run_id=row.tries_run_id,
        preview=preview,
        problem=problem,
        estimate=estimate,
    )


def _own_spool(row: RecipeRow) -> int | None:
    """The spool that a column names, while it is there and of the column's material."""
    spool = row.spool
    there = spool is not None and spool.deleted_at is None and spool.material_id == row.material_id
    return row.spool_id if there else None


def _origin(row: RecipeRow) -> HouseOrigin | None:
    if row.house is None or row.house.deleted_at is not None:
        return None
    return HouseOrigin(id=row.house.id, name=row.house.name, version=row.house_version or 1, newest=row.house.version)


def version_out(row: RecipeVersion) -> VersionOut:
    """A stored version as it is given out."""
    return VersionOut(version=row.version, at=row.at, who=row.who, **row.content)
