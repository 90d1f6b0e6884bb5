"""What the API takes and gives: spools."""

from __future__ import annotations

from datetime import date
from typing import Annotated

from pydantic import Field

from meanbead.api.schema import Name, RowId
from meanbead.api.shelf_schemas import ShelfRowAdd, ShelfRowEdit, ShelfRowOut, common
from meanbead.core.model import Material
from meanbead.core.model.spool import Keeping
from meanbead.core.shelf import Dryness, dryness
from meanbead.store.shelf import Used, spool_of
from meanbead.store.tables import SpoolRow

Grams = Annotated[float, Field(ge=0, le=50_000)]
EmptyGrams = Annotated[float, Field(ge=0, le=5_000)]
DryingC = Annotated[float, Field(ge=20, le=150)]
DryingH = Annotated[float, Field(gt=0, le=200)]


class SpoolOut(ShelfRowOut):
    """A spool on the shelf, and how dry it is today, with the reason."""

    material_id: int
    left_g: float
    empty_g: float | None
    opened_on: date | None
    dried_on: date | None
    dried_temp_c: float | None
    dried_h: float | None
    kept: Keeping
    dryness: Dryness


class SpoolAdd(ShelfRowAdd):
    """A new spool. ``weighed_g`` is what the whole spool weighs, from which ``empty_g`` is taken off."""

    name: Name
    material_id: RowId
    left_g: Grams = 1000
    empty_g: EmptyGrams | None = None
    opened_on: date | None = None
    dried_on: date | None = None
    dried_temp_c: DryingC | None = None
    dried_h: DryingH | None = None
    kept: Keeping = "open"


class SpoolEdit(ShelfRowEdit):
    """A change of a spool; what is left out stays. ``weighed_g`` is what the whole spool weighs: its own weight is taken off,
    and what is left counts as measured."""

    material_id: RowId | None = None
    left_g: Grams | None = None
    weighed_g: Annotated[float, Field(ge=0, le=60_000)] | None = None
    empty_g: EmptyGrams | None = None
    opened_on: date | None = None
    dried_on: date | None = None
    dried_temp_c: DryingC | None = None
    dried_h: DryingH | None = None
    kept: Keeping | None = None


def spool_out(row: SpoolRow, used: Used | None = None) -> SpoolOut:
    """A spool's row as it is given out."""
    spool = spool_of(row)
    return SpoolOut(
        **common(row, used),
        **spool.model_dump(),
        material_id=row.material_id,
        dryness=dryness(Material.model_validate(row.material.material), spool, date.today()),
    )
