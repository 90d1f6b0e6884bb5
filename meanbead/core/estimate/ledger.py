"""The ledger by cause: what each second of printing goes to. One rule, for plans, single strokes and replayed files."""

from __future__ import annotations

from enum import IntEnum

import numba
import numpy as np
from numpy.typing import NDArray

from meanbead.core.estimate.moves import Kind

__all__ = ["CAUSES", "Cause", "dominant_cause", "split_seconds", "sum_causes"]

Floats = NDArray[np.float64]


class Cause(IntEnum):
    """What can hold a second of printing. The numbers are columns of arrays; the lower-case names are the contract's."""

    AT_SET_SPEED = 0
    MELT_CEILING = 1
    RAMPS = 2
    CORNERS = 3
    LAYER_COOLING = 4
    TRAVELLING = 5
    RETRACTING = 6
    Z_AND_LAYER_CHANGE = 7


CAUSES: tuple[str, ...] = tuple(cause.name.lower() for cause in Cause)

_COUNT = len(Cause)
_AT_SET_SPEED, _MELT, _RAMPS, _CORNERS, _COOLING, _TRAVELLING, _RETRACTING, _LIFTING = (int(cause) for cause in Cause)
_PLASTIC, _TRAVEL, _LIFT = int(Kind.PLASTIC), int(Kind.TRAVEL), int(Kind.LIFT)


@numba.njit(cache=True, nogil=True)
def split_seconds(kind, length, asked, melt, move_s, free_s, cooling_s, row):  # type: ignore[no-untyped-def]
    """Add one move's seconds to the causes, ``row`` (causes,).

    Of a move with plastic: its ``length`` at the speed ``asked`` for; what the ``melt`` ceiling's speed adds to that; what
    corners add to ``free_s``, its time without them; what slowing for cooling adds; and the rest, which is speeding up and
    slowing down. Any other move counts whole for what it is.
    """
    if kind == _PLASTIC:
        set_s = length / asked
        melt_s = length / min(asked, melt) - set_s
        corner_s = move_s - free_s
        row[_AT_SET_SPEED] += set_s
        row[_MELT] += melt_s
        row[_RAMPS] += move_s - set_s - melt_s - corner_s
        row[_CORNERS] += corner_s
    else:
        row[_TRAVELLING if kind == _TRAVEL else _RETRACTING if kind < _LIFT else _LIFTING] += move_s
    row[_COOLING] += cooling_s


@numba.njit(cache=True, nogil=True)
def sum_causes(kind, length, asked, melt, move_s, free_s):  # type: ignore[no-untyped-def]
    """Seconds of a path by cause, (causes,), from arrays along its moves; nothing is slowed for cooling."""
    row = np.zeros(_COUNT)
    for k in range(len(kind)):
        split_seconds(kind[k], length[k], asked[k], melt[k], move_s[k], free_s[k], 0.0, row)
    return row


@numba.njit(cache=True, nogil=True)
def dominant_cause(kind, length, asked, melt, move_s, free_s, cooling_s):  # type: ignore[no-untyped-def]
    """The cause that takes most of each move, uint8 (n,), and its seconds, (n,)."""
    cause, most = np.zeros(len(kind), np.uint8), np.zeros(len(kind))
    row = np.zeros(_COUNT)
    for k in range(len(kind)):
        row[:] = 0.0
        split_seconds(kind[k], length[k], asked[k], melt[k], move_s[k], free_s[k], cooling_s[k], row)
        for number in range(_COUNT):
            if row[number] > most[k]:
                most[k], cause[k] = row[number], number
    return cause, most
