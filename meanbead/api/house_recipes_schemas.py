"""What the API takes and gives: house recipes."""

from __future__ import annotations

from datetime import datetime

from meanbead.api.schema import Name, RowId, Schema, Version
from meanbead.core.model import Recipe
from meanbead.store.tables import (
    HouseRecipe,
)


class HouseUse(Schema):
    """A column that came from a house recipe; ``changed`` when it differs from what the house recipe holds now."""

    part_id: int
    part_name: str
    recipe_id: int
    recipe_name: str
    changed: bool


class HouseOut(Schema):
    """A recipe of the house, with the columns that were filled from it."""

    id: int
    name: str
    version: int
    machine_id: int
    nozzle_id: int
    material_id: int
    choices: Recipe
    updated_at: datetime
    used_in: list[HouseUse]


class HousesOut(Schema):
    """All recipes of the house."""

    recipes: list[HouseOut]


class HouseAdd(Schema):
    """Keep a column's recipe for the house."""

    recipe_id: RowId
    name: Name | None = None


class HouseEdit(Schema):
    """A change of a house recipe; with ``recipe_id`` it takes over that column's choices, with ``take_version`` what it
    held at that version."""

    version: Version
    name: Name | None = None
    recipe_id: RowId | None = None
    take_version: Version | None = None


def house_out(row: HouseRecipe, used_in: list[HouseUse] | None = None) -> HouseOut:
    """A house recipe's row as it is given out."""
    return HouseOut(
        id=row.id,
        name=row.name,
        version=row.version,
        machine_id=row.machine_id,
        nozzle_id=row.nozzle_id,
        material_id=row.material_id,
        choices=Recipe.model_validate(row.choices),
        updated_at=row.updated_at,
        used_in=used_in or [],
    )
