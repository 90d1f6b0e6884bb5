"""Seconds of strokes: speeds asked for, the melt ceiling, look-ahead over every move, and the wait for cooling."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from meanbead.core.estimate.moves import Kind, MoveTable, all_moves
from meanbead.core.motion.limits import (
    acceleration_limits_mm_s2,
    corner_limits_mm_s,
    motor_shares,
    speed_limits_mm_s,
)
from meanbead.core.motion.lookahead import Moves, plan_speeds
from meanbead.core.resolve import Plan
from meanbead.core.strokes.features import Feature
from meanbead.core.strokes.table import Strokes
from meanbead.core.vocabulary.printer import Accelerations, AxisAccelerationsMmS2, AxisJerksMmS, Printer

Floats = NDArray[np.float64]

CAUSES = (
    "at_set_speed",
    "melt_ceiling",
    "ramps",
    "corners",
    "layer_cooling",
    "travelling",
    "retracting",
    "z_and_layer_change",
)
"""What can hold a second of printing; the ledger by cause has one column for each."""


@dataclass(frozen=True)
class Timing:
    """Seconds and flows.

    Along the moves, (m,): ``move_s`` as planned; ``set_s`` at the speed asked for, without ramps; ``melt_s`` that the
    melt ceiling costs; ``corner_s`` that corners cost; ``cooling_s`` added by slowing for the layer time. Along the
    layers: ``wait_s``, waiting when even the least speed is too fast. Along the strokes, (n,): ``peak_flow_mm3_s``
    reached, ``asked_flow_mm3_s`` that the set speed would need, ``capped`` where the ceiling held it back.
    """

    strokes: Strokes
    moves: MoveTable
    move_s: Floats
    set_s: Floats
    melt_s: Floats
    corner_s: Floats
    cooling_s: Floats
    wait_s: Floats
    peak_flow_mm3_s: Floats
    asked_flow_mm3_s: Floats
    capped: NDArray[np.bool_]

    @cached_property
    def print_time_s(self) -> float:
        """The whole print, s, without heat-up and start routine."""
        return float(self.move_s.sum() + self.cooling_s.sum() + self.wait_s.sum())

    @property
    def pulled_strokes(self) -> NDArray[np.int64]:
        """The travels before which filament is pulled back, int64 (retractions,)."""
        pulled: NDArray[np.int64] = self.moves.stroke[self.moves.kind == Kind.RETRACT]
        return pulled

    def by_feature_s(self) -> Floats:
        """Seconds of each layer and feature, float64 (layers, features + 1); the last column is waiting.

        Retraction, lifts and layer changes stand under travel.
        """
        layers, count = len(self.strokes.layers), len(Feature)
        feature = np.where(
            self.moves.kind == Kind.PLASTIC, self.strokes.feature[self.moves.stroke], np.uint8(Feature.TRAVEL)
        ).astype(np.int64)
        cell = self.strokes.layer[self.moves.stroke].astype(np.int64) * count + feature
        table = np.bincount(cell, weights=self.move_s + self.cooling_s, minlength=layers * count)
        return np.column_stack([table.reshape(layers, count), self.wait_s])

    def by_cause_s(self) -> Floats:
        """Seconds of each layer and cause, float64 (layers, causes), in the order of :data:`CAUSES`."""
        layers = len(self.strokes.layers)
        layer = self.strokes.layer[self.moves.stroke]
        kind = self.moves.kind
        plastic = kind == Kind.PLASTIC

        def total(seconds: Floats) -> Floats:
            return np.asarray(np.bincount(layer, weights=seconds, minlength=layers), dtype=np.float64)

        ramps = self.move_s - self.set_s - self.melt_s - self.corner_s
        columns = [total(np.where(plastic, part, 0.0)) for part in (self.set_s, self.melt_s, ramps, self.corner_s)]
        columns.append(total(self.cooling_s) + self.wait_s)
        columns.extend(
            total(np.where(np.isin(kind, kinds), self.move_s, 0.0))
            for kinds in ((Kind.TRAVEL,), (Kind.RETRACT, Kind.PRIME), (Kind.LIFT, Kind.LAYER))
        )
        return np.column_stack(columns)


def time_strokes(strokes: Strokes, plan: Plan, printer: Printer, ceiling_mm3_s: float) -> Timing:
    """Run strokes through the machine's limits. Pure: same inputs, same seconds."""
    table = all_moves(strokes, plan, printer)
    kind, stroke = table.kind, table.stroke
    plastic = kind == Kind.PLASTIC
    path = np.sqrt(np.einsum("ij,ij->i", table.delta[:, :3], table.delta[:, :3]))
    length = np.where(path > 0, path, np.abs(table.delta[:, 3]))
    unit = table.delta / length[:, None]
    shares = motor_shares(unit, printer)
    axis_speed = speed_limits_mm_s(shares, printer)
    # A wipe pulls at the retraction's pace, however short or long its way.
    with np.errstate(divide="ignore"):
        pull_speed = plan.retraction_speed_mm_s / np.abs(unit[:, 3])
    asked = np.choose(
        np.minimum(kind, Kind.LIFT),
        [
            set_speeds_mm_s(strokes, plan)[stroke],
            np.full(len(table), plan.speed_mm_s.travel),
            pull_speed,
            pull_speed,
            np.full(len(table), np.inf),
        ],
    )
    asked = np.minimum(asked, axis_speed)
    melt = np.where(plastic, melt_limits_mm_s(strokes, plan, ceiling_mm3_s)[stroke], np.inf)
    speed = np.minimum(asked, melt)
    wanted = np.where(
        (kind == Kind.RETRACT) | (kind == Kind.PRIME),
        printer.acceleration_mm_s2.retract,
        set_accelerations_mm_s2(strokes, plan)[stroke],
    )
    wanted[kind >= Kind.LIFT] = np.inf
    acceleration = np.minimum(wanted, acceleration_limits_mm_s2(shares, printer))
    halt = np.zeros(len(table), dtype=bool)
    halt[0] = True
    corner, stop = corner_limits_mm_s(unit, shares, acceleration, halt, printer)
    moves = Moves(length, unit, speed, acceleration, halt)
    profile = plan_speeds(moves, corner, stop)
    # Without corners between plastic no speed is lower, so no move takes longer: the difference is what they cost.
    between_plastic = plastic.copy()
    between_plastic[1:] &= plastic[:-1]
    between_plastic[0] = False
    free_s = plan_speeds(moves, np.where(between_plastic, np.inf, corner), stop).time_s

    set_s = length / asked
    move_s = profile.time_s
    cooling_s, wait_s = _cooling(strokes, table, plan, move_s, length)
    slowed = move_s / (move_s + cooling_s)
    area = strokes.area_mm2 * plan.flow_ratio
    area[strokes.is_travel] = 0.0
    # Each stroke's own move: the only one of its kind.
    own = np.flatnonzero(kind <= Kind.TRAVEL)
    return Timing(
        strokes=strokes,
        moves=table,
        move_s=move_s,
        set_s=set_s,
        melt_s=length / speed - set_s,
        corner_s=np.where(plastic, move_s - free_s, 0.0),
        cooling_s=cooling_s,
        wait_s=wait_s,
        peak_flow_mm3_s=(profile.peak_mm_s * slowed)[own] * area,
        asked_flow_mm3_s=asked[own] * area,
        capped=(melt < asked * (1 - 1e-9))[own],
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
    table[Feature.TRAVEL] = plan.travel_acceleration_mm_s2
    return table[strokes.feature]


def _cooling(
    strokes: Strokes, moves: MoveTable, plan: Plan, move_s: Floats, length_mm: Floats
) -> tuple[Floats, Floats]:
    """Slow the plastic of layers that end too soon, down to the least speed, then wait. Layers on the bed are not slowed.

    Slowing is taken as a common factor on the layer's seconds under plastic.
    """
    count = len(strokes.layers)
    layer = strokes.layer[moves.stroke]
    plastic = moves.kind == Kind.PLASTIC
    laying = np.where(plastic, move_s, 0.0)
    per_layer = np.bincount(layer, weights=move_s, minlength=count)
    plastic_s = np.bincount(layer, weights=laying, minlength=count)
    slowest_s = np.bincount(
        layer,
        weights=np.where(plastic, np.maximum(move_s, length_mm / plan.min_speed_mm_s), 0.0),
        minlength=count,
    )
    short = np.maximum(0.0, plan.min_layer_time_s - per_layer)
    short[strokes.layers.on_bed] = 0.0
    short[plastic_s <= 0] = 0.0
    slowing = np.minimum(short, np.maximum(0.0, slowest_s - plastic_s))
    factor = np.divide(slowing, plastic_s, out=np.zeros(count), where=plastic_s > 0)
    added: Floats = laying * factor[layer]
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
