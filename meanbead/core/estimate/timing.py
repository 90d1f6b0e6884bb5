"""Seconds of strokes: speeds asked for, the melt ceiling, look-ahead over every move, and the wait for cooling."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numba
import numpy as np
from numpy.typing import NDArray

from meanbead.core.estimate.cooling import Cooling, cool_layers
from meanbead.core.estimate.ledger import Cause, split_seconds
from meanbead.core.estimate.moves import Kind, MoveTable, moves_of
from meanbead.core.model.plan import Plan
from meanbead.core.model.printer import Accelerations, AxisAccelerationsMmS2, AxisJerksMmS, Printer
from meanbead.core.motion.limits import path_limits
from meanbead.core.motion.paired_lookahead import plan_with_and_without
from meanbead.core.runtime.parallel import halves, parallel_map
from meanbead.core.strokes.features import Feature
from meanbead.core.strokes.table import Strokes

__all__ = [
    "Requests",
    "Timing",
    "melt_limits_mm_s",
    "requests_of",
    "set_accelerations_mm_s2",
    "set_speeds_mm_s",
    "stronger",
    "stronger_plan",
    "time_strokes",
]

Floats = NDArray[np.float64]

_PLASTIC, _TRAVEL, _LIFT = int(Kind.PLASTIC), int(Kind.TRAVEL), int(Kind.LIFT)
_FEATURE_TRAVEL = int(Feature.TRAVEL)


@dataclass(frozen=True)
class Timing:
    """Seconds and flows.

    Along the moves, (m,): ``length_mm``; ``asked_mm_s`` that axes allow of the speed asked for, ``melt_mm_s`` that the
    melt ceiling allows; ``move_s`` as planned and ``free_s`` without corners between plastic. ``cooling`` is what the least
    layer time adds. Along the strokes, (n,): ``peak_flow_mm3_s`` reached, ``asked_flow_mm3_s`` that the set speed would need, ``capped`` where the
    ceiling held it back.
    """

    strokes: Strokes
    moves: MoveTable
    length_mm: Floats
    asked_mm_s: Floats
    melt_mm_s: Floats
    move_s: Floats
    free_s: Floats
    cooling: Cooling
    peak_flow_mm3_s: Floats
    asked_flow_mm3_s: Floats
    capped: NDArray[np.bool_]

    @cached_property
    def print_time_s(self) -> float:
        """The whole print, s, without heat-up and start routine."""
        cooling = self.cooling
        return float(self.move_s.sum() + cooling.slowing_s.sum() + cooling.wait_s.sum() + cooling.aside_s.sum())

    @property
    def pulled_strokes(self) -> NDArray[np.int64]:
        """The travels before which filament is pulled back, int64 (retractions,)."""
        pulled: NDArray[np.int64] = self.moves.stroke[self.moves.kind == Kind.RETRACT]
        return pulled

    @cached_property
    def _ledgers(self) -> tuple[Floats, Floats]:
        by_feature, by_cause = _ledgers(
            self.strokes.layer,
            self.strokes.feature,
            self.moves.kind,
            self.moves.stroke,
            self.length_mm,
            self.asked_mm_s,
            self.melt_mm_s,
            self.move_s,
            self.free_s,
            self.cooling.slowing_s,
            len(self.strokes.layers),
            len(Feature),
            len(Cause),
        )
        by_cause[:, Cause.LAYER_COOLING] += self.cooling.wait_s
        for column, cause in enumerate((Cause.TRAVELLING, Cause.RETRACTING, Cause.Z_AND_LAYER_CHANGE)):
            by_cause[:, cause] += self.cooling.aside_s[:, column]
        by_feature[:, Feature.TRAVEL] += self.cooling.aside_s.sum(axis=1)
        return np.column_stack([by_feature, self.cooling.wait_s]), by_cause

    @property
    def layer_s(self) -> Floats:
        """Seconds of each layer, float64 (layers,)."""
        seconds: Floats = self.by_feature_s().sum(axis=1)
        return seconds

    def by_feature_s(self) -> Floats:
        """Seconds of each layer and feature, float64 (layers, features + 1); the last column is waiting.

        Retraction, lifts, layer changes and the way aside to wait stand under travel.
        """
        return self._ledgers[0]

    def by_cause_s(self) -> Floats:
        """Seconds of each layer and cause, float64 (layers, causes); a column for each :class:`Cause`."""
        return self._ledgers[1]


@numba.njit(cache=True, nogil=True)
def _ledgers(  # type: ignore[no-untyped-def]
    layer, feature, kind, stroke, length, asked, melt, move_s, free_s, cooling_s, layers, features, causes
):
    by_feature, by_cause = np.zeros((layers, features)), np.zeros((layers, causes))
    for k in range(len(kind)):
        at = layer[stroke[k]]
        split_seconds(kind[k], length[k], asked[k], melt[k], move_s[k], free_s[k], cooling_s[k], by_cause[at])
        own = feature[stroke[k]] if kind[k] == _PLASTIC else _FEATURE_TRAVEL
        by_feature[at, own] += move_s[k] + cooling_s[k]
    return by_feature, by_cause


@dataclass(frozen=True)
class Requests:
    """What each move is asked for, arrays of length m: ``speed_mm_s`` and ``acceleration_mm_s2``, infinite where only the axes
    bound them, and ``melt_mm_s``, the speed that the melt ceiling allows."""

    speed_mm_s: Floats
    acceleration_mm_s2: Floats
    melt_mm_s: Floats


def requests_of(
    strokes: Strokes,
    table: MoveTable,
    plan: Plan,
    printer: Printer,
    ceiling_mm3_s: float,
    first_ceiling_mm3_s: float | None = None,
) -> Requests:
    """Speeds and accelerations that a plan asks for on each move, before the machine's limits."""
    stroke_melt = melt_limits_mm_s(strokes, plan, ceiling_mm3_s, first_ceiling_mm3_s)
    stroke_asked = set_speeds_mm_s(strokes, plan)
    asked, requested, melt = np.empty(len(table)), np.empty(len(table)), np.empty(len(table))
    stroke_requested = set_accelerations_mm_s2(strokes, plan)
    wipes_mm_s2 = (
        plan.print_acceleration_mm_s2 if printer.acceleration_mm_s2.wipe == "print" else plan.travel_acceleration_mm_s2
    )

    def wish(part: tuple[int, int]) -> None:
        _requested(
            part[0],
            part[1],
            table.delta,
            table.kind,
            table.stroke,
            stroke_asked,
            stroke_requested,
            stroke_melt,
            plan.speed_mm_s.travel,
            plan.retraction_speed_mm_s,
            printer.acceleration_mm_s2.retract,
            wipes_mm_s2,
            asked,
            requested,
            melt,
        )

    parallel_map(wish, halves(len(table)))
    return Requests(asked, requested, melt)


def time_strokes(
    strokes: Strokes,
    plan: Plan,
    printer: Printer,
    ceiling_mm3_s: float,
    moves: MoveTable | None = None,
    first_ceiling_mm3_s: float | None = None,
) -> Timing:
    """Run strokes through the machine's limits. Pure: same inputs, same seconds.

    ``first_ceiling_mm3_s`` is the melt ceiling on the bed, where it is another. ``moves`` are those of :func:`~meanbead.core.estimate.moves.all_moves`, if they are known already.
    """
    table = moves if moves is not None else moves_of(strokes, plan, printer)
    asks = requests_of(strokes, table, plan, printer, ceiling_mm3_s, first_ceiling_mm3_s)
    melt = asks.melt_mm_s
    limits = path_limits(table.delta, asks.speed_mm_s, asks.acceleration_mm_s2, printer)
    plastic = table.kind == Kind.PLASTIC
    # Without corners between plastic no speed is lower, so no move takes longer: the difference is what they cost.
    between_plastic = plastic.copy()
    between_plastic[1:] &= plastic[:-1]
    between_plastic[0] = False
    profile = plan_with_and_without(limits, np.minimum(limits.speed_mm_s, melt), between_plastic)
    cooling = cool_layers(strokes, table, plan, printer, profile.time_s, limits.length_mm)
    area = strokes.area_mm2 * plan.flow_ratio
    area[strokes.is_travel] = 0.0
    peak, asked_own, capped = _by_stroke(
        table.kind,
        table.stroke,
        profile.peak_mm_s,
        profile.time_s,
        cooling.slowing_s,
        limits.speed_mm_s,
        melt,
        len(strokes),
    )
    return Timing(
        strokes=strokes,
        moves=table,
        length_mm=limits.length_mm,
        asked_mm_s=limits.speed_mm_s,
        melt_mm_s=melt,
        move_s=profile.time_s,
        free_s=profile.free_time_s,
        cooling=cooling,
        peak_flow_mm3_s=peak * area,
        asked_flow_mm3_s=asked_own * area,
        capped=capped,
    )


@numba.njit(cache=True, nogil=True)
def _requested(  # type: ignore[no-untyped-def]
    low,
    high,
    delta,
    kind,
    stroke,
    stroke_asked,
    stroke_requested,
    stroke_melt,
    travel,
    pull,
    pull_acceleration,
    wipe_acceleration,
    asked,
    requested,
    melt,
):
    """Speed and acceleration that each move is asked for, and the speed that the melt ceiling allows, (moves,) each."""
    for k in range(low, high):
        melt[k] = np.inf
        if kind[k] == _PLASTIC:
            asked[k], requested[k], melt[k] = (
                stroke_asked[stroke[k]],
                stroke_requested[stroke[k]],
                stroke_melt[stroke[k]],
            )
        elif kind[k] == _TRAVEL:
            asked[k], requested[k] = travel, stroke_requested[stroke[k]]
        elif kind[k] < _LIFT:
            # A wipe pulls at the retraction's pace, however short or long its way.
            path = np.sqrt(delta[k, 0] ** 2 + delta[k, 1] ** 2 + delta[k, 2] ** 2)
            asked[k] = pull * (path / abs(delta[k, 3])) if path > 0 else pull
            requested[k] = wipe_acceleration if path > 0 else pull_acceleration
        else:
            asked[k] = requested[k] = np.inf


@numba.njit(cache=True, nogil=True)
def _by_stroke(kind, stroke, peak, time, cooling, asked, melt, strokes):  # type: ignore[no-untyped-def]
    """Of each stroke's own move: peak speed as slowed for cooling, speed asked for, and whether the melt caps it."""
    out_peak, out_asked, capped = np.zeros(strokes), np.zeros(strokes), np.zeros(strokes, np.bool_)
    for k in range(len(kind)):
        if kind[k] <= _TRAVEL:
            slowed = time[k] / (time[k] + cooling[k]) if time[k] > 0 else 1.0
            out_peak[stroke[k]] = peak[k] * slowed
            out_asked[stroke[k]] = asked[k]
            capped[stroke[k]] = melt[k] < asked[k] * (1 - 1e-9)
    return out_peak, out_asked, capped


def melt_limits_mm_s(
    strokes: Strokes, plan: Plan, ceiling_mm3_s: float, first_ceiling_mm3_s: float | None = None
) -> Floats:
    """Speed at which each stroke's flow reaches the ceiling, shape (n,); infinite for travel."""
    ceiling: Floats | float = ceiling_mm3_s
    if first_ceiling_mm3_s is not None and first_ceiling_mm3_s != ceiling_mm3_s:
        ceiling = np.where(strokes.layers.on_bed[strokes.layer], first_ceiling_mm3_s, ceiling_mm3_s)
    with np.errstate(divide="ignore"):
        limit: Floats = ceiling / (strokes.area_mm2 * plan.flow_ratio)
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
    table[Feature.THIN_WALL] = speeds.outer_wall
    table[Feature.BRIDGE] = speeds.bridge
    table[Feature.SUPPORT] = speeds.support
    table[Feature.SUPPORT_INTERFACE] = speeds.support
    table[Feature.RAFT] = speeds.support
    table[Feature.IRONING] = speeds.ironing
    table[Feature.TRAVEL] = speeds.travel
    asked = table[strokes.feature]
    first = strokes.layers.on_bed[strokes.layer] & ~strokes.is_travel
    asked[first] = np.minimum(asked[first], speeds.first_layer)
    return asked


def set_accelerations_mm_s2(strokes: Strokes, plan: Plan) -> Floats:
    """Acceleration that the plan asks for on each stroke, shape (n,)."""
    table = np.full(len(Feature), float(plan.print_acceleration_mm_s2))
    table[Feature.OUTER_WALL] = plan.outer_wall_acceleration_mm_s2
    table[Feature.THIN_WALL] = plan.outer_wall_acceleration_mm_s2
    table[Feature.INFILL] = plan.infill_acceleration_mm_s2
    table[Feature.TRAVEL] = plan.travel_acceleration_mm_s2
    return table[strokes.feature]


def stronger(printer: Printer, factor: float) -> Printer:
    """The printer with all accelerations and corner allowances times a factor; used to bracket unknown limits."""
    asked, most, corner = printer.acceleration_mm_s2, printer.max_acceleration_mm_s2, printer.corner
    jerk = corner.jerk
    return printer.model_copy(
        update={
            "acceleration_mm_s2": Accelerations.model_construct(
                print=asked.print * factor,
                travel=asked.travel * factor,
                retract=asked.retract * factor,
                wipe=asked.wipe,
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
        infill_acceleration_mm_s2=plan.infill_acceleration_mm_s2 * factor,
        print_acceleration_mm_s2=plan.print_acceleration_mm_s2 * factor,
        travel_acceleration_mm_s2=plan.travel_acceleration_mm_s2 * factor,
    )
