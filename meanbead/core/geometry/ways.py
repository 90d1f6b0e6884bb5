"""Ways within a region: whether a straight one stays in it, and which one goes round what is in between.

Compiled, on the edges of the region's rings and a grid of cells that says which edges lie where.
"""

from __future__ import annotations

from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray

from meanbead.core.runtime.alike import ranges
from meanbead.core.runtime.parallel import parallel_map

__all__ = ["Edges", "Ways", "edges_of", "find_ways", "find_ways_in"]

Floats = NDArray[np.float64]
Whole = NDArray[np.int64]

MOST_CORNERS = 4000
"""A way round more corners than that is not looked for."""

MOST_RAW = 3.0
"""Along the rings a way round may be so many times longer than what is allowed, or already found, when it is pulled tight: what
is longer still hardly becomes short."""

MOST_PROBES = 50_000
"""So many lines are tried in one region; beyond, only straight ways are looked for, so that no outline takes for ever."""


@dataclass(frozen=True)
class Edges:
    """The edges of loops: ``points`` (n, 2), edge k from point k to point ``follows[k]``; ``ring`` its ring,
    ``along_mm`` how far its first point lies along it, ``ring_mm`` (rings,) how long each is, ``first`` (rings + 1,) their
    first points; the grid: ``low`` its corner, ``cell_mm``, ``shape`` (columns, rows), and the edges of cell c are
    ``member[start[c]:start[c + 1]]``."""

    points: Floats
    follows: Whole
    ring: Whole
    along_mm: Floats
    ring_mm: Floats
    first: Whole
    low: Floats
    cell_mm: float
    shape: tuple[int, int]
    start: Whole
    member: Whole


@dataclass(frozen=True)
class Ways:
    """Ways asked for: ``found`` int8 (n,): 0 none, 1 the straight one stays within, 2 a way round, whose corners between both
    ends are ``corners[offsets[k]:offsets[k + 1]]``."""

    found: NDArray[np.int8]
    offsets: Whole
    corners: Floats


def edges_of(points: Floats, offsets: Whole, outward_mm: float) -> Edges:
    """The edges of loops, made ready for :func:`find_ways`: loop i is ``points[offsets[i]:offsets[i + 1]]``, its first point
    not repeated. Each edge is moved outward a little, so that what ends on a loop ends within.

    Loops have what is within on their right, as insets are wound (see :func:`~meanbead.core.geometry.offsets.inset`). A place is
    within where an odd number of loops goes round it.
    """
    return Edges(*_gridded(np.ascontiguousarray(points), np.asarray(offsets, dtype=np.int64), outward_mm))


def find_ways(edges: Edges, ends: Floats, most_times: float) -> Ways:
    """Ways between pairs of places, ``ends`` (n, 4), within a region, none longer than ``most_times`` the straight one.

    A way round follows the rings that the straight one crosses, the shorter way of each, and is then pulled tight: from each
    corner it goes straight to the farthest that it sees. Where one ring is in between, both ways round it are tried.
    """
    if not len(edges.points) or not len(ends):
        return Ways(np.zeros(len(ends), np.int8), np.zeros(len(ends) + 1, np.int64), np.empty((0, 2)))
    e = edges
    rings = (e.points, e.follows, e.ring, e.along_mm, e.ring_mm, e.first)
    grid = (e.low, e.cell_mm, e.shape[0], e.shape[1], e.start, e.member)
    return Ways(*_find(*rings, *grid, np.ascontiguousarray(ends), float(most_times)))


def find_ways_in(
    loops: tuple[Floats, Whole], first_loop: Whole, ends: Floats, first_way: Whole, outward_mm: float, most_times: float
) -> Ways:
    """:func:`find_ways` for many regions at once: region r has the loops ``first_loop[r]`` up to below ``first_loop[r + 1]`` of
    ``loops`` (points, offsets), see :func:`edges_of`, and is asked for the ways ``first_way[r]`` up to below ``first_way[r + 1]``.

    Regions that are alike and asked alike are worked out once: layers of an upright part repeat themselves.
    """
    points, offsets, ends = np.ascontiguousarray(loops[0]), loops[1], np.ascontiguousarray(ends)
    chosen, of = _different(points, offsets, first_loop, ends, first_way)
    counts = np.diff(first_way)[chosen]
    begins = np.cumsum(counts) - counts

    def some(part: tuple[int, int]) -> Ways:
        its = chosen[part[0] : part[1]]
        asked = ends[ranges(first_way[its], counts[part[0] : part[1]])]
        bounds = np.concatenate([[0], np.cumsum(counts[part[0] : part[1]])]).astype(np.int64)
        regions = (first_loop[its], first_loop[its + 1])
        return Ways(*_find_in(points, offsets, *regions, asked, bounds, float(outward_mm), float(most_times)))

    # Shared between two threads where half of the ways lie before.
    middle = int(np.searchsorted(begins, counts.sum() / 2))
    made = _joined(parallel_map(some, [(0, middle), (middle, len(chosen))]))
    asked_of = np.flatnonzero(np.diff(first_way) > 0)
    rows = ranges(begins[of[asked_of]], np.diff(first_way)[asked_of])
    corners = np.diff(made.offsets)[rows]
    reach = np.concatenate([[0], np.cumsum(corners)]).astype(np.int64)
    return Ways(made.found[rows], reach, made.corners[ranges(made.offsets[rows], corners)])


def _different(
    points: Floats, offsets: Whole, first_loop: Whole, ends: Floats, first_way: Whole
) -> tuple[Whole, Whole]:
    """The first region of each set that is alike and asked alike, (k,), and for each region its set; -1 where nothing is
    asked."""
    sets: dict[tuple[bytes, bytes, bytes], int] = {}
    chosen: list[int] = []
    of = np.full(len(first_way) - 1, -1, dtype=np.int64)
    for region in np.flatnonzero(np.diff(first_way) > 0).tolist():
        low, high = first_loop[region], first_loop[region + 1]
        key = (
            points[offsets[low] : offsets[high]].tobytes(),
            (offsets[low : high + 1] - offsets[low]).tobytes(),
            ends[first_way[region] : first_way[region + 1]].tobytes(),
        )
        of[region] = sets.setdefault(key, len(sets))
        if of[region] == len(chosen):
            chosen.append(region)
    return np.array(chosen, dtype=np.int64), of


def _joined(parts: list[Ways]) -> Ways:
    """Ways one after the other."""
    counts = np.concatenate([np.diff(part.offsets) for part in parts])
    return Ways(
        np.concatenate([part.found for part in parts]),
        np.concatenate([[0], np.cumsum(counts)]).astype(np.int64),
        np.concatenate([part.corners for part in parts]),
    )


@numba.njit(cache=True, nogil=True)
def _moved(points, offsets, outward_mm):  # type: ignore[no-untyped-def]
    """Loops with each corner moved away from what is within: to the left, where loops are wound as the insets' are."""
    moved = points.copy()
    for r in range(len(offsets) - 1):
        low, size = offsets[r], offsets[r + 1] - offsets[r]
        for k in range(size):
            before, here, after = points[low + (k - 1) % size], points[low + k], points[low + (k + 1) % size]
            ax, ay = here[0] - before[0], here[1] - before[1]
            bx, by = after[0] - here[0], after[1] - here[1]
            a, b = max(np.hypot(ax, ay), 1e-12), max(np.hypot(bx, by), 1e-12)
            nx, ny = -ay / a - by / b, ax / a + bx / b
            # Half the sum of both normals, stretched so that both edges move by the whole distance; at most threefold.
            size2 = max(nx * nx + ny * ny, 4.0 / 9.0)
            moved[low + k, 0] += 2 * outward_mm * nx / size2
            moved[low + k, 1] += 2 * outward_mm * ny / size2
    return moved


@numba.njit(cache=True, nogil=True)
def _gridded(points, offsets, outward_mm):  # type: ignore[no-untyped-def]
    count = len(points)
    kept = _moved(points, offsets, outward_mm)
    follows, ring = np.empty(count, np.int64), np.empty(count, np.int64)
    along, ring_mm = np.empty(count), np.zeros(len(offsets) - 1)
    first = offsets.copy()
    for r in range(len(offsets) - 1):
        low, size = offsets[r], offsets[r + 1] - offsets[r]
        for k in range(size):
            here, after = low + k, low + (k + 1) % size
            ring[here], along[here], follows[here] = r, ring_mm[r], after
            ring_mm[r] += np.hypot(kept[after, 0] - kept[here, 0], kept[after, 1] - kept[here, 1])
    low = np.zeros(2)
    wide = deep = 0.0
    if count:
        low[0], low[1] = kept[0, 0], kept[0, 1]
        high_x, high_y = low[0], low[1]
        for k in range(count):
            low[0], high_x = min(low[0], kept[k, 0]), max(high_x, kept[k, 0])
            low[1], high_y = min(low[1], kept[k, 1]), max(high_y, kept[k, 1])
        wide, deep = high_x - low[0], high_y - low[1]
    # About as many cells as edges, so that a way meets a few a cell.
    cell = max(np.sqrt(max(wide * deep, 1e-9) / max(count, 1)), max(wide, deep) / 400, 1e-3)
    columns, rows = int(wide / cell) + 1, int(deep / cell) + 1
    size = np.zeros(columns * rows + 1, np.int64)
    member = np.empty(0, np.int64)
    for turn in range(2):
        if turn == 1:
            for c in range(1, columns * rows + 1):
                size[c] += size[c - 1]
            member = np.empty(size[columns * rows], np.int64)
        place = size[:-1].copy()
        for k in range(count):
            ax, ay = (kept[k, 0] - low[0]) / cell, (kept[k, 1] - low[1]) / cell
            bx, by = (kept[follows[k], 0] - low[0]) / cell, (kept[follows[k], 1] - low[1]) / cell
            for row in range(max(0, int(min(ay, by) - 1e-6)), min(rows - 1, int(max(ay, by) + 1e-6)) + 1):
                left, right = _span(ax, ay, bx, by, row)
                for column in range(max(0, int(left)), min(columns - 1, int(right)) + 1):
                    c = column + columns * row
                    if turn == 0:
                        size[c + 1] += 1
                    else:
                        member[place[c]] = k
                        place[c] += 1
    return kept, follows, ring, along, ring_mm, first, low, cell, (columns, rows), size, member


@numba.njit(cache=True, nogil=True, inline="always")
def _span(ax, ay, bx, by, row):  # type: ignore[no-untyped-def]
    """From where to where in x, in cells, a line runs within a row of cells, a little generous."""
    if abs(by - ay) < 1e-12:
        return min(ax, bx) - 1e-6, max(ax, bx) + 1e-6
    t0, t1 = (row - ay) / (by - ay), (row + 1 - ay) / (by - ay)
    if t0 > t1:
        t0, t1 = t1, t0
    t0, t1 = max(0.0, t0), min(1.0, t1)
    x0, x1 = ax + t0 * (bx - ax), ax + t1 * (bx - ax)
    return min(x0, x1) - 1e-6, max(x0, x1) + 1e-6


@numba.njit(cache=True, nogil=True)
def _crossed(points, follows, low, cell, columns, rows, start, member, stamp, turn, a, b, most, at, edge):  # type: ignore[no-untyped-def]
    """How many edges the line a to b crosses, at most ``most``; ``at`` and ``edge`` get where along it and which.

    An edge whose first point lies on the line counts as one whose first point lies beside it, on the left, so that a corner
    met exactly is met once, or not at all.
    """
    n = 0
    dx, dy = b[0] - a[0], b[1] - a[1]
    ax, ay = (a[0] - low[0]) / cell, (a[1] - low[1]) / cell
    bx, by = (b[0] - low[0]) / cell, (b[1] - low[1]) / cell
    for row in range(max(0, int(np.floor(min(ay, by)))), min(rows - 1, int(np.floor(max(ay, by)))) + 1):
        left, right = _span(ax, ay, bx, by, row)
        for column in range(max(0, int(np.floor(left))), min(columns - 1, int(np.floor(right))) + 1):
            c = column + columns * row
            for m in range(start[c], start[c + 1]):
                k = member[m]
                if stamp[k] == turn:
                    continue
                stamp[k] = turn
                px, py = points[k, 0] - a[0], points[k, 1] - a[1]
                f = follows[k]
                qx, qy = points[f, 0] - a[0], points[f, 1] - a[1]
                one, other = dx * py - dy * px, dx * qy - dy * qx
                if (one >= 0) == (other >= 0):
                    continue
                share = one / (one - other)
                x, y = px + share * (qx - px), py + share * (qy - py)
                t = (x * dx + y * dy) / (dx * dx + dy * dy)
                if 0 < t < 1:
                    if n < most:
                        at[n], edge[n] = t, k
                    n += 1
                    if n > most:
                        return n
    return n


@numba.njit(cache=True, nogil=True)
def _within(points, follows, low, cell, columns, rows, start, member, known, x, y):  # type: ignore[no-untyped-def]
    """Whether a place lies within: as the middle of its cell does, turned round by each edge between the two.

    ``known`` (cells,) remembers it of the middles: -1 where nobody has asked yet.
    """
    row, column = int(np.floor((y - low[1]) / cell)), int(np.floor((x - low[0]) / cell))
    if row < 0 or row >= rows or column < 0 or column >= columns:
        return False
    c = column + columns * row
    mx, my = low[0] + (column + 0.5) * cell, low[1] + (row + 0.5) * cell
    if known[c] < 0:
        known[c] = 1 if _within_by_row(points, follows, low, cell, columns, start, member, mx, my, row, column) else 0
    odd = known[c] == 1
    dx, dy = x - mx, y - my
    if dx == 0 and dy == 0:
        return odd
    for m in range(start[c], start[c + 1]):
        k = member[m]
        f = follows[k]
        px, py, qx, qy = points[k, 0] - mx, points[k, 1] - my, points[f, 0] - mx, points[f, 1] - my
        one, other = dx * py - dy * px, dx * qy - dy * qx
        if (one >= 0) == (other >= 0):
            continue
        share = one / (one - other)
        t = ((px + share * (qx - px)) * dx + (py + share * (qy - py)) * dy) / (dx * dx + dy * dy)
        if 0 < t < 1:
            odd = not odd
    return odd


@numba.njit(cache=True, nogil=True)
def _within_by_row(points, follows, low, cell, columns, start, member, x, y, row, last):  # type: ignore[no-untyped-def]
    """Whether a place in a cell lies within: edges to the left of it, counted."""
    odd = False
    for column in range(last + 1):
        c = column + columns * row
        for m in range(start[c], start[c + 1]):
            k = member[m]
            f = follows[k]
            if (points[k, 1] > y) == (points[f, 1] > y):
                continue
            cut = points[k, 0] + (y - points[k, 1]) * (points[f, 0] - points[k, 0]) / (points[f, 1] - points[k, 1])
            # An edge that runs through several cells of the row counts in the one in which it is cut.
            home = min(columns - 1, max(0, int(np.floor((cut - low[0]) / cell))))
            if home == column and cut < x:
                odd = not odd
    return odd


@numba.njit(cache=True, nogil=True)
def _clear(points, follows, low, cell, columns, rows, start, member, known, a, b):  # type: ignore[no-untyped-def]
    """Whether the line between two places, which may lie on a ring, stays within: it crosses no edge between them."""
    dx, dy = b[0] - a[0], b[1] - a[1]
    length = np.hypot(dx, dy)
    if length < 1e-6:
        return True
    least, most = 1e-5 * length, (length - 1e-5) * length
    ax, ay = (a[0] - low[0]) / cell, (a[1] - low[1]) / cell
    bx, by = (b[0] - low[0]) / cell, (b[1] - low[1]) / cell
    for row in range(max(0, int(np.floor(min(ay, by)))), min(rows - 1, int(np.floor(max(ay, by)))) + 1):
        left, right = _span(ax, ay, bx, by, row)
        for column in range(max(0, int(np.floor(left))), min(columns - 1, int(np.floor(right))) + 1):
            c = column + columns * row
            for m in range(start[c], start[c + 1]):
                k = member[m]
                px, py = points[k, 0] - a[0], points[k, 1] - a[1]
                f = follows[k]
                qx, qy = points[f, 0] - a[0], points[f, 1] - a[1]
                one, other = dx * py - dy * px, dx * qy - dy * qx
                if (one >= 0) == (other >= 0):
                    continue
                share = one / (one - other)
                along = (px + share * (qx - px)) * dx + (py + share * (qy - py)) * dy
                if least < along < most:
                    return False
    x, y = (a[0] + b[0]) / 2, (a[1] + b[1]) / 2
    return _within(points, follows, low, cell, columns, rows, start, member, known, x, y)


@numba.njit(cache=True, nogil=True)
def _round(points, follows, ring, along, ring_mm, first, i, j, ahead, out, used):  # type: ignore[no-untyped-def]
    """Write the corners of a ring between its edges i and j into ``out``; how many there are then, -1 where too many."""
    r = ring[i]
    size = first[r + 1] - first[r]
    a, b = i - first[r], j - first[r]
    steps = (b - a) % size if ahead else (a - b) % size
    if used + steps > len(out):
        return -1
    for k in range(steps):
        at = first[r] + ((a + 1 + k) % size if ahead else (a - k) % size)
        out[used, 0], out[used, 1] = points[at, 0], points[at, 1]
        used += 1
    return used


@numba.njit(cache=True, nogil=True)
def _tightened(points, follows, low, cell, columns, rows, start, member, known, path, used):  # type: ignore[no-untyped-def]
    """Leave out of a path, in place, what a straight line can: from each corner on to the farthest seen, looked for in
    growing steps. The path is turned round by it, so that twice does it from both ends. How many lines were tried, and how
    many corners are left."""
    size, k, tried = 1, 0, 0
    while k < used - 1:
        good, far, step = k + 1, used, 2
        while far - good > 1:
            probe = k + step if far == used and k + step < used else (good + far) // 2
            tried += 1
            if _clear(points, follows, low, cell, columns, rows, start, member, known, path[k], path[probe]):
                good = probe
                step *= 2
            else:
                far = probe
        path[size, 0], path[size, 1] = path[good, 0], path[good, 1]
        size += 1
        k = good
    for i in range(size // 2):
        for axis in range(2):
            path[i, axis], path[size - 1 - i, axis] = path[size - 1 - i, axis], path[i, axis]
    return tried, size


@numba.njit(cache=True, nogil=True)
def _sort(at, edge, n):  # type: ignore[no-untyped-def]
    """Sort few crossings by where they are, in place."""
    for k in range(1, n):
        value, which, j = at[k], edge[k], k - 1
        while j >= 0 and at[j] > value:
            at[j + 1], edge[j + 1] = at[j], edge[j]
            j -= 1
        at[j + 1], edge[j + 1] = value, which


@numba.njit(cache=True, nogil=True)
def _find(  # type: ignore[no-untyped-def]
    points, follows, ring, along, ring_mm, first, low, cell, columns, rows, start, member, ends, most_times
):
    count = len(ends)
    found = np.zeros(count, np.int8)
    offsets = np.zeros(count + 1, np.int64)
    corners = np.empty((64, 2))
    total = 0
    stamp = np.full(len(points), -1, np.int64)
    known = np.full(columns * rows, -1, np.int8)
    turn = probes = 0
    most = 128
    at, edge = np.empty(most + 1), np.empty(most + 1, np.int64)
    path, best = np.empty((MOST_CORNERS, 2)), np.empty((MOST_CORNERS, 2))
    for w in range(count):
        offsets[w + 1] = total
        a, b = ends[w, 0:2], ends[w, 2:4]
        straight = np.hypot(b[0] - a[0], b[1] - a[1])
        if straight < 1e-9:
            found[w] = 1
            continue
        turn += 1
        n = _crossed(points, follows, low, cell, columns, rows, start, member, stamp, turn, a, b, most, at, edge)
        if n > most or n % 2 == 1:
            continue
        if not _within(points, follows, low, cell, columns, rows, start, member, known, a[0], a[1]):
            continue
        if n == 0:
            found[w] = 1
            continue
        if probes > MOST_PROBES:
            continue
        _sort(at, edge, n)
        best_mm, best_size = np.inf, 0
        for attempt in range(2 if n == 2 else 1):
            path[0, 0], path[0, 1] = a[0], a[1]
            used, raw_mm = 1, 0.0
            for pair in range(0, n, 2):
                i, j = edge[pair], edge[pair + 1]
                if ring[i] != ring[j] or used + 4 > len(path):
                    used = -1
                    break
                t0, t1 = at[pair], at[pair + 1]
                ax, ay = a[0] + t0 * (b[0] - a[0]), a[1] + t0 * (b[1] - a[1])
                bx, by = a[0] + t1 * (b[0] - a[0]), a[1] + t1 * (b[1] - a[1])
                path[used, 0], path[used, 1] = ax, ay
                used += 1
                here = along[i] + np.hypot(ax - points[i, 0], ay - points[i, 1])
                there = along[j] + np.hypot(bx - points[j, 0], by - points[j, 1])
                ahead = (there - here) % ring_mm[ring[i]] <= ring_mm[ring[i]] / 2
                if attempt == 1:
                    ahead = not ahead
                arc_mm = (there - here) % ring_mm[ring[i]]
                raw_mm += arc_mm if ahead else ring_mm[ring[i]] - arc_mm
                if raw_mm > MOST_RAW * min(most_times * straight, best_mm):
                    used = -1
                    break
                used = _round(points, follows, ring, along, ring_mm, first, i, j, ahead, path, used)
                if used < 0 or used + 3 > len(path):
                    used = -1
                    break
                path[used, 0], path[used, 1] = bx, by
                used += 1
            if used < 0:
                continue
            path[used, 0], path[used, 1] = b[0], b[1]
            used += 1
            # Pulled tight from its start, then from its end.
            for _side in range(2):
                tried, used = _tightened(points, follows, low, cell, columns, rows, start, member, known, path, used)
                probes += tried
            way = 0.0
            for k in range(1, used):
                way += np.hypot(path[k, 0] - path[k - 1, 0], path[k, 1] - path[k - 1, 1])
            if way <= most_times * straight and way < best_mm:
                best_mm, best_size = way, used
                for k in range(used):
                    best[k, 0], best[k, 1] = path[k, 0], path[k, 1]
        if best_size < 2:
            continue
        found[w] = 2
        if total + best_size > len(corners):
            more = np.empty((2 * len(corners) + best_size, 2))
            for k in range(total):
                more[k, 0], more[k, 1] = corners[k, 0], corners[k, 1]
            corners = more
        for k in range(1, best_size - 1):
            corners[total + k - 1, 0], corners[total + k - 1, 1] = best[k, 0], best[k, 1]
        total += best_size - 2
        offsets[w + 1] = total
    return found, offsets, corners[:total]


@numba.njit(cache=True, nogil=True)
def _find_in(points, offsets, loop_low, loop_high, ends, first_way, outward_mm, most_times):  # type: ignore[no-untyped-def]
    count = len(ends)
    found, reach = np.zeros(count, np.int8), np.zeros(count + 1, np.int64)
    corners, total = np.empty((64, 2)), 0
    for r in range(len(first_way) - 1):
        a, b = first_way[r], first_way[r + 1]
        low, high = loop_low[r], loop_high[r]
        if a < b and low < high:
            begin = offsets[low]
            kept, follows, ring, along, ring_mm, first, corner, cell, shape, start, member = _gridded(
                points[begin : offsets[high]], offsets[low : high + 1] - begin, outward_mm
            )
            its, its_reach, its_corners = _find(
                kept, follows, ring, along, ring_mm, first, corner, cell, shape[0], shape[1], start, member, ends[a:b],
                most_times,
            )  # fmt: skip
            if total + len(its_corners) > len(corners):
                more = np.empty((2 * len(corners) + len(its_corners), 2))
                for k in range(total):
                    more[k, 0], more[k, 1] = corners[k, 0], corners[k, 1]
                corners = more
            for k in range(len(its_corners)):
                corners[total + k, 0], corners[total + k, 1] = its_corners[k, 0], its_corners[k, 1]
            for k in range(b - a):
                found[a + k] = its[k]
                reach[a + k + 1] = total + its_reach[k + 1]
            total += len(its_corners)
        else:
            for k in range(a, b):
                reach[k + 1] = total
    return found, reach, corners[:total]
