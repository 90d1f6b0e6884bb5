"""From strokes to everything that the machine does: retraction, wipe, lifts and layer changes as moves of their own."""

from __future__ import annotations

from dataclasses import dataclass
from enum import IntEnum

import numba
import numpy as np
from numpy.typing import NDArray

from meanbead.core.formulas.bead import filament_area_mm2
from meanbead.core.model.plan import Plan
from meanbead.core.model.printer import Printer
from meanbead.core.strokes.stage import Remembered, StageInputs
from meanbead.core.strokes.table import Strokes

__all__ = ["CLEAR_MM", "Kind", "MoveInputs", "MoveTable", "all_moves", "moves_of"]

Floats = NDArray[np.float64]

NOTHING_MM = 1e-6
"""A lift or wipe so short is none: no motor makes it, and its direction cannot be told."""


CLEAR_MM = 2.0
"""How far the nozzle clears a finished piece on its way to the next: what a curled corner may stand up."""


class Kind(IntEnum):
    """What a move is."""

    PLASTIC = 0
    TRAVEL = 1
    RETRACT = 2
    PRIME = 3
    LIFT = 4
    LAYER = 5


_PLASTIC, _TRAVEL, _RETRACT, _PRIME, _LIFT, _LAYER = (int(kind) for kind in Kind)


@dataclass(frozen=True)
class MoveTable:
    """Every move in order, arrays of length n: ``delta`` float64 (n, 4), change of x, y, z and filament, mm;
    ``kind`` uint8 (:class:`Kind`); ``stroke`` int64, the stroke that it belongs to."""

    delta: Floats
    kind: NDArray[np.uint8]
    stroke: NDArray[np.int64]

    def __len__(self) -> int:
        return len(self.kind)

    @property
    def nbytes(self) -> int:
        """Memory that the arrays take, bytes."""
        return self.delta.nbytes + self.kind.nbytes + self.stroke.nbytes


@dataclass(frozen=True)
class MoveInputs(StageInputs):
    """What moves depend on: the strokes, how much filament they lay, and how travels are made."""

    strokes: Remembered[Strokes]
    flow_ratio: float
    filament_diameter_mm: float
    spiral: bool
    retraction_mm: float
    min_travel_mm: float
    z_hop_mm: float
    wipe_mm: float

    @classmethod
    def of(cls, strokes: Remembered[Strokes], plan: Plan, printer: Printer) -> MoveInputs:
        """What moves read of a plan and a machine."""
        return cls(
            strokes,
            plan.flow_ratio,
            printer.filament_diameter_mm,
            plan.shape.spiral,
            plan.retraction_mm,
            plan.min_travel_mm,
            plan.z_hop_mm,
            plan.wipe_mm,
        )


def moves_of(strokes: Strokes, plan: Plan, printer: Printer) -> MoveTable:
    """:func:`all_moves` of strokes that nothing remembers."""
    return all_moves(MoveInputs.of(Remembered(None, strokes), plan, printer))


def _pulled(strokes: Strokes, inputs: MoveInputs) -> NDArray[np.bool_]:
    """True for travels before which filament is pulled back, shape (n,)."""
    pulled: NDArray[np.bool_] = strokes.is_travel & ~strokes.inside & (strokes.length_mm > inputs.min_travel_mm)
    return pulled if inputs.retraction_mm > 0 else np.zeros(len(strokes), dtype=bool)


def all_moves(inputs: MoveInputs) -> MoveTable:
    """Strokes with their retractions (and wipes), lifts and layer changes.

    A retracted travel is: pull back, lift, travel, lower, push forward. With a wipe the pull happens on the way back
    along the stroke just laid, by at most that stroke's length, and the travel starts from there. A layer change rises
    after the pull and before the travel. Where strokes of layers in between are missing (a sample of layers), it rises
    by its own height only. Where the next layer lies lower, as that of the next copy does one after the other, the
    nozzle first rises by :data:`CLEAR_MM` above the finished piece, and comes down where it arrives.
    """
    strokes = inputs.strokes.value
    filament = strokes.area_mm2 * strokes.length_mm * inputs.flow_ratio / filament_area_mm2(inputs.filament_diameter_mm)
    filament[strokes.is_travel] = 0.0
    count = len(strokes.layers)
    spiral = np.zeros(count)
    if inputs.spiral:
        # A turn of the spiral rises by its layer's height along its way.
        turn_mm = np.bincount(
            strokes.layer, weights=np.where(strokes.is_travel, 0.0, strokes.length_mm), minlength=count
        )
        above = np.arange(count) > strokes.spiral_from
        spiral[above] = strokes.layers.height_mm[above] / np.maximum(turn_mm[above], 1e-9)
    rise = np.diff(strokes.layers.top_mm, prepend=0.0)
    return MoveTable(
        *_expand(
            strokes.start_xy,
            strokes.end_xy,
            filament,
            strokes.layer,
            rise,
            spiral,
            strokes.is_travel,
            _pulled(strokes, inputs),
            inputs.retraction_mm,
            inputs.z_hop_mm if inputs.z_hop_mm > NOTHING_MM else 0.0,
            inputs.wipe_mm if inputs.wipe_mm > NOTHING_MM else 0.0,
        )
    )


@numba.njit(cache=True, nogil=True)
def _expand(start, end, filament, layer, rise, spiral, travels, pulled, retraction, hop, wipe):  # type: ignore[no-untyped-def]
    n = len(filament)
    rows = n + 2 * int(np.sum(pulled)) * (2 if hop > 0 else 1)
    for k in range(1, n):
        if layer[k] != layer[k - 1]:
            rows += 2
    delta = np.zeros((rows, 4))
    kind = np.empty(rows, np.uint8)
    stroke = np.empty(rows, np.int64)
    used = 0
    for k in range(n):
        x, y = start[k, 0], start[k, 1]
        if pulled[k]:
            # Of a sample of layers the stroke before may be one of another place: nothing to go back along.
            joins = k > 0 and abs(end[k - 1, 0] - x) + abs(end[k - 1, 1] - y) < 1e-6
            bx, by = start[k - 1, 0] - x, start[k - 1, 1] - y
            back = np.sqrt(bx * bx + by * by)
            if wipe > 0 and joins and back > 1e-6 and not travels[k - 1]:
                share = min(1.0, wipe / back)
                delta[used, 0], delta[used, 1] = bx * share, by * share
                x += bx * share
                y += by * share
            delta[used, 3] = -retraction
            kind[used], stroke[used] = _RETRACT, k
            used += 1
            if hop > 0:
                delta[used, 2] = hop
                kind[used], stroke[used] = _LIFT, k
                used += 1
        climb = spiral[layer[k]]
        down = 0.0
        if k > 0 and layer[k] != layer[k - 1] and climb == 0:
            up = rise[layer[k]]
            if up <= 0:
                up, down = CLEAR_MM, CLEAR_MM - up
            delta[used, 2] = up
            kind[used], stroke[used] = _LAYER, k
            used += 1
        delta[used, 0], delta[used, 1] = end[k, 0] - x, end[k, 1] - y
        delta[used, 3] = filament[k]
        if climb > 0 and not travels[k]:
            delta[used, 2] = climb * np.sqrt((end[k, 0] - start[k, 0]) ** 2 + (end[k, 1] - start[k, 1]) ** 2)
        kind[used] = _TRAVEL if travels[k] else _PLASTIC
        stroke[used] = k
        if delta[used, 0] == 0 and delta[used, 1] == 0:
            delta[used, 0] = 1e-9
        used += 1
        if down > 0:
            delta[used, 2] = -down
            kind[used], stroke[used] = _LAYER, k
            used += 1
        if pulled[k]:
            if hop > 0:
                delta[used, 2] = -hop
                kind[used], stroke[used] = _LIFT, k
                used += 1
            delta[used, 3] = retraction
            kind[used], stroke[used] = _PRIME, k
            used += 1
    return delta[:used], kind[:used], stroke[:used]
