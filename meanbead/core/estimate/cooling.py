"""What the least layer time costs: layers that end too soon are slowed, or waited for, or waited for aside."""

from __future__ import annotations

from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray

from meanbead.core.estimate.moves import Kind, MoveTable
from meanbead.core.formulas.cooling import slowed_s
from meanbead.core.model.plan import Plan
from meanbead.core.model.printer import Printer
from meanbead.core.motion.lookahead import straight_move_time_s
from meanbead.core.strokes.table import Strokes

__all__ = ["ASIDE_LIFT_MM", "ASIDE_MM", "Cooling", "aside_s", "cool_layers"]

Floats = NDArray[np.float64]

_PLASTIC = int(Kind.PLASTIC)

ASIDE_MM = 20.0
"""How far the nozzle goes aside to wait for a short layer: clear of most small parts."""

ASIDE_LIFT_MM = 2.0
"""How far it is lifted on the way there and back."""


@dataclass(frozen=True)
class Cooling:
    """What the least layer time costs. ``slowing_s`` (moves,) is added under plastic; along the layers, ``wait_s`` is
    waiting, ``aside_s`` float64 (layers, 3) the way aside and back: travelling, retracting, lifting; ``short`` is True
    where a layer still ends too soon."""

    slowing_s: Floats
    wait_s: Floats
    aside_s: Floats
    short: NDArray[np.bool_]

    @property
    def aside(self) -> NDArray[np.bool_]:
        """True for layers after which the nozzle goes aside, bool (layers,)."""
        goes: NDArray[np.bool_] = self.aside_s[:, 0] > 0
        return goes


def cool_layers(
    strokes: Strokes, moves: MoveTable, plan: Plan, printer: Printer, move_s: Floats, length_mm: Floats
) -> Cooling:
    """Slow the plastic of layers that end too soon, down to the least speed; then wait, if the recipe says so. Layers on
    the bed are not slowed.

    Slowing is taken as a common factor on the layer's seconds under plastic. Lifted aside, the way there and back is
    part of the time that is waited out.
    """
    count = len(strokes.layers)
    per_layer, plastic_s, slowest_s = _layer_seconds(
        strokes.layer, moves.kind, moves.stroke, move_s, length_mm, plan.min_speed_mm_s, count
    )
    least_s = np.where(strokes.layers.on_bed, 0.0, plan.min_layer_time_s)
    slowing, rest = slowed_s(per_layer, plastic_s, slowest_s, least_s)
    factor = np.divide(slowing, plastic_s, out=np.zeros(count), where=plastic_s > 0)
    too_short = rest > 1e-6
    wait, aside = np.zeros(count), np.zeros((count, 3))
    if plan.short_layers == "wait":
        wait = rest
    elif plan.short_layers == "lift_and_wait":
        aside[too_short] = aside_s(plan, printer)
        wait = np.maximum(0.0, rest - aside.sum(axis=1))
    added = _slowed(strokes.layer, moves.kind, moves.stroke, move_s, factor) if slowing.any() else np.zeros(len(moves))
    return Cooling(added, wait, aside, too_short)


def aside_s(plan: Plan, printer: Printer) -> tuple[float, float, float]:
    """Seconds of the way aside and back: travelling, retracting, lifting. Each move runs from rest to rest; what the
    axes allow bounds it, as everywhere."""
    top, most = printer.max_speed_mm_s, printer.max_acceleration_mm_s2
    travel = straight_move_time_s(
        ASIDE_MM, min(plan.speed_mm_s.travel, top.x), min(plan.travel_acceleration_mm_s2, most.x)
    )
    pull = straight_move_time_s(
        plan.retraction_mm,
        min(plan.retraction_speed_mm_s, top.e),
        min(printer.acceleration_mm_s2.retract, most.e),
    )
    lift = straight_move_time_s(max(ASIDE_LIFT_MM, plan.z_hop_mm), top.z, most.z)
    return 2 * travel, 2 * pull, 2 * lift


@numba.njit(cache=True, nogil=True)
def _layer_seconds(layer, kind, stroke, move_s, length, least_speed, count):  # type: ignore[no-untyped-def]
    """Seconds of each layer: all, under plastic, and under plastic at the least speed."""
    whole, plastic, slowest = np.zeros(count), np.zeros(count), np.zeros(count)
    for k in range(len(kind)):
        at = layer[stroke[k]]
        whole[at] += move_s[k]
        if kind[k] == _PLASTIC:
            plastic[at] += move_s[k]
            slowest[at] += max(move_s[k], length[k] / least_speed)
    return whole, plastic, slowest


@numba.njit(cache=True, nogil=True)
def _slowed(layer, kind, stroke, move_s, factor):  # type: ignore[no-untyped-def]
    added = np.zeros(len(kind))
    for k in range(len(kind)):
        if kind[k] == _PLASTIC:
            added[k] = move_s[k] * factor[layer[stroke[k]]]
    return added
