"""Write strokes as G-code, for test pieces and for checking the reader against the planner."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from meanbead.core.estimate.moves import Kind, moves_of
from meanbead.core.estimate.timing import melt_limits_mm_s, set_accelerations_mm_s2, set_speeds_mm_s
from meanbead.core.model.plan import Plan
from meanbead.core.model.printer import Printer
from meanbead.core.strokes.features import FEATURES, Feature
from meanbead.core.strokes.table import Strokes

__all__ = ["BandChange", "write_gcode"]


@dataclass(frozen=True)
class BandChange:
    """What is other from a height on: ``commands`` as they stand, and where given the acceleration, mm/s2, of all plastic, the
    pull's length, mm, and by feature speeds, mm/s, and factors of the plastic."""

    from_mm: float
    commands: tuple[str, ...] = ()
    acceleration_mm_s2: float | None = None
    pull_mm: float | None = None
    speed_mm_s: Mapping[Feature, float] = field(default_factory=dict)
    flow: Mapping[Feature, float] = field(default_factory=dict)


def write_gcode(
    strokes: Strokes, plan: Plan, printer: Printer, ceiling_mm3_s: float, bands: Sequence[BandChange] = ()
) -> Iterator[str]:
    """Lines of G-code that lay the strokes, without heating or homing; features are named in comments.

    Positions to a micrometre, filament relative, to 10 nanometres. The slowing for the least layer time is not
    written: it is the machine's to do. ``bands``, lowest first, change things from a height on. What comes out is for study and test pieces; nothing of it was tried on a
    machine, and whoever prints it follows the maker's instructions.
    """
    speeds = set_speeds_mm_s(strokes, plan).clip(max=melt_limits_mm_s(strokes, plan, ceiling_mm3_s))
    accelerations = set_accelerations_mm_s2(strokes, plan)
    band_of = _bands_of_strokes(strokes, bands)
    for number, band in enumerate(bands):
        laid = (band_of == number) & ~strokes.is_travel
        if band.acceleration_mm_s2 is not None:
            accelerations[laid] = band.acceleration_mm_s2
        for feature, speed in band.speed_mm_s.items():
            speeds[laid & (strokes.feature == feature)] = speed
    moves = moves_of(strokes, plan, printer)
    lift = f"F{printer.max_speed_mm_s.z * 60:.1f}"
    yield "; positions in mm, filament relative"
    yield "G90"
    yield "M83"
    yield f"M204 R{printer.acceleration_mm_s2.retract:g}"
    z = float(strokes.layers.top_mm[strokes.layer[0]])
    yield f"G1 Z{z:.4f} {lift}"
    yield f"G1 X{strokes.start_xy[0][0]:.3f} Y{strokes.start_xy[0][1]:.3f} F{plan.speed_mm_s.travel * 60:.1f}"
    at = strokes.start_xy[0].astype(float)
    last_feature, acceleration, current = -1, -1.0, -1
    for (dx, dy, dz, de), kind, k in zip(moves.delta, moves.kind, moves.stroke, strict=True):
        at += (dx, dy)
        here = bands[band_of[k]] if band_of[k] >= 0 else None
        if band_of[k] != current:
            current = int(band_of[k])
            yield from () if here is None else here.commands
        if kind in (Kind.LIFT, Kind.LAYER):
            z += dz
            yield f"G1 Z{z:.4f} {lift}"
        elif kind in (Kind.RETRACT, Kind.PRIME):
            if here is not None and here.pull_mm is not None and plan.retraction_mm > 0:
                de *= here.pull_mm / plan.retraction_mm
            # The pace of a pull is the filament's; a wipe's word F is that of its way.
            way = float(np.hypot(dx, dy))
            pace = plan.retraction_speed_mm_s * (way / abs(de) if way else 1.0)
            place = f"X{at[0]:.3f} Y{at[1]:.3f} " if way else ""
            yield f"G1 {place}E{de:.5f} F{pace * 60:.1f}"
        else:
            travels = kind == Kind.TRAVEL
            if accelerations[k] != acceleration:
                acceleration = float(accelerations[k])
                yield f"M204 {'T' if travels else 'P'}{acceleration:g}"
            if travels:
                acceleration = -1.0
                yield f"G1 X{at[0]:.3f} Y{at[1]:.3f} F{speeds[k] * 60:.1f}"
                continue
            if strokes.feature[k] != last_feature:
                last_feature = int(strokes.feature[k])
                yield f"; feature: {FEATURES[last_feature]}"
            if here is not None:
                de *= here.flow.get(Feature(last_feature), 1.0)
            z += dz
            rise = f"Z{z:.4f} " if dz else ""
            yield f"G1 X{at[0]:.3f} Y{at[1]:.3f} {rise}E{de:.5f} F{speeds[k] * 60:.1f}"


def _bands_of_strokes(strokes: Strokes, bands: Sequence[BandChange]) -> NDArray[np.int64]:
    """Number of the band that each stroke's layer lies in by its middle, -1 below all, (n,)."""
    middle = strokes.layers.top_mm - strokes.layers.height_mm / 2
    starts = np.array([band.from_mm for band in bands])
    numbers: NDArray[np.int64] = np.searchsorted(starts, middle, side="right") - 1
    return numbers[strokes.layer]
