"""Write strokes as G-code, for test pieces and for checking the reader against the planner."""

from __future__ import annotations

from collections.abc import Iterator

from meanbead.core.bead import filament_area_mm2
from meanbead.core.estimate.timing import melt_limits_mm_s, set_accelerations_mm_s2, set_speeds_mm_s
from meanbead.core.resolve import Plan
from meanbead.core.strokes.features import FEATURES
from meanbead.core.strokes.table import Strokes
from meanbead.core.vocabulary.printer import Printer


def write_gcode(strokes: Strokes, plan: Plan, printer: Printer, ceiling_mm3_s: float) -> Iterator[str]:
    """Lines of G-code that lay the strokes, without heating or homing; features are named in comments.

    Positions to a micrometre, filament relative, to 10 nanometres. The slowing for the least layer time is not
    written: it is the machine's to do. What comes out is for study and test pieces; nothing of it was tried on a
    machine, and whoever prints it follows the maker's instructions.
    """
    speeds = set_speeds_mm_s(strokes, plan).clip(max=melt_limits_mm_s(strokes, plan, ceiling_mm3_s))
    accelerations = set_accelerations_mm_s2(strokes, plan)
    per_mm = strokes.area_mm2 * plan.flow_ratio / filament_area_mm2(printer.filament_diameter_mm)
    lengths, travels, inside = strokes.length_mm, strokes.is_travel, strokes.inside
    pull = f"F{plan.retraction_speed_mm_s * 60:.1f}"
    yield "; positions in mm, filament relative"
    yield "G90"
    yield "M83"
    yield f"M204 R{printer.acceleration_mm_s2.retract:g}"
    layer, feature, acceleration = -1, -1, -1.0
    for k in range(len(strokes)):
        x, y = strokes.end_xy[k]
        if strokes.layer[k] != layer:
            layer = int(strokes.layer[k])
            yield f"G1 Z{strokes.layers.top_mm[layer]:.4f} F{printer.max_speed_mm_s.z * 60:.1f}"
            if k == 0:
                yield f"G1 X{strokes.start_xy[0][0]:.3f} Y{strokes.start_xy[0][1]:.3f} F{plan.speed_mm_s.travel * 60:.1f}"
        if accelerations[k] != acceleration:
            acceleration = float(accelerations[k])
            yield f"M204 {'T' if travels[k] else 'P'}{acceleration:g}"
        if travels[k]:
            acceleration = -1.0
            pulled = lengths[k] > plan.min_travel_mm and plan.retraction_mm > 0 and not inside[k]
            if pulled:
                yield f"G1 E-{plan.retraction_mm:.5f} {pull}"
            yield f"G1 X{x:.3f} Y{y:.3f} F{speeds[k] * 60:.1f}"
            if pulled:
                yield f"G1 E{plan.retraction_mm:.5f} {pull}"
            continue
        if strokes.feature[k] != feature:
            feature = int(strokes.feature[k])
            yield f"; feature: {FEATURES[feature]}"
        yield f"G1 X{x:.3f} Y{y:.3f} E{per_mm[k] * lengths[k]:.5f} F{speeds[k] * 60:.1f}"
