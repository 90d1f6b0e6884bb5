"""Scan G-code text, piece by piece, into rows of moves and events. Compiled; a file of any size takes bounded memory.

Understood: G0 G1 (moves), G2 G3 (arcs by I J or R, cut into chords), G4 (dwell), G10 G11 (firmware retraction), G20 G21
(inches, millimetres), G28, G90 G91, G92, M82 M83, M220 M221 and M204 here; M201 M203 M205, M400, temperatures and
comments are handed on as events with their place in the text. Unknown commands, extended ones (``WORD_WORD KEY=VALUE``)
among them, are counted; malformed lines are reported by number.
"""

from __future__ import annotations

from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray

__all__ = ["SAME_LINE", "Rows", "new_state", "scan"]

MOVE, DWELL, COMMENT, SETTING, MALFORMED, HOME = range(6)

SAME_LINE = b"\x0b"
"""Parts two commands that stand in one line of the file."""

_SAME_LINE = SAME_LINE[0]

CHORD_MM = 0.2
"""Longest chord of an arc: its sagitta stays under 0.005 mm from 1 mm radius on."""

CHORD_RAD = 0.1
"""Largest turn of a chord: together they are shorter than the arc by a twentieth of a percent at most."""

# Places in the scanner's state.
(X, Y, Z, E, FEED, ABSOLUTE, ABSOLUTE_E, FEED_RATIO, FLOW_RATIO, ACC_PRINT, ACC_TRAVEL, ACC_RETRACT, LINE, UNKNOWN) = (
    range(14)
)
PULL_MM, PULL_SPEED, PULLED, UNIT_MM, STORED_FEED_RATIO, ACC_WIPE = 14, 15, 16, 17, 18, 19
STATE_SIZE = 20

_INCH_MM = 25.4


@dataclass(frozen=True)
class Rows:
    """Rows of one piece of text, arrays of length n.

    ``kind`` int8; ``delta`` float64 (n, 4): change of x, y, z, e in mm for moves, the seconds in column 0 for
    dwells, the place after homing in the first three;
    ``speed_mm_s`` set; ``acceleration_mm_s2`` asked for; ``span`` int64 (n, 2): place in the text of comments and
    settings; ``line`` int64.
    """

    kind: NDArray[np.int8]
    delta: NDArray[np.float64]
    speed_mm_s: NDArray[np.float64]
    acceleration_mm_s2: NDArray[np.float64]
    span: NDArray[np.int64]
    line: NDArray[np.int64]


def new_state(
    print_acceleration: float, travel_acceleration: float, retract_acceleration: float, *, wipes_print: bool = True
) -> NDArray[np.float64]:
    """A scanner's state at the start of a file: absolute positions at 0 in millimetres, 20 mm/s. ``wipes_print`` says that
    moves which pull filament back on their way run at the print's acceleration."""
    state = np.zeros(STATE_SIZE)
    state[[FEED, ABSOLUTE, ABSOLUTE_E, FEED_RATIO, FLOW_RATIO]] = [20.0, 1.0, 1.0, 1.0, 1.0]
    state[[ACC_PRINT, ACC_TRAVEL, ACC_RETRACT]] = [print_acceleration, travel_acceleration, retract_acceleration]
    state[[PULL_MM, PULL_SPEED, UNIT_MM, STORED_FEED_RATIO]] = [1.0, 40.0, 1.0, 1.0]
    state[ACC_WIPE] = 1.0 if wipes_print else 0.0
    return state


def scan(text: bytes, state: NDArray[np.float64]) -> Rows:
    """Scan whole lines; ``state`` is carried from piece to piece and changed in place."""
    kind, delta, speed, acceleration, span, line = _scan(np.frombuffer(text, dtype=np.uint8), state)
    return Rows(kind, delta, speed, acceleration, span, line)


@numba.njit(cache=True, nogil=True)
def _number(text, at, end):  # type: ignore[no-untyped-def]
    """The number at a place: (value, place after it, whether there was one)."""
    sign = 1.0
    if at < end and (text[at] == 45 or text[at] == 43):
        if text[at] == 45:
            sign = -1.0
        at += 1
    value = 0.0
    digits = 0
    while at < end and 48 <= text[at] <= 57:
        value = value * 10 + (text[at] - 48)
        digits += 1
        at += 1
    if at < end and text[at] == 46:
        at += 1
        scale = 0.1
        while at < end and 48 <= text[at] <= 57:
            value += (text[at] - 48) * scale
            scale *= 0.1
            digits += 1
            at += 1
    return sign * value, at, digits > 0


@numba.njit(cache=True, nogil=True)
def _bare_words(letter, code):  # type: ignore[no-untyped-def]
    """Whether a command takes words without a number: G28 X, M220 B."""
    return (letter == 71 and code == 28) or (letter == 77 and code == 220)


@numba.njit(cache=True, nogil=True)
def _is_word(c):  # type: ignore[no-untyped-def]
    return c == 95 or 65 <= c <= 90 or 97 <= c <= 122


@numba.njit(cache=True, nogil=True)
def _known(letter, code):  # type: ignore[no-untyped-def]
    """0 unknown; 1 handled by the scanner; 2 handed on as an event; 3 known and without effect on time."""
    if letter == 71:  # G
        if code in (0, 1, 2, 3, 4, 10, 11, 20, 21, 28, 90, 91, 92):
            return 1
        return 3 if code in (17, 29, 80) else 0
    if letter == 77:  # M
        if code in (82, 83, 204, 220, 221, 207):
            return 1
        if code in (201, 203, 205, 104, 109, 140, 190, 400):
            return 2
        return 3 if code in (17, 18, 84, 105, 106, 107, 73, 117) else 0
    return 3 if letter == 84 else 0  # T


@numba.njit(cache=True, nogil=True)
def _scan(text, state):  # type: ignore[no-untyped-def]
    capacity = 4096 + len(text) // 24  # about a line each
    kind = np.empty(capacity, np.int8)
    delta = np.zeros((capacity, 4))
    speed = np.zeros(capacity)
    acceleration = np.zeros(capacity)
    span = np.zeros((capacity, 2), np.int64)
    line = np.zeros(capacity, np.int64)
    used = 0
    size = len(text)
    at = 0
    value = np.zeros(26)
    given = np.zeros(26, np.bool_)
    while at < size:
        end = at
        while end < size and text[end] != 10 and text[end] != _SAME_LINE:
            end += 1
        if at == 0 or text[at - 1] == 10:
            state[LINE] += 1
        stop = end  # where the commands end and a comment begins
        for k in range(at, end):
            if text[k] == 59:
                stop = k
                break
        # Room for a whole arc and what a line may add besides.
        if used + 4 > capacity:
            grown = capacity * 2
            kind = np.concatenate((kind, np.empty(capacity, np.int8)))
            delta = np.concatenate((delta, np.zeros((capacity, 4))))
            speed = np.concatenate((speed, np.zeros(capacity)))
            acceleration = np.concatenate((acceleration, np.zeros(capacity)))
            span = np.concatenate((span, np.zeros((capacity, 2), np.int64)))
            line = np.concatenate((line, np.zeros(capacity, np.int64)))
            capacity = grown
        if stop < end:
            kind[used] = COMMENT
            span[used, 0], span[used, 1] = stop + 1, end
            line[used] = int(state[LINE])
            used += 1
        given[:] = False
        letter = 0
        code = -1
        status = 0
        broken = False
        k = at
        while k < stop:
            c = text[k]
            if c == 32 or c == 9 or c == 13:
                k += 1
                continue
            if c == 42:  # a checksum ends the line
                break
            if c == 40:  # a comment in brackets
                while k < stop and text[k] != 41:
                    k += 1
                k += 1
                continue
            if 97 <= c <= 122:
                c -= 32
            if not 65 <= c <= 90:
                broken = True
                break
            if letter == 0 and k + 1 < stop and _is_word(text[k + 1]):
                letter = c  # an extended command: a word, not a letter and a number
                break
            number, after, found = _number(text, k + 1, stop)
            if letter == 0 and c == 78:  # a line number
                k = after
                continue
            if letter == 0:
                if not found:
                    broken = True
                    break
                letter = c
                code = int(number) if number == int(number) else -1
                status = _known(letter, code)
                k = after
                if status != 1:
                    break
                continue
            if not found and not _bare_words(letter, code):
                broken = True
                break
            value[c - 65] = number
            given[c - 65] = True
            k = after
        if broken:
            kind[used] = MALFORMED
            line[used] = int(state[LINE])
            used += 1
        elif letter and status == 0:
            state[UNKNOWN] += 1
        elif status == 2:
            kind[used] = SETTING
            span[used, 0], span[used, 1] = at, stop
            line[used] = int(state[LINE])
            used += 1
        elif status == 1:
            if letter == 71 and code <= 3:
                unit = state[UNIT_MM]
                if given[5] and value[5] > 0:  # at no speed the last one stands
                    state[FEED] = value[5] * unit / 60
                target = state[0:4].copy()
                for axis in range(3):
                    if given[23 + axis]:
                        way = unit * value[23 + axis]
                        target[axis] = way if state[ABSOLUTE] else state[axis] + way
                if given[4]:
                    target[3] = unit * value[4] if state[ABSOLUTE_E] else state[3] + unit * value[4]
                dx, dy, dz = target[0] - state[0], target[1] - state[1], target[2] - state[2]
                de = (target[3] - state[3]) * state[FLOW_RATIO]
                pieces = 1
                radius, start, sweep, cx, cy = 0.0, 0.0, 0.0, 0.0, 0.0
                if code >= 2:
                    cx = state[0] + (unit * value[8] if given[8] else 0.0)
                    cy = state[1] + (unit * value[9] if given[9] else 0.0)
                    if given[17] and not (given[8] or given[9]):
                        # By radius: the centre lies on the chord's bisector, on the side that the turn asks for.
                        half = np.sqrt(dx * dx + dy * dy) / 2
                        r = unit * value[17]
                        if half > 0 and r != 0:
                            # A radius too small by a hair, or by more, makes the smallest arc there is: half a circle.
                            height = np.sqrt(max(0.0, r * r - half * half)) / (2 * half)
                            side = 1.0 if (code == 3) == (r > 0) else -1.0
                            cx = state[0] + dx / 2 - side * dy * height
                            cy = state[1] + dy / 2 + side * dx * height
                    radius = np.hypot(state[0] - cx, state[1] - cy)
                    if radius > 0:
                        start = np.arctan2(state[1] - cy, state[0] - cx)
                        sweep = np.arctan2(target[1] - cy, target[0] - cx) - start
                        if code == 2 and sweep >= -1e-9:
                            sweep -= 2 * np.pi
                        if code == 3 and sweep <= 1e-9:
                            sweep += 2 * np.pi
                        pieces = max(1, min(100000, int(np.ceil(abs(sweep) * max(radius / CHORD_MM, 1 / CHORD_RAD)))))
                while used + pieces + 2 > capacity:
                    kind = np.concatenate((kind, np.empty(capacity, np.int8)))
                    delta = np.concatenate((delta, np.zeros((capacity, 4))))
                    speed = np.concatenate((speed, np.zeros(capacity)))
                    acceleration = np.concatenate((acceleration, np.zeros(capacity)))
                    span = np.concatenate((span, np.zeros((capacity, 2), np.int64)))
                    line = np.concatenate((line, np.zeros(capacity, np.int64)))
                    capacity *= 2
                moves = dx != 0 or dy != 0 or dz != 0 or pieces > 1
                if moves or de != 0:
                    limit = state[ACC_PRINT] if de > 0 or (de < 0 and state[ACC_WIPE] > 0) else state[ACC_TRAVEL]
                    if not moves:
                        limit = state[ACC_RETRACT]
                    px, py = state[0], state[1]
                    for piece in range(pieces):
                        if pieces > 1:
                            turn = start + sweep * (piece + 1) / pieces
                            qx, qy = cx + radius * np.cos(turn), cy + radius * np.sin(turn)
                            if piece == pieces - 1:
                                qx, qy = target[0], target[1]
                        else:
                            qx, qy = target[0], target[1]
                        kind[used] = MOVE
                        delta[used, 0], delta[used, 1] = qx - px, qy - py
                        delta[used, 2], delta[used, 3] = dz / pieces, de / pieces
                        speed[used] = state[FEED] * state[FEED_RATIO]
                        acceleration[used] = limit
                        line[used] = int(state[LINE])
                        used += 1
                        px, py = qx, qy
                state[0:4] = target
            elif letter == 71 and code == 4:
                seconds = value[18] if given[18] else (value[15] / 1000 if given[15] else 0.0)
                kind[used] = DWELL
                delta[used, 0], delta[used, 1], delta[used, 2], delta[used, 3] = max(0.0, seconds), 0.0, 0.0, 0.0
                line[used] = int(state[LINE])
                used += 1
            elif letter == 71 and (code == 20 or code == 21):
                state[UNIT_MM] = _INCH_MM if code == 20 else 1.0
            elif letter == 71 and (code == 10 or code == 11):
                # With P, L, R, X, Y or Z it sets offsets.
                offsets = given[15] or given[11] or given[17] or given[23] or given[24] or given[25]
                if offsets:
                    at = end + 1
                    continue
                pulled = code == 10
                if pulled != (state[PULLED] > 0):
                    state[PULLED] = 1.0 if pulled else 0.0
                    kind[used] = MOVE
                    delta[used, 0], delta[used, 1], delta[used, 2] = 0.0, 0.0, 0.0
                    delta[used, 3] = -state[PULL_MM] if pulled else state[PULL_MM]
                    speed[used] = state[PULL_SPEED]
                    acceleration[used] = state[ACC_RETRACT]
                    line[used] = int(state[LINE])
                    used += 1
            elif letter == 71 and code == 28:
                some = given[23] or given[24] or given[25]
                for axis in range(3):
                    if given[23 + axis] or not some:
                        state[axis] = 0.0
                kind[used] = HOME
                delta[used, 0], delta[used, 1], delta[used, 2], delta[used, 3] = state[0], state[1], state[2], 0.0
                line[used] = int(state[LINE])
                used += 1
            elif letter == 71 and code == 90:
                state[ABSOLUTE], state[ABSOLUTE_E] = 1.0, 1.0
            elif letter == 71 and code == 91:
                state[ABSOLUTE], state[ABSOLUTE_E] = 0.0, 0.0
            elif letter == 71 and code == 92:
                every = not (given[23] or given[24] or given[25] or given[4])
                for axis in range(3):
                    if given[23 + axis] or every:
                        state[axis] = 0.0 if every else state[UNIT_MM] * value[23 + axis]
                if given[4] or every:
                    state[3] = 0.0 if every else state[UNIT_MM] * value[4]
            elif letter == 77 and code == 82:
                state[ABSOLUTE_E] = 1.0
            elif letter == 77 and code == 83:
                state[ABSOLUTE_E] = 0.0
            elif letter == 77 and code == 204:
                if given[18] and value[18] > 0:
                    state[ACC_PRINT], state[ACC_TRAVEL] = value[18], value[18]
                if given[15] and value[15] > 0:
                    state[ACC_PRINT] = value[15]
                if given[17] and value[17] > 0:
                    state[ACC_RETRACT] = value[17]
                if given[19] and value[19] > 0:
                    state[ACC_TRAVEL] = value[19]
            elif letter == 77 and code == 207:
                if given[18] and value[18] > 0:
                    state[PULL_MM] = state[UNIT_MM] * value[18]
                if given[5] and value[5] > 0:
                    state[PULL_SPEED] = state[UNIT_MM] * value[5] / 60
            elif letter == 77 and code == 220:
                if given[1]:
                    state[STORED_FEED_RATIO] = state[FEED_RATIO]
                if given[17]:
                    state[FEED_RATIO] = state[STORED_FEED_RATIO]
                if given[18] and value[18] > 0:
                    state[FEED_RATIO] = value[18] / 100
            elif letter == 77 and code == 221 and given[18] and value[18] > 0:
                state[FLOW_RATIO] = value[18] / 100
        at = end + 1
    return (
        kind[:used].copy(),
        delta[:used].copy(),
        speed[:used].copy(),
        acceleration[:used].copy(),
        span[:used].copy(),
        line[:used].copy(),
    )
