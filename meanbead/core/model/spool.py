"""A spool: what is left on it, and what is known of its dryness."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Literal

from pydantic import Field

from meanbead.core.model.base import Model

__all__ = ["Keeping", "Spool"]

Keeping = Literal["open", "sealed", "dry_box"]
"""Where it lies: in the open, sealed with desiccant, or in a dry box that it also prints from."""


class Spool(Model):
    """A spool of a material. ``empty_g`` is the spool's own weight, so that what is on it can be weighed. ``dried_temp_c``
    and ``dried_h`` say how it was dried on ``dried_on``."""

    left_g: Annotated[float, Field(ge=0, le=50_000)] = 1000.0
    empty_g: Annotated[float, Field(ge=0, le=5_000)] | None = None
    opened_on: date | None = None
    dried_on: date | None = None
    dried_temp_c: Annotated[float, Field(ge=20, le=150)] | None = None
    dried_h: Annotated[float, Field(gt=0, le=200)] | None = None
    kept: Keeping = "open"
