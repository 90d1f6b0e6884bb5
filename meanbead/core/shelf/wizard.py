"""A machine from five answers: what a newcomer knows of it, filled in with typical figures."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from meanbead.core.model.base import Model
from meanbead.core.model.printer import (
    Accelerations,
    AxisAccelerationsMmS2,
    AxisSpeedsMmS,
    BedMm,
    Corner,
    HeatedBed,
    Hotend,
    Printer,
)

__all__ = ["HOTENDS", "Answers", "Frame", "HotendKind", "typical_printer"]

HotendKind = Literal["short_lined", "short", "long", "split"]
Frame = Literal["light_bed", "stiff_bed", "gantry", "coupled_gantry"]

HOTENDS: dict[HotendKind, Hotend] = {
    "short_lined": Hotend(melt_zone_mm=12, lining="ptfe", max_temp_c=260, heater_w=40),
    "short": Hotend(melt_zone_mm=12, lining="all_metal", max_temp_c=285, heater_w=40),
    "long": Hotend(melt_zone_mm=21, lining="all_metal", max_temp_c=300, heater_w=60),
    "split": Hotend(melt_zone_mm=21, channels=3, lining="all_metal", max_temp_c=300, heater_w=70),
}
"""Typical hot ends by kind: a short melt zone with and without a PTFE lining, a long zone, a long zone with channels."""

_KINEMATICS: dict[Frame, Literal["bed_moving", "gantry", "coupled_gantry"]] = {
    "light_bed": "bed_moving",
    "stiff_bed": "bed_moving",
    "gantry": "gantry",
    "coupled_gantry": "coupled_gantry",
}
_CLEAN_MM_S2: dict[Frame, float] = {"light_bed": 800, "stiff_bed": 1500, "gantry": 2500, "coupled_gantry": 4000}
_SPEED_MM_S: dict[Frame, float] = {"light_bed": 200, "stiff_bed": 250, "gantry": 300, "coupled_gantry": 400}


class Answers(Model):
    """Five answers. ``bed_mm`` is the room to print in, ``heated`` and ``surface`` what the bed is like; ``drive`` where the
    filament is pushed; ``hotend`` how it is melted; ``frame`` what moves and how stiff it is; ``enclosed`` whether walls
    stand round it. Whether it has a console or a report is asked afterwards: what the firmware says replaces this."""

    bed_mm: BedMm = BedMm()
    heated: bool = True
    surface: Literal["flat", "uneven", "damaged"] = "flat"
    enclosed: bool = False
    drive: Literal["direct", "long_tube"] = "direct"
    hotend: HotendKind = "short"
    frame: Frame = "light_bed"
    z_step_mm: Annotated[float, Field(gt=0, le=1)] | None = None


def typical_printer(answers: Answers) -> Printer:
    """A description that is typical for such a machine.

    Limits follow the frame: acceleration that shows no ripple is what a machine of that kind usually shows clean, printing
    runs at it, and the axes take two and a half times as much. A bed's watts and heat go with its area.
    """
    clean, top = _CLEAN_MM_S2[answers.frame], _SPEED_MM_S[answers.frame]
    area = answers.bed_mm.x * answers.bed_mm.y / (220 * 220)
    usual = HeatedBed()
    bed = HeatedBed(
        heater_w=round(usual.heater_w * area) if answers.heated else 0,
        heat_capacity_j_k=round(usual.heat_capacity_j_k * area, 1),
        loss_w_k=round(usual.loss_w_k * area * (0.8 if answers.enclosed else 1.0), 3),
    )
    gantry = answers.frame in ("gantry", "coupled_gantry")
    return Printer(
        bed_mm=answers.bed_mm,
        kinematics=_KINEMATICS[answers.frame],
        drive=answers.drive,
        max_speed_mm_s=AxisSpeedsMmS(x=top, y=top, z=15 if gantry else 10, e=60),
        max_acceleration_mm_s2=AxisAccelerationsMmS2(x=2.5 * clean, y=2.5 * clean, z=300 if gantry else 150, e=5000),
        acceleration_mm_s2=Accelerations(print=clean, travel=1.5 * clean, retract=2000),
        corner=Corner(law="junction_deviation", deviation_mm=0.02) if gantry else Corner(),
        z_step_mm=answers.z_step_mm,
        hotend=HOTENDS[answers.hotend],
        bed_heater=bed,
        clean_acceleration_mm_s2=clean,
        enclosed=answers.enclosed,
        bed_surface=answers.surface,
    )
