"""What a flow test has shown of a hot end, as estimates use it."""

from __future__ import annotations

from datetime import date
from typing import Annotated

from pydantic import Field, model_validator

from meanbead.core.model.base import Model
from meanbead.core.model.nozzle import Nozzle, NozzleMetal

__all__ = ["KnownFlow", "MeasuredAt", "MeasuredMelt"]

FlowMm3S = Annotated[float, Field(gt=0, le=1000)]


class MeasuredAt(Model):
    """Limits at one temperature, mm3/s. ``limit_mm3_s`` is what plans stay below by the margin: the knee's lower end or the
    largest flow that came out straight. ``knee_mm3_s`` is the knee, or as far as none was seen. ``low`` and ``high`` are its 90 %
    interval, ``high`` None where no knee was seen. ``skip_mm3_s`` is up to where the drive held. ``fall`` is the share of the
    output lost per knee's worth of flow beyond it."""

    temp_c: Annotated[float, Field(ge=100, le=500)]
    limit_mm3_s: FlowMm3S
    knee_mm3_s: FlowMm3S
    knee_low_mm3_s: FlowMm3S
    knee_high_mm3_s: FlowMm3S | None = None
    skip_mm3_s: FlowMm3S | None = None
    fall: Annotated[float, Field(ge=0, le=20)] = 0.6


class KnownFlow(Model):
    """What somebody knows a hot end to melt with a bore and a plastic, without a flow test of ours: ``flow_mm3_s`` comes out well
    at ``temp_c``, or at the plastic's usual temperature where None. ``metal`` is the nozzle's, any where None."""

    material: Annotated[str, Field(min_length=1, max_length=80)]
    bore_mm: Annotated[float, Field(ge=0.1, le=2)]
    flow_mm3_s: FlowMm3S
    metal: NozzleMetal | None = None
    temp_c: Annotated[float, Field(ge=100, le=500)] | None = None


class MeasuredMelt(Model):
    """A flow test's outcome: with which nozzle and plastic, on which melt zone, when, and the limits by temperature, coldest
    first. ``test_id`` names the test where it is kept."""

    nozzle: Nozzle
    material: Annotated[str, Field(max_length=80)]
    colour: Annotated[str, Field(max_length=40)] = ""
    melt_zone_mm: Annotated[float, Field(gt=0, le=100)]
    channels: Annotated[int, Field(ge=1, le=7)] = 1
    on: date
    fan: bool = False
    at: Annotated[tuple[MeasuredAt, ...], Field(min_length=1, max_length=50)]
    test_id: int | None = None

    @model_validator(mode="after")
    def _coldest_first(self) -> MeasuredMelt:
        temps = [entry.temp_c for entry in self.at]
        if sorted(set(temps)) != temps:
            raise ValueError("at: temperatures have to rise")
        return self
