"""Write strokes as G-code, for test pieces and for checking the reader against the planner."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from meanbead.core.estimate.moves import Kind, moves_of
from meanbead.core.estimate.timing import melt_limits_mm_s, set_accelerations_mm_s2, set_speeds_mm_s
from meanbead.core.model.plan import Plan
from meanbead.core.model.printer import Printer
from meanbead.core.strokes.features import FEATURES
from meanbead.core.strokes.table import Strokes

__all__ = ["write_gcode"]


def write_gcode(strokes: Strokes, plan: Plan, printer: Printer, ceiling_mm3_s: float) -> Iterator[str]:
    """Lines of G-code that lay the strokes, without heating or homing; features are named in comments.

    Positions to a micrometre, filament relative, to 10 nanometres. The slowing for the least layer time is not
    written: it is the machine's to do. What comes out is for study and test pieces; nothing of it was tried on a
    machine, and whoever prints it follows the maker's instructions.
    """
    speeds = set_speeds_mm_s(strokes, plan).clip(max=melt_limits_mm_s(strokes, plan, ceiling_mm3_s))
    accelerations = set_accelerations_mm_s2(strokes, plan)
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
    feature, acceleration = -1, -1.0
    for (dx, dy, dz, de), kind, k in zip(moves.delta, moves.kind, moves.stroke, strict=True):
        at += (dx, dy)
        if kind in (Kind.LIFT, Kind.LAYER):
            z += dz
            yield f"G1 Z{z:.4f} {lift}"
        elif kind in (Kind.RETRACT, Kind.PRIME):
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
            if strokes.feature[k] != feature:
                feature = int(strokes.feature[k])
                yield f"; feature: {FEATURES[feature]}"
            z += dz
            rise = f"Z{z:.4f} " if dz else ""
            yield f"G1 X{at[0]:.3f} Y{at[1]:.3f} {rise}E{de:.5f} F{speeds[k] * 60:.1f}"
