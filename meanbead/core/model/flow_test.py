"""A flow test: what was fed and what came out, and what that says of the hot end.

Filament is fed into free air at a steady flow ``Q``, that is at ``Q / (pi D^2/4)`` mm/s; the strand is cut, looked at and
weighed. ``length x pi D^2/4 x density`` is what should have come out.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from meanbead.core.model.base import Model, Result

__all__ = [
    "STRANDS",
    "FlowAtTemp",
    "FlowCurve",
    "FlowFit",
    "FlowPoint",
    "FlowStep",
    "FlowTest",
    "FlowTestPlan",
    "Range",
    "Ratio",
    "Strand",
]

Strand = Literal["straight", "curl", "corkscrew", "beaded", "skips", "skips_throughout"]
STRANDS: tuple[Strand, ...] = ("straight", "curl", "corkscrew", "beaded", "skips", "skips_throughout")
"""How a strand looks, from good to bad: straight; curls aside; a corkscrew; beaded, with an unmelted core; the drive skips
now and then; it skips throughout."""

FlowMm3S = Annotated[float, Field(gt=0, le=500)]


class FlowPoint(Model):
    """One strand. ``length_mm`` is the filament that was fed; the weight, the look, or both may be missing. ``fan`` is the
    share of the part fan that ran. ``used`` is False where it is to be left out, which a person may decide."""

    flow_mm3_s: FlowMm3S
    temp_c: Annotated[float, Field(ge=100, le=500)]
    length_mm: Annotated[float, Field(gt=0, le=100_000)] | None = None
    mass_g: Annotated[float, Field(ge=0, le=10_000)] | None = None
    fan: Annotated[float, Field(ge=0, le=1)] = 0.0
    strand: Strand | None = None
    used: bool = True

    @model_validator(mode="after")
    def _weighed_of_length(self) -> FlowPoint:
        if self.mass_g is not None and self.length_mm is None:
            raise ValueError("length_mm: a weight says nothing without the length of filament that was fed")
        return self

    @property
    def with_fan(self) -> bool:
        """Whether the part fan blew at the block."""
        return self.fan > 0.05


class FlowTest(Model):
    """All strands of one hot end, nozzle and plastic. ``scale_g`` is the step in which the scale reads; ``margin`` is by
    which share plans stay below what is measured."""

    filament_diameter_mm: Annotated[float, Field(gt=1, le=4)] = 1.75
    density_g_cm3: Annotated[float, Field(gt=0.5, le=5)] = 1.24
    scale_g: Annotated[float, Field(gt=0, le=100)] = 0.01
    margin: Annotated[float, Field(ge=0, le=0.9)] = 0.1
    points: Annotated[tuple[FlowPoint, ...], Field(max_length=2000)] = ()


class Range(Result):
    """A flow, mm3/s, with the ends of its 90 % interval."""

    value: float
    low: float
    high: float


class Ratio(Result):
    """Output over input, with the ends of its 90 % interval: 1 where the drive is right."""

    value: float
    low: float
    high: float


class FlowCurve(Result):
    """Output over input along the flow: the fitted line and its 90 % band, (n,) each."""

    flow_mm3_s: list[float]
    ratio: list[float]
    low: list[float]
    high: list[float]


class FlowAtTemp(Result):
    """What a test says at one temperature, with or without the fan, mm3/s.

    ``knee_mm3_s`` is where output begins to fall; None where no fall is seen, and then it lies above ``above_mm3_s`` (95 %).
    ``curl_mm3_s`` is the largest flow whose strand was still straight, ``curl_seen_mm3_s`` the least at which it was not;
    likewise for skipping. ``plan_mm3_s`` is the lowest of the knee's lower end and the curl limit, less the margin.
    ``fall`` is which share of the output is lost per knee's worth of flow beyond the knee. ``next_flow_mm3_s`` is what would
    narrow it most, also where ``enough`` is known: where knowing more could hardly raise the limit.
    """

    temp_c: float
    fan: bool
    weighed: int
    knee_mm3_s: Range | None
    above_mm3_s: float | None
    curl_mm3_s: float | None
    curl_seen_mm3_s: float | None
    skip_mm3_s: float | None
    skip_seen_mm3_s: float | None
    limit_mm3_s: float | None
    plan_mm3_s: float | None
    bound: Literal["knee", "curl", "untested"] | None
    fall: float
    enough: bool
    next_flow_mm3_s: float
    curve: FlowCurve | None


class FlowFit(Result):
    """What a test says, by temperature, and of the drive. ``drive_ratio`` is output over input at low flows. ``left_out``
    are the numbers (from 0) of weighings that do not fit the others."""

    by_temp: list[FlowAtTemp]
    drive_ratio: Ratio | None
    scatter: float
    next_flow_mm3_s: float | None
    next_temp_c: float | None
    enough: bool
    left_out: list[int]
    notes: list[str]


class FlowStep(Result):
    """One strand of a plan: ``speed_mm_s`` is the filament's, and ``time_s`` is settling, feeding and collecting."""

    temp_c: float
    flow_mm3_s: float
    speed_mm_s: float
    settle_mm: float
    length_mm: float
    expected_g: float
    time_s: float


class FlowTestPlan(Result):
    """What to run. ``expected_mm3_s`` is the knee as it is thought to be now, at the first temperature."""

    steps: list[FlowStep]
    fan: float
    expected_mm3_s: float
    expected_source: str
    filament_mm: float
    filament_g: float
    time_s: float
    scale_g: float
    cautions: list[str]
    notes: list[str]
