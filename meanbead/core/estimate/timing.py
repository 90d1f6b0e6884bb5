"""Seconds of strokes: speeds asked for, the melt ceiling, look-ahead, retraction, Z, and the wait for cooling."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from meanbead.core.bead import filament_area_mm2
from meanbead.core.motion.lookahead import (
    Moves,
    corner_speeds_deviation,
    corner_speeds_jerk,
    limit_by_axis,
    plan_speeds,
    straight_move_time_s,
)
from meanbead.core.resolve import Plan
from meanbead.core.strokes.features import Feature
from meanbead.core.strokes.table import Strokes
from meanbead.core.vocabulary.printer import Accelerations, AxisAccelerationsMmS2, AxisJerksMmS, Printer

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Timing:
    """Seconds and flows; arrays (n,) run along the strokes, arrays (layers,) along the layers.

    ``move_s`` moving time as planned; ``cooling_s`` seconds added to a stroke by slowing for the layer time;
    ``melt_s`` seconds that the melt ceiling costs; ``set_s`` seconds at the speed asked for, without ramps;
    ``retract_s`` and ``z_s`` (layers,) standing seconds; ``wait_s`` (layers,) waiting when even the least speed is too
    fast; ``peak_flow_mm3_s`` (n,) reached; ``asked_flow_mm3_s`` (n,) that the set speed would need.
    """

    move_s: Floats
    cooling_s: Floats
    melt_s: Floats
    set_s: Floats
    retract_s: Floats
    z_s: Floats
    wait_s: Floats
    peak_flow_mm3_s: Floats
    asked_flow_mm3_s: Floats
    capped: NDArray[np.bool_]
    retractions: int

    @property
    def print_time_s(self) -> float:
        """The whole print, s, without heat-up and start routine."""
        return float(
            self.move_s.sum() + self.cooling_s.sum() + self.retract_s.sum() + self.z_s.sum() + self.wait_s.sum()
        )


def time_strokes(strokes: Strokes, plan: Plan, printer: Printer, ceiling_mm3_s: float) -> Timing:
    """Run strokes through the machine's limits. Pure: same inputs, same seconds."""
    travel = strokes.is_travel
    length = strokes.length_mm
    area = strokes.area_mm2 * plan.flow_ratio
    area[travel] = 0.0
    asked, melt = set_speeds_mm_s(strokes, plan), melt_limits_mm_s(strokes, plan, ceiling_mm3_s)
    wanted = np.minimum(asked, melt)

    unit = np.zeros((len(strokes), 4))
    np.divide(strokes.end_xy - strokes.start_xy, length[:, None], out=unit[:, 0:2])
    unit[:, 3] = area / filament_area_mm2(printer.filament_diameter_mm)
    top = printer.max_speed_mm_s
    most = printer.max_acceleration_mm_s2
    axis_speed = limit_by_axis(unit, np.array([top.x, top.y, top.z, top.e]))
    axis_acceleration = limit_by_axis(unit, np.array([most.x, most.y, most.z, most.e]))
    acceleration = np.minimum(set_accelerations_mm_s2(strokes, plan), axis_acceleration)

    layer_change = np.zeros(len(strokes), dtype=bool)
    layer_change[1:] = np.diff(strokes.layer) > 0
    retracted = travel & ~strokes.inside & (length > plan.min_travel_mm) & (plan.retraction_mm > 0)
    halt = layer_change | retracted
    halt[0] = True
    halt[1:] |= retracted[:-1]
    moves = Moves(length, unit, np.minimum(wanted, axis_speed), acceleration, halt)
    profile = plan_speeds(moves, *_corners(moves, printer))

    reachable_set = np.minimum(asked, axis_speed)
    set_s = length / reachable_set
    melt_s = length / moves.speed_mm_s - set_s
    retract_s, z_s = _standing(strokes, plan, printer, retracted, layer_change)
    cooling_s, wait_s = _cooling(strokes, plan, profile.time_s, travel, retract_s + z_s)
    slowed = profile.time_s / (profile.time_s + cooling_s)
    return Timing(
        move_s=profile.time_s,
        cooling_s=cooling_s,
        melt_s=melt_s,
        set_s=set_s,
        retract_s=retract_s,
        z_s=z_s,
        wait_s=wait_s,
        peak_flow_mm3_s=profile.peak_mm_s * area * slowed,
        asked_flow_mm3_s=reachable_set * area,
        capped=melt < reachable_set * (1 - 1e-9),
        retractions=int(np.count_nonzero(retracted)),
    )


def melt_limits_mm_s(strokes: Strokes, plan: Plan, ceiling_mm3_s: float) -> Floats:
    """Speed at which each stroke's flow reaches the ceiling, shape (n,); infinite for travel."""
    with np.errstate(divide="ignore"):
        limit: Floats = ceiling_mm3_s / (strokes.area_mm2 * plan.flow_ratio)
    limit[strokes.is_travel] = np.inf
    return limit


def set_speeds_mm_s(strokes: Strokes, plan: Plan) -> Floats:
    """Speed that the plan asks for on each stroke, shape (n,)."""
    speeds = plan.speed_mm_s
    table = np.zeros(len(Feature))
    table[Feature.OUTER_WALL] = speeds.outer_wall
    table[Feature.INNER_WALL] = speeds.inner_wall
    table[Feature.INFILL] = speeds.infill
    table[Feature.SOLID] = speeds.solid
    table[Feature.BOTTOM] = speeds.solid
    table[Feature.TOP] = speeds.top
    table[Feature.SKIRT] = speeds.first_layer
    table[Feature.BRIM] = speeds.first_layer
    table[Feature.TRAVEL] = speeds.travel
    asked = table[strokes.feature]
    first = (strokes.layer == 0) & ~strokes.is_travel
    asked[first] = np.minimum(asked[first], speeds.first_layer)
    return asked


def set_accelerations_mm_s2(strokes: Strokes, plan: Plan) -> Floats:
    """Acceleration that the plan asks for on each stroke, shape (n,)."""
    table = np.full(len(Feature), plan.print_acceleration_mm_s2)
    table[Feature.OUTER_WALL] = plan.outer_wall_acceleration_mm_s2
    table[Feature.TRAVEL] = plan.travel_acceleration_mm_s2
    return table[strokes.feature]


def _corners(moves: Moves, printer: Printer) -> tuple[Floats, Floats]:
    corner = printer.corner
    if corner.law == "junction_deviation" and corner.deviation_mm is not None:
        speeds = corner_speeds_deviation(moves.unit, moves.acceleration_mm_s2, corner.deviation_mm, moves.halt)
        return speeds, np.zeros(len(speeds))
    jerk = np.array([corner.jerk.x, corner.jerk.y, corner.jerk.z, corner.jerk.e])
    return corner_speeds_jerk(moves.unit, jerk, moves.halt), limit_by_axis(moves.unit, jerk)


def _standing(
    strokes: Strokes, plan: Plan, printer: Printer, retracted: NDArray[np.bool_], layer_change: NDArray[np.bool_]
) -> tuple[Floats, Floats]:
    """Seconds per layer in which x and y stand still: pulling filament back and forth, and moving Z."""
    count = len(strokes.layers)
    speeds, accelerations = printer.max_speed_mm_s, printer.max_acceleration_mm_s2
    pull = straight_move_time_s(
        plan.retraction_mm,
        min(plan.retraction_speed_mm_s, speeds.e),
        min(printer.acceleration_mm_s2.retract, accelerations.e),
    )
    hop = straight_move_time_s(plan.z_hop_mm, speeds.z, accelerations.z)
    pulls = np.bincount(strokes.layer[retracted], minlength=count)
    retract_s: Floats = np.asarray(pulls * 2.0 * pull, dtype=np.float64)
    z_s: Floats = np.asarray(pulls * 2.0 * hop, dtype=np.float64)
    changed = strokes.layer[layer_change]
    rises, where = np.unique(strokes.layers.height_mm[changed], return_inverse=True)
    times = np.array([straight_move_time_s(float(rise), speeds.z, accelerations.z) for rise in rises])
    z_s = z_s + np.bincount(changed, weights=times[where] if len(changed) else None, minlength=count)
    return retract_s, z_s


def _cooling(
    strokes: Strokes, plan: Plan, move_s: Floats, travel: NDArray[np.bool_], standing_s: Floats
) -> tuple[Floats, Floats]:
    """Slow the plastic of layers that end too soon, down to the least speed, then wait. The first layer is not slowed.

    Slowing is taken as a common factor on the layer's seconds under plastic.
    """
    count = len(strokes.layers)
    per_layer = np.bincount(strokes.layer, weights=move_s, minlength=count)
    plastic = np.bincount(strokes.layer, weights=np.where(travel, 0.0, move_s), minlength=count)
    slowest = np.bincount(
        strokes.layer,
        weights=np.where(travel, 0.0, np.maximum(move_s, strokes.length_mm / plan.min_speed_mm_s)),
        minlength=count,
    )
    short = np.maximum(0.0, plan.min_layer_time_s - per_layer - standing_s)
    short[0] = 0.0
    short[plastic <= 0] = 0.0
    slowing = np.minimum(short, np.maximum(0.0, slowest - plastic))
    factor = np.divide(slowing, plastic, out=np.zeros(count), where=plastic > 0)
    added: Floats = np.where(travel, 0.0, move_s * factor[strokes.layer])
    return added, short - slowing


def stronger(printer: Printer, factor: float) -> Printer:
    """The printer with all accelerations and corner allowances times a factor; used to bracket unknown limits."""
    asked, most, corner = printer.acceleration_mm_s2, printer.max_acceleration_mm_s2, printer.corner
    jerk = corner.jerk
    return printer.model_copy(
        update={
            "acceleration_mm_s2": Accelerations.model_construct(
                print=asked.print * factor, travel=asked.travel * factor, retract=asked.retract * factor
            ),
            "max_acceleration_mm_s2": AxisAccelerationsMmS2.model_construct(
                x=most.x * factor, y=most.y * factor, z=most.z * factor, e=most.e * factor
            ),
            "corner": corner.model_copy(
                update={
                    "jerk_mm_s": AxisJerksMmS.model_construct(
                        x=jerk.x * factor, y=jerk.y * factor, z=jerk.z * factor, e=jerk.e * factor
                    ),
                    "deviation_mm": None if corner.deviation_mm is None else corner.deviation_mm * factor,
                }
            ),
        }
    )


def stronger_plan(plan: Plan, factor: float) -> Plan:
    """The plan with all accelerations times a factor."""
    return replace(
        plan,
        outer_wall_acceleration_mm_s2=plan.outer_wall_acceleration_mm_s2 * factor,
        print_acceleration_mm_s2=plan.print_acceleration_mm_s2 * factor,
        travel_acceleration_mm_s2=plan.travel_acceleration_mm_s2 * factor,
    )
