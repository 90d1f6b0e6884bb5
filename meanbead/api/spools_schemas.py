"""What the API takes and gives: spools."""

from __future__ import annotations

from datetime import date
from typing import Annotated

from pydantic import Field

from meanbead.api.schema import Name, RowId, Schema, Version
from meanbead.store.tables import (
    Spool,
)


class SpoolOut(Schema):
    """A spool on the shelf."""

    id: int
    version: int
    name: str
    material_id: int
    left_g: float
    dried_on: date | None


class SpoolAdd(Schema):
    """A new spool."""

    name: Name
    material_id: RowId
    left_g: Annotated[float, Field(ge=0, le=50_000)]
    dried_on: date | None = None


class SpoolEdit(Schema):
    """A change of a spool; what is left out stays."""

    version: Version
    name: Name | None = None
    left_g: Annotated[float, Field(ge=0, le=50_000)] | None = None
    dried_on: date | None = None


def spool_out(row: Spool) -> SpoolOut:
    """A spool's row as it is given out."""
    return SpoolOut(
        id=row.id,
        version=row.version,
        name=row.name,
        material_id=row.material_id,
        left_g=row.left_g,
        dried_on=row.dried_on,
    )
