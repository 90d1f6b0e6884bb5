"""The order of a skin's straight strokes that leaves no visible returns: each beside the one before.

A face is split into cells, runs of strokes each of which has one neighbour on either side (a boustrophedon decomposition). A
cell is laid from one end to the other. After it comes a cell that its last stroke touches; where there is none, one that
begins beside what lies already. So every place where cells meet is met by going on once, and a face with k holes has at
most 2 k places where a stroke comes back to an older edge, one without holes that no line leaves and enters again none.
Reference: Choset, H. and Pignon, P., Coverage path planning: the boustrophedon cellular decomposition, 1998.
"""

from __future__ import annotations

import numba
import numpy as np
from numpy.typing import NDArray

__all__ = ["returns_mm", "sweep"]

_LOOKED_AT = 64
"""Of cells that may come next, so many of the newest are looked at."""

_STARTS_LOOKED_AT = 500
_ROWS_APART = 1.5
"""Strokes further apart than so many pitches are not neighbours."""


@numba.njit(cache=True, nogil=True)
def _pairs(low, high, across, pitch):  # type: ignore[no-untyped-def]
    """All pairs of strokes that lie beside each other, those of the lower row first; strokes sorted by row, then along it."""
    n = len(low)
    one, other = np.empty(2 * n + 2, np.int64), np.empty(2 * n + 2, np.int64)
    used = 0
    here = 0
    while here < n:
        after = here
        while after < n and across[after] - across[here] <= 1e-6:
            after += 1
        end = after
        while end < n and across[end] - across[after] <= 1e-6:
            end += 1
        if after < n and across[after] - across[here] < _ROWS_APART * pitch[here]:
            s, t = here, after
            while s < after and t < end:
                if min(high[s], high[t]) - max(low[s], low[t]) > 1e-6:
                    if used == len(one):
                        more_one, more_other = np.empty(2 * used, np.int64), np.empty(2 * used, np.int64)
                        for k in range(used):
                            more_one[k], more_other[k] = one[k], other[k]
                        one, other = more_one, more_other
                    one[used], other[used] = s, t
                    used += 1
                if high[s] < high[t]:
                    s += 1
                else:
                    t += 1
        here = after
    return one[:used], other[:used]


@numba.njit(cache=True, nogil=True)
def _lists(key, value, used, count):  # type: ignore[no-untyped-def]
    """Values by key: those of key k are ``listed[start[k]:start[k + 1]]``."""
    start = np.zeros(count + 1, np.int64)
    for k in range(used):
        start[key[k] + 1] += 1
    for k in range(count):
        start[k + 1] += start[k]
    place = start.copy()
    listed = np.empty(used, np.int64)
    for k in range(used):
        listed[place[key[k]]] = value[k]
        place[key[k]] += 1
    return start, listed


@numba.njit(cache=True, nogil=True)
def _away(ends, stroke, fixed, x, y):  # type: ignore[no-untyped-def]
    """Squared distance to the end of a stroke at which it would be begun, and whether that is its last."""
    first = (ends[stroke, 0] - x) ** 2 + (ends[stroke, 1] - y) ** 2
    last = (ends[stroke, 2] - x) ** 2 + (ends[stroke, 3] - y) ** 2
    if fixed or first <= last:
        return first, False
    return last, True


@numba.njit(cache=True, nogil=True)
def sweep(ends, low, high, across, pitch, fixed, x, y):  # type: ignore[no-untyped-def]
    """Order (n,) and whether each stroke of it is laid backwards, from a place.

    ``ends`` (n, 4) are x and y of both ends; ``low``, ``high`` where a stroke begins and ends along the direction of all,
    ``across`` where it lies across, ``pitch`` the distance of neighbours: sorted by ``across``, then ``low``. ``fixed`` lays
    every stroke from its first end.
    """
    n = len(low)
    one, other = _pairs(low, high, across, pitch)
    up, down = np.zeros(n, np.int64), np.zeros(n, np.int64)
    for k in range(len(one)):
        up[one[k]] += 1
        down[other[k]] += 1
    above, below = np.full(n, -1, np.int64), np.full(n, -1, np.int64)
    for k in range(len(one)):
        if up[one[k]] == 1 and down[other[k]] == 1:
            above[one[k]], below[other[k]] = other[k], one[k]
    cell = np.empty(n, np.int64)
    first, last = np.empty(n, np.int64), np.empty(n, np.int64)
    cells = 0
    for k in range(n):
        if below[k] < 0:
            cell[k] = cells
            first[cells] = k
            cells += 1
        else:
            cell[k] = cell[below[k]]
        last[cell[k]] = k
    met = 0
    lower, upper = np.empty(len(one), np.int64), np.empty(len(one), np.int64)
    for k in range(len(one)):
        if above[one[k]] != other[k]:
            lower[met], upper[met] = cell[one[k]], cell[other[k]]
            met += 1
    up_start, up_list = _lists(lower, upper, met, cells)
    down_start, down_list = _lists(upper, lower, met, cells)
    laid = np.zeros(cells, np.bool_)
    beside_low, beside_high = np.zeros(cells, np.bool_), np.zeros(cells, np.bool_)
    waiting, queued = np.empty(cells, np.int64), np.zeros(cells, np.bool_)
    waits = 0
    order, backwards = np.empty(n, np.int64), np.zeros(n, np.bool_)
    done, here, upward = 0, -1, True
    next_start = 0
    while done < n:
        best, pick, rising = np.inf, -1, True
        if here >= 0:
            # Go on over the edge that was laid last; a cell of one stroke has both.
            if upward or first[here] == last[here]:
                for k in range(up_start[here], up_start[here + 1]):
                    c = up_list[k]
                    if not laid[c]:
                        d, _ = _away(ends, first[c], fixed, x, y)
                        if d < best:
                            best, pick, rising = d, c, True
            if not upward or first[here] == last[here]:
                for k in range(down_start[here], down_start[here + 1]):
                    c = down_list[k]
                    if not laid[c]:
                        d, _ = _away(ends, last[c], fixed, x, y)
                        if d < best:
                            best, pick, rising = d, c, False
        if pick < 0:
            looked = 0
            k = waits - 1
            while k >= 0 and looked < _LOOKED_AT:
                c = waiting[k]
                if laid[c]:
                    waits -= 1
                    waiting[k] = waiting[waits]
                else:
                    looked += 1
                    if beside_low[c]:
                        d, _ = _away(ends, first[c], fixed, x, y)
                        if d < best:
                            best, pick, rising = d, c, True
                    if beside_high[c]:
                        d, _ = _away(ends, last[c], fixed, x, y)
                        if d < best:
                            best, pick, rising = d, c, False
                k -= 1
        if pick < 0:
            # Nothing lies beside what is left: begin at an edge of it.
            while next_start < cells and laid[next_start]:
                next_start += 1
            looked = 0
            for c in range(next_start, cells):
                if laid[c]:
                    continue
                if down_start[c] == down_start[c + 1]:
                    d, _ = _away(ends, first[c], fixed, x, y)
                    if d < best:
                        best, pick, rising = d, c, True
                if up_start[c] == up_start[c + 1]:
                    d, _ = _away(ends, last[c], fixed, x, y)
                    if d < best:
                        best, pick, rising = d, c, False
                looked += 1
                if looked >= _STARTS_LOOKED_AT and pick >= 0:
                    break
        stroke = first[pick] if rising else last[pick]
        while stroke >= 0:
            order[done] = stroke
            _, backwards[done] = _away(ends, stroke, fixed, x, y)
            leave = 0 if backwards[done] else 2
            x, y = ends[stroke, leave], ends[stroke, leave + 1]
            done += 1
            stroke = above[stroke] if rising else below[stroke]
        laid[pick] = True
        here, upward = pick, rising
        for k in range(up_start[pick], up_start[pick + 1]):
            c = up_list[k]
            beside_low[c] = True
            if not laid[c] and not queued[c]:
                waiting[waits], queued[c] = c, True
                waits += 1
        for k in range(down_start[pick], down_start[pick + 1]):
            c = down_list[k]
            beside_high[c] = True
            if not laid[c] and not queued[c]:
                waiting[waits], queued[c] = c, True
                waits += 1
    return order, backwards


def returns_mm(
    start_xy: NDArray[np.float64], end_xy: NDArray[np.float64], width_mm: NDArray[np.float64], face: NDArray[np.int64]
) -> NDArray[np.float64]:
    """How much of each stroke is laid against an edge that is older than the stroke just before it, mm, shape (n,).

    Strokes in the order in which they are laid, (n, 2) and (n,); those of one ``face`` follow each other and run the same way,
    or the opposite; others count as none.
    """
    step = end_xy - start_xy
    length = np.hypot(step[:, 0], step[:, 1])
    if not len(length):
        return np.zeros(0)
    # The longest stroke of a face says which way it runs.
    longest = np.lexsort((-length, face))
    first = longest[np.r_[True, np.diff(face[longest]) != 0]]
    lead = first[np.searchsorted(face[first], face)]
    along = step[lead] / np.maximum(length[lead], 1e-12)[:, None]
    one, other = np.sum(start_xy * along, axis=1), np.sum(end_xy * along, axis=1)
    side = np.stack([-along[:, 1], along[:, 0]], axis=1)
    across, drift = np.sum(start_xy * side, axis=1), np.abs(np.sum(step * side, axis=1))
    rows = np.flatnonzero(drift <= 0.02 * length + 1e-6)
    rank = rows[np.lexsort((across[rows], face[rows]))]
    low, high = np.minimum(one, other), np.maximum(one, other)
    place = np.arange(len(length))
    found = np.zeros(len(length))
    _contacts(low[rank], high[rank], across[rank], width_mm[rank], face[rank], place[rank], found)
    return found


_LEAST_MM = 0.05
"""Contacts shorter than that are those of corners."""


@numba.njit(cache=True, nogil=True)
def _contacts(low, high, across, width, face, place, found):  # type: ignore[no-untyped-def]
    n = len(low)
    for k in range(n):
        m = k + 1
        while m < n and face[m] == face[k] and across[m] - across[k] < 1.3 * width[k]:
            if across[m] - across[k] > 0.3 * width[k]:
                both = min(high[k], high[m]) - max(low[k], low[m])
                if both > _LEAST_MM and abs(place[k] - place[m]) > 1:
                    found[max(place[k], place[m])] += both
            m += 1
