"""What the API takes and gives: purposes."""

from __future__ import annotations

from meanbead.api.schema import Name, Schema, Version
from meanbead.core.model import Limits
from meanbead.store.tables import (
    Purpose,
)


class PurposeOut(Schema):
    """What parts are for, with its limits."""

    id: int
    name: str
    version: int
    limits: Limits


class PurposeEdit(Schema):
    """A change of a purpose; what is left out stays."""

    version: Version
    name: Name | None = None
    limits: Limits | None = None


def purpose_out(row: Purpose) -> PurposeOut:
    """A purpose's row as it is given out."""
    return PurposeOut(id=row.id, name=row.name, version=row.version, limits=Limits.model_validate(row.limits))
