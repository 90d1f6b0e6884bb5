"""What a part is for: the limits that a recipe has to keep to be good enough for it."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from meanbead.core.model.base import Model, Share

__all__ = ["PURPOSES", "Limits"]


class Limits(Model):
    """Limits that a purpose sets. None means that it does not care.

    ``ridge_mm`` is the highest step on slopes that show, ``detail_mm`` the narrowest detail that must be laid,
    ``shell_mm`` the least wall, ``infill_density`` the least filling, ``flow_margin`` the share of the melt ceiling
    that is kept free, ``outer_speed_mm_s`` the fastest outer wall.
    """

    ridge_mm: Annotated[float, Field(gt=0, le=2)] | None = None
    detail_mm: Annotated[float, Field(gt=0, le=10)] | None = None
    shell_mm: Annotated[float, Field(ge=0, le=50)] | None = None
    infill_density: Share | None = None
    flow_margin: Share | None = None
    outer_speed_mm_s: Annotated[float, Field(gt=0, le=2000)] | None = None


PURPOSES: dict[str, Limits] = {
    "Show piece": Limits(
        ridge_mm=0.1, detail_mm=0.4, shell_mm=0.8, infill_density=0.08, flow_margin=0.2, outer_speed_mm_s=40
    ),
    "Everyday": Limits(
        ridge_mm=0.2, detail_mm=0.6, shell_mm=0.8, infill_density=0.1, flow_margin=0.1, outer_speed_mm_s=80
    ),
    "Workhorse": Limits(ridge_mm=0.3, detail_mm=0.8, shell_mm=1.6, infill_density=0.25, flow_margin=0.1),
    "Draft": Limits(ridge_mm=0.6, detail_mm=1.2, shell_mm=0.4, infill_density=0.05),
}
"""The four purposes that a workshop starts with."""
