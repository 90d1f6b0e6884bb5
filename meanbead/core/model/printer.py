"""The machine: its room, its axes, its corners and its hot end."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from meanbead.core.model.base import AccelerationMmS2, Model, NonNegative, Positive, Provenance, SpeedMmS
from meanbead.core.model.measured import KnownFlow, MeasuredMelt

__all__ = [
    "PTFE_LIMIT_C",
    "TYPICAL_CLEAN_MM_S2",
    "Accelerations",
    "AxisAccelerationsMmS2",
    "AxisJerksMmS",
    "AxisSpeedsMmS",
    "BedMm",
    "Corner",
    "HeatedBed",
    "Hotend",
    "MeasuredOverhang",
    "Printer",
    "ZScrew",
]


PTFE_LIMIT_C = 240.0
"""Above about this a PTFE lining gives off toxic fumes."""

TYPICAL_CLEAN_MM_S2 = {"bed_moving": 800.0, "gantry": 2500.0, "coupled_gantry": 4000.0}
"""Typical highest acceleration that shows no ripple, by kinematics, mm/s2. Frames of one kind differ by a factor of
three: a test block tells, and the machine's own figure replaces this."""


class BedMm(Model):
    """Room to print in, mm: bed width (x), bed depth (y), height (z)."""

    x: Annotated[float, Field(gt=0, le=2000)] = 220
    y: Annotated[float, Field(gt=0, le=2000)] = 220
    z: Annotated[float, Field(gt=0, le=2000)] = 250


class AxisSpeedsMmS(Model):
    """Largest speed of each axis, mm/s; ``e`` is filament through the drive."""

    x: SpeedMmS = 250
    y: SpeedMmS = 250
    z: SpeedMmS = 10
    e: SpeedMmS = 60


class AxisAccelerationsMmS2(Model):
    """Largest acceleration of each axis, mm/s2; ``e`` is filament through the drive."""

    x: AccelerationMmS2 = 2000
    y: AccelerationMmS2 = 2000
    z: AccelerationMmS2 = 200
    e: AccelerationMmS2 = 5000


class AxisJerksMmS(Model):
    """Step in velocity that each axis takes without ramping, mm/s."""

    x: Annotated[float, Field(gt=0, le=100)] = 8
    y: Annotated[float, Field(gt=0, le=100)] = 8
    z: Annotated[float, Field(gt=0, le=100)] = 0.4
    e: Annotated[float, Field(gt=0, le=100)] = 5


class Corner(Model):
    """How the firmware limits speed through a corner.

    ``curve_limit``, with the junction-deviation law: short segments that bend are taken as the curve that they stand
    for, so that finer ones are not taken faster.
    """

    law: Literal["jerk", "junction_deviation"] = "jerk"
    jerk_mm_s: AxisJerksMmS | None = None
    deviation_mm: Annotated[float, Field(gt=0, le=1)] | None = None
    curve_limit: bool = True

    @model_validator(mode="after")
    def _complete(self) -> Corner:
        if self.law == "junction_deviation" and self.deviation_mm is None:
            raise ValueError("the junction_deviation law needs deviation_mm, such as 0.02")
        return self

    @property
    def jerk(self) -> AxisJerksMmS:
        """Jerk of each axis, mm/s, the typical one where none is given."""
        return self.jerk_mm_s or AxisJerksMmS()


class Accelerations(Model):
    """Acceleration asked for by kind of move, mm/s2. ``wipe`` says which of them a move takes that pulls filament back on
    its way: most firmware counts it as printing, because filament moves."""

    print: AccelerationMmS2 = 800
    travel: AccelerationMmS2 = 1500
    retract: AccelerationMmS2 = 2000
    wipe: Literal["print", "travel"] = "print"


class Hotend(Model):
    """Hot end: what melts the filament, and what bounds its heat.

    ``melt_zone_mm`` is the heated length that filament passes. ``channels`` is the number of parallel melt
    channels that a split-flow core divides it into (1 for a plain bore).
    """

    melt_zone_mm: Annotated[float, Field(gt=2, le=100)] = 12
    channels: Annotated[int, Field(ge=1, le=7)] = 1
    lining: Literal["ptfe", "all_metal"] = "all_metal"
    max_temp_c: Annotated[float, Field(gt=100, le=600)] = 280
    heater_w: Annotated[float, Field(gt=0, le=500)] = 40
    heat_capacity_j_k: Positive = 15
    loss_w_k: Positive = 0.08
    source: Provenance = "typical"


class HeatedBed(Model):
    """Heated bed as one lump of heat: power, capacity, loss to the room."""

    heater_w: Annotated[float, Field(ge=0, le=3000)] = 220
    heat_capacity_j_k: Positive = 650
    loss_w_k: Positive = 1.2
    source: Provenance = "typical"


class ZScrew(Model):
    """What lifts the nozzle, or lowers the bed: the screw's lead (mm a turn), the motor's full steps a turn, gearing
    (turns of the motor for one of the screw), and the driver's microsteps a full step."""

    lead_mm: Annotated[float, Field(gt=0, le=100)] = 8
    steps_per_turn: Annotated[int, Field(ge=20, le=1000)] = 200
    gearing: Annotated[float, Field(gt=0, le=200)] = 1
    microsteps: Annotated[int, Field(ge=1, le=256)] = 16

    @property
    def full_step_mm(self) -> float:
        """Height of a full motor step, mm: ``lead / (steps x gearing)``."""
        return round(self.lead_mm / (self.steps_per_turn * self.gearing), 6)


class MeasuredOverhang(Model):
    """What a printed fan of overhangs showed: up to ``angle_deg`` from upright this bead came out clean."""

    bore_mm: Annotated[float, Field(ge=0.1, le=2)]
    layer_height_mm: Annotated[float, Field(gt=0, le=2)]
    line_width_mm: Annotated[float, Field(gt=0, le=5)]
    angle_deg: Annotated[float, Field(gt=0, lt=90)]


class HeadBox(Model):
    """What goes with the nozzle: how far the head reaches from the nozzle to the left, right, front and back, mm; how high above
    the nozzle's tip the gantry runs, mm, and how far it reaches to front and back of it. Typical figures; measure yours,
    with everything that hangs on the head."""

    left_mm: Annotated[float, Field(ge=0, le=500)] = 35
    right_mm: Annotated[float, Field(ge=0, le=500)] = 35
    front_mm: Annotated[float, Field(ge=0, le=500)] = 40
    back_mm: Annotated[float, Field(ge=0, le=500)] = 40
    gantry_mm: Annotated[float, Field(ge=0, le=1000)] = 30
    gantry_deep_mm: Annotated[float, Field(ge=0, le=500)] = 40


class Printer(Model):
    """A machine. Every key has a typical default, so that a partial description still works.

    ``coupled_gantry`` is a gantry whose two motors share x and y: speed, acceleration and jerk then bound the motors.
    ``clean_acceleration_mm_s2`` is the highest at which outer walls show no ripple; ``overhang_limit_deg`` the steepest
    overhang, from upright, that prints clean with beads of 0.44 x 0.2 mm; ``measured_overhangs``, where there are
    any of a bore, replace it there. ``heating`` is the start routine's habit: bed and nozzle together, or the nozzle once
    the bed is hot. Where ``z_screw`` is given, ``z_step_mm`` follows from it.

    An hour costs what the machine draws, ``power_w`` on average (worked out from its heaters where None), at
    ``price_per_kwh``, and ``wear_per_h``: parts that wear, and what it was bought for. ``start_gcode`` and ``end_gcode`` are
    what runs before and after a print; ``start_time_s`` and ``end_time_s`` are what they take beside heating.

    ``known_flows`` are what somebody knows it to melt; ``measured_melts`` what flow tests have shown of its hot end, which counts before that; plans stay below what it melts by ``flow_margin``.
    ``bridge_span_mm`` is the longest bridge that it lays clean, ``pull_length_mm`` the least pull that leaves no strings,
    ``narrow_line_speed_mm_s`` the fastest at which walls narrower than the bore come out whole: None until a test piece told.
    ``head`` is the room that head and gantry need between copies one after the other.
    ``drive_steps_per_mm`` is how many steps the drive takes for a millimetre of filament.
    """

    bed_mm: BedMm = BedMm()
    kinematics: Literal["bed_moving", "gantry", "coupled_gantry"] = "bed_moving"
    filament_diameter_mm: Annotated[float, Field(gt=1, le=4)] = 1.75
    drive: Literal["direct", "long_tube"] = "direct"
    max_speed_mm_s: AxisSpeedsMmS = AxisSpeedsMmS()
    max_acceleration_mm_s2: AxisAccelerationsMmS2 = AxisAccelerationsMmS2()
    corner: Corner = Corner()
    acceleration_mm_s2: Accelerations = Accelerations()
    z_step_mm: Annotated[float, Field(gt=0, le=1)] | None = None
    z_screw: ZScrew | None = None
    start_time_s: Annotated[float, Field(ge=0, le=7200)] = 45
    end_time_s: Annotated[float, Field(ge=0, le=7200)] = 0
    start_gcode: Annotated[str, Field(max_length=20_000)] = ""
    end_gcode: Annotated[str, Field(max_length=20_000)] = ""
    heating: Literal["together", "bed_first"] = "together"
    hotend: Hotend = Hotend()
    bed_heater: HeatedBed = HeatedBed()
    room_temp_c: Annotated[float, Field(ge=-20, le=60)] = 22
    limits_source: Provenance = "typical"
    power_w: Annotated[float, Field(ge=0, le=5000)] | None = None
    price_per_kwh: NonNegative = 0
    wear_per_h: NonNegative = 0
    clean_acceleration_mm_s2: AccelerationMmS2 | None = None
    overhang_limit_deg: Annotated[float, Field(ge=20, le=85)] = 52
    measured_overhangs: Annotated[tuple[MeasuredOverhang, ...], Field(max_length=50)] = ()
    known_flows: Annotated[tuple[KnownFlow, ...], Field(max_length=50)] = ()
    measured_melts: Annotated[tuple[MeasuredMelt, ...], Field(max_length=50)] = ()
    flow_margin: Annotated[float, Field(ge=0, le=0.9)] = 0.1
    bridge_span_mm: Annotated[float, Field(gt=0, le=500)] | None = None
    pull_length_mm: Annotated[float, Field(ge=0, le=20)] | None = None
    narrow_line_speed_mm_s: SpeedMmS | None = None
    drive_steps_per_mm: Annotated[float, Field(gt=0, le=100_000)] | None = None
    head: HeadBox = HeadBox()
    enclosed: bool = False
    bed_surface: Literal["flat", "uneven", "damaged"] = "flat"

    @model_validator(mode="before")
    @classmethod
    def _step_of_screw(cls, given: Any) -> Any:
        if isinstance(given, dict) and given.get("z_screw") is not None:
            screw = ZScrew.model_validate(given["z_screw"])
            return given | {"z_screw": screw, "z_step_mm": screw.full_step_mm}
        return given

    @property
    def clean_acceleration(self) -> float:
        """Highest acceleration that shows no ripple, mm/s2; a typical one for the kinematics where none is given: a bed
        that is thrown back and forth on a light frame rings first."""
        return self.clean_acceleration_mm_s2 or TYPICAL_CLEAN_MM_S2[self.kinematics]

    @property
    def highest_nozzle_c(self) -> float:
        """The hottest that hot end and lining allow, degrees C."""
        most = self.hotend.max_temp_c
        return min(most, PTFE_LIMIT_C) if self.hotend.lining == "ptfe" else most
