"""Moves as lines of G-code, written by compiled code into a buffer: some ten million lines a second's share of a Python loop.

Whole numbers all the way: places in tenths of a micrometre (in whole ones, strokes of a few micrometres turn by tens of degrees,
and a machine brakes for such a corner), filament in 10 nanometres, feed in tenths of a millimetre a minute. What is rounded off one line is made up for in the next, so that a file of any length ends where it should.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray

__all__ = ["ACCELERATIONS", "Batch", "LineWriter"]

Ints = NDArray[np.int64]

XY_UNIT, Z_UNIT, E_UNIT, F_UNIT = 1e-4, 1e-4, 1e-5, 0.1
_BYTES_A_MOVE = 160

ACCELERATIONS = {"by_kind": 0, "one": 1, "own": 2}

# Places in the writer's state.
_X, _Y, _Z, _E, _F, _P, _T, _FEATURE = range(8)


@dataclass(frozen=True)
class Batch:
    """Moves one after the other, arrays of length n, in the units above: ``place`` (n, 3), where each ends; ``filament``, all that
    was fed until its end; ``feed``; ``acceleration`` in mm/s2, 0 where none is set; ``travels`` and ``laid`` tell its kind,
    and ``dry`` that no filament belongs to it; ``feature`` is its number, -1 where it has none. ``arc`` is how many moves an arc begins here of, signed by its turn, with its
    ``centre`` (n, 2) as seen from the place before, and ``arc_feed``."""

    place: Ints
    filament: Ints
    feed: Ints
    acceleration: Ints
    travels: NDArray[np.bool_]
    laid: NDArray[np.bool_]
    dry: NDArray[np.bool_]
    feature: Ints
    arc: Ints
    centre: Ints
    arc_feed: Ints


class LineWriter:
    """Writes batches, and remembers where the last one ended. ``names`` are the features' names by number."""

    def __init__(self, names: Sequence[str], accelerations: int) -> None:
        encoded = [f"; feature: {name}\n".encode() for name in names]
        self._names = np.zeros((len(encoded), max(len(name) for name in encoded)), np.uint8)
        self._lengths = np.array([len(name) for name in encoded])
        for number, name in enumerate(encoded):
            self._names[number, : len(name)] = np.frombuffer(name, np.uint8)
        self._accelerations = accelerations
        self._state = np.full(8, -1, np.int64)
        self._state[_X : _E + 1] = np.iinfo(np.int64).min  # nothing is known: everything is written out
        self._state[_E] = 0
        self._buffer = np.empty(0, np.uint8)

    def at(self, place: Ints, filament: int) -> None:
        """The nozzle is known to be somewhere, with so much fed until now."""
        self._state[:3] = place
        self._state[_E] = filament

    def forget(self) -> None:
        """Other lines came in between: place, feed and accelerations are written out again."""
        self._state[_X : _Z + 1] = np.iinfo(np.int64).min
        self._state[_F] = self._state[_P] = self._state[_T] = -1

    def write(self, batch: Batch, first: int, last: int) -> bytes:
        """The lines of moves from ``first`` up to below ``last``."""
        need = (last - first) * (_BYTES_A_MOVE + self._names.shape[1])
        if len(self._buffer) < need:
            self._buffer = np.empty(need, np.uint8)
        used = _write(
            first,
            last,
            batch.place,
            batch.filament,
            batch.feed,
            batch.acceleration,
            batch.travels,
            batch.laid,
            batch.dry,
            batch.feature,
            batch.arc,
            batch.centre,
            batch.arc_feed,
            self._names,
            self._lengths,
            self._accelerations,
            self._state,
            self._buffer,
        )
        return self._buffer[:used].tobytes()


@numba.njit(cache=True, nogil=True)
def _number(buffer, at, value, decimals):  # type: ignore[no-untyped-def]
    """A whole number of units as a decimal number, without zeros at its end; returns the place after it."""
    if value < 0:
        buffer[at] = 45
        at += 1
        value = -value
    while decimals > 0 and value % 10 == 0:
        value //= 10
        decimals -= 1
    digits = 1
    rest = value // 10
    while rest > 0:
        digits += 1
        rest //= 10
    digits = max(digits, decimals + 1)
    width = digits + (1 if decimals > 0 else 0)
    place = at + width - 1
    for number in range(digits):
        if decimals > 0 and number == decimals:
            buffer[place] = 46
            place -= 1
        buffer[place] = 48 + value % 10
        value //= 10
        place -= 1
    return at + width


@numba.njit(cache=True, nogil=True)
def _word(buffer, at, letter, value, decimals):  # type: ignore[no-untyped-def]
    buffer[at] = 32
    buffer[at + 1] = letter
    return _number(buffer, at + 2, value, decimals)


@numba.njit(cache=True, nogil=True)
def _accelerate(buffer, at, letter, value):  # type: ignore[no-untyped-def]
    """``M204 P800``"""
    for c in (77, 50, 48, 52):
        buffer[at] = c
        at += 1
    at = _word(buffer, at, letter, value, 0)
    buffer[at] = 10
    return at + 1


@numba.njit(cache=True, nogil=True)
def _write(  # type: ignore[no-untyped-def]
    first,
    last,
    place,
    filament,
    feed,
    acceleration,
    travels,
    laid,
    dry,
    feature,
    arc,
    centre,
    arc_feed,
    names,
    lengths,
    accelerations,
    state,
    buffer,
):
    at = 0
    k = first
    while k < last:
        count = arc[k] if arc[k] > 0 else -arc[k]
        if count > last - k:  # cut off here: written as it is
            count = 0
        end = k if count == 0 else k + count - 1
        x, y, z = place[end, 0], place[end, 1], place[end, 2]
        e = state[_E] if dry[k] else filament[end]
        moves = x != state[_X] or y != state[_Y] or z != state[_Z] or count > 0
        if not moves and (laid[k] or e == state[_E]):
            k = end + 1
            continue  # less than a unit: made up for in the next
        if laid[k] and feature[k] != state[_FEATURE]:
            state[_FEATURE] = feature[k]
            for number in range(lengths[feature[k]]):
                buffer[at] = names[feature[k], number]
                at += 1
        wanted = acceleration[k]
        if wanted > 0 and accelerations == 0:
            if travels[k]:
                if wanted != state[_T]:
                    state[_T] = wanted
                    at = _accelerate(buffer, at, 84, wanted)
            elif wanted != state[_P]:
                state[_P] = wanted
                at = _accelerate(buffer, at, 80, wanted)
        elif wanted > 0 and accelerations == 1 and wanted != state[_P]:
            state[_P] = wanted
            at = _accelerate(buffer, at, 83, wanted)
        buffer[at] = 71  # G
        buffer[at + 1] = 48 if travels[k] else (49 if count == 0 else (51 if arc[k] > 0 else 50))
        at += 2
        if x != state[_X] or count > 0:
            at = _word(buffer, at, 88, x, 4)
        if y != state[_Y] or count > 0:
            at = _word(buffer, at, 89, y, 4)
        if z != state[_Z]:
            at = _word(buffer, at, 90, z, 4)
        if count > 0:
            at = _word(buffer, at, 73, centre[k, 0], 4)
            at = _word(buffer, at, 74, centre[k, 1], 4)
        if e != state[_E]:
            at = _word(buffer, at, 69, e - state[_E], 5)
        pace = feed[k] if count == 0 else arc_feed[k]
        if pace != state[_F]:
            at = _word(buffer, at, 70, pace, 1)
        buffer[at] = 10
        at += 1
        state[_X], state[_Y], state[_Z], state[_E], state[_F] = x, y, z, e, pace
        k = end + 1
    return at
