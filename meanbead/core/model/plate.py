"""What stands on a plate."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from meanbead.core.model.base import Model

__all__ = ["PlateItem", "QueuePin"]


class PlateItem(Model):
    """A part on a plate: its middle from the bed's middle, mm, turned by ``turn_deg`` anticlockwise."""

    part_id: int
    x_mm: Annotated[float, Field(ge=-2000, le=2000)] = 0
    y_mm: Annotated[float, Field(ge=-2000, le=2000)] = 0
    turn_deg: Annotated[float, Field(ge=-360, le=360)] = 0


class QueuePin(Model):
    """Where somebody put a plate of the queue: on which machine, from when (ISO 8601)."""

    machine_id: int
    start: str
