"""What the API takes and gives: purposes."""

from __future__ import annotations

from meanbead.api.shelf_schemas import ShelfRowAdd, ShelfRowEdit, ShelfRowOut, common
from meanbead.core.model import Limits
from meanbead.store.shelf import Used
from meanbead.store.tables import Purpose


class PurposeOut(ShelfRowOut):
    """What parts are for, with its limits."""

    limits: Limits


class PurposeAdd(ShelfRowAdd):
    """A new purpose."""

    limits: Limits | None = None


class PurposeEdit(ShelfRowEdit):
    """A change of a purpose; what is left out stays."""

    limits: Limits | None = None


def purpose_out(row: Purpose, used: Used | None = None) -> PurposeOut:
    """A purpose's row as it is given out."""
    return PurposeOut(**common(row, used), limits=Limits.model_validate(row.limits))
