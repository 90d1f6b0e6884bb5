"""Thin features: strips too narrow for two full beads, laid as one or two strokes of the strip's own width.

The strip's middle is found from circles that touch both its sides. From each sample of the outline the largest circle
that touches it there and holds no other sample is grown inwards (the shrinking-ball construction of the medial axis:
start large; while some sample lies inside, shrink to the circle through it). Its centre is a point of the middle line
and twice its radius the strip's width there. Each stretch of the middle is seen from both sides; the side whose
sample comes first is kept, so samples that follow each other along the outline give one line, broken where the
opposite side changes (a fork). Error: half the square of the sample distance over the width.
"""

from __future__ import annotations

from dataclasses import dataclass

import numba
import numpy as np
import shapely
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from meanbead.core.parallel import Objects
from meanbead.core.strokes.overlay import difference, intersection
from meanbead.core.strokes.walls import grown

Floats = NDArray[np.float64]
Whole = NDArray[np.int64]

LEAST_WIDTHS = 0.6
"""A strip narrower than this share of the bead's spacing is lost."""

TWO_STROKES_FROM = 1.5
"""From this share of the spacing on a strip is laid as two strokes, each of half its width."""

_SAMPLES_PER_SPACING = 3
_MIN_ANGLE_COS = 0.5
"""Circles whose two touching points are seen less than 60 degrees away from opposite belong to the middle; the others
run into corners. Measured by the cosine between the two radii, which is -1 for parallel sides."""

_APART_MM = 1e5


@dataclass(frozen=True)
class ThinStrokes:
    """Middle lines of strips in flat arrays: ``points`` (p, 2), ``width_mm`` (p,) of the area to fill, ``offsets``
    (n + 1), ``closed`` (n,), ``source`` (n,), the index of the region."""

    points: Floats
    width_mm: Floats
    offsets: Whole
    closed: NDArray[np.bool_]
    source: Whole


def strips_of(regions: Objects, spacing_mm: Floats, inner: Objects) -> Objects:
    """The strips of regions that are narrower than two spacings; arrays of shape (n,).

    ``inner`` are the regions inset by one spacing: a strip is what growing them again does not reach.
    """
    # A little further than they were shrunk, so that edges that should meet do not leave splinters.
    strips = difference(regions, grown(inner, 1.02 * spacing_mm))
    # Specks at corners: what is left when strips under the least width are gone.
    kept = grown(grown(strips, -LEAST_WIDTHS / 2 * spacing_mm), (LEAST_WIDTHS / 2 + 0.05) * spacing_mm)
    return intersection(kept, strips)


def thin_strokes(strips: Objects, regions: Objects, spacing_mm: Floats) -> ThinStrokes:
    """Middle lines of strips (n,) that were cut from regions (n,). Equal strips are worked out once."""
    where = np.flatnonzero(~shapely.is_empty(strips))
    if not len(where):
        return _no_strokes()
    names = [(shapely.to_wkb(strips[k]), round(float(spacing_mm[k]), 9)) for k in where]
    first_of: dict[object, int] = {}
    twin = np.array([first_of.setdefault(name, len(first_of)) for name in names])
    _, first = np.unique(twin, return_index=True)
    alone = where[first]
    made = _middles(strips[alone], regions[alone], spacing_mm[alone])
    return _repeated(made, twin, where)


def _no_strokes() -> ThinStrokes:
    return ThinStrokes(np.empty((0, 2)), np.empty(0), np.zeros(1, np.int64), np.empty(0, bool), np.empty(0, np.int64))


def _repeated(made: ThinStrokes, twin: Whole, where: Whole) -> ThinStrokes:
    """The lines of each distinct strip for all strips that are equal to it; ``made`` is in order of its strips."""
    low, high = (np.searchsorted(made.source, twin, side) for side in ("left", "right"))
    lines = _ranges(low, high - low)
    source = np.repeat(where, high - low)
    counts = np.diff(made.offsets)[lines]
    offsets = np.concatenate([[0], np.cumsum(counts)]).astype(np.int64)
    rows = _ranges(made.offsets[lines], counts)
    return ThinStrokes(made.points[rows], made.width_mm[rows], offsets, made.closed[lines], source)


def _ranges(start: Whole, count: Whole) -> Whole:
    """``start[0], start[0] + 1, ...`` (``count[0]`` of them), then the same for the next, in one array."""
    ends = np.cumsum(count)
    ranges: Whole = np.repeat(start - (ends - count), count) + np.arange(int(ends[-1]) if len(ends) else 0)
    return ranges


def _middles(strips: Objects, regions: Objects, spacing_mm: Floats) -> ThinStrokes:
    points, ring, source = _samples(strips, regions, spacing_mm)
    if len(points) < 4:
        return _no_strokes()
    normal, first, last, loops = _inward(points, ring)
    spacing = spacing_mm[source]
    # Strips of different regions never see each other.
    apart = np.column_stack([points, source * _APART_MM])
    tree = cKDTree(apart)
    centre, radius, touch = _circles(tree, points, normal, source, 1.02 * spacing)
    across = points[touch] - centre
    own = points - centre
    with np.errstate(invalid="ignore", divide="ignore"):
        cosine = np.einsum("ij,ij->i", own, across) / radius**2
    good = (
        (radius >= LEAST_WIDTHS / 2 * spacing)
        & (radius <= 1.01 * spacing)
        & (cosine < -_MIN_ANGLE_COS)
        & (np.arange(len(points)) < touch)
    )
    # A line breaks where samples stop being good, at the end of a run of samples, and where the other side jumps.
    line_start, line_end, closed = _runs(good, first, last, loops, ring, touch, ring[touch], centre, 1.5 * spacing)
    return _as_strokes(centre, 2 * radius, spacing, source, line_start, line_end, closed)


def _samples(strips: Objects, regions: Objects, spacing_mm: Floats) -> tuple[Floats, Whole, Whole]:
    """Points on the strips' rings that lie on the regions' own outlines: points (p, 2), run (p,), region (p,).

    A run is a stretch of a ring without a cut edge.
    """
    dense = shapely.segmentize(shapely.orient_polygons(strips), spacing_mm / _SAMPLES_PER_SPACING)
    parts, part_source = shapely.get_parts(dense, return_index=True)
    rings, ring_part = shapely.get_rings(parts, return_index=True)
    points, ring = shapely.get_coordinates(rings, return_index=True)
    last = np.r_[np.flatnonzero(np.diff(ring)), len(ring) - 1]
    keep = np.ones(len(points), dtype=bool)
    keep[last] = False  # a ring's first point stands again as its last
    points, ring = points[keep], ring[keep]
    source = part_source[ring_part[ring]]
    edges = shapely.boundary(regions)
    shapely.prepare(edges)
    outline = shapely.dwithin(edges[source], shapely.points(points), 1e-6)
    # A cut through the ring starts a new run.
    cut = ~outline
    starts = np.r_[True, (ring[1:] != ring[:-1]) | cut[:-1]]
    run = np.cumsum(starts)
    return points[outline], run[outline], source[outline].astype(np.int64)


def _inward(points: Floats, run: Whole) -> tuple[Floats, Whole, Whole, NDArray[np.bool_]]:
    """Unit normals to the left of the way (rings of strips run so that their inside lies left after orientation),
    first and last sample of each run, and whether a run closes on itself."""
    first = np.r_[0, np.flatnonzero(np.diff(run)) + 1]
    last = np.r_[first[1:] - 1, len(run) - 1]
    gap = np.hypot(*(points[first] - points[last]).T)
    step = np.hypot(*np.diff(points, axis=0, append=points[-1:]).T)
    longest = np.maximum.reduceat(np.where(np.r_[run[1:] == run[:-1], False], step, 0.0), first)
    loops = (gap <= 1.5 * longest + 1e-9) & (last - first >= 5)
    before = np.arange(len(points)) - 1
    after = np.arange(len(points)) + 1
    before[first] = np.where(loops, last, first)
    after[last] = np.where(loops, first, last)
    tangent = points[after] - points[before]
    length = np.maximum(np.hypot(tangent[:, 0], tangent[:, 1]), 1e-12)
    return np.column_stack([-tangent[:, 1], tangent[:, 0]]) / length[:, None], first, last, loops


def _circles(
    tree: cKDTree, points: Floats, normal: Floats, source: Whole, start: Floats
) -> tuple[Floats, Floats, Whole]:
    """Largest empty circle that touches each sample: centre, radius and the other sample that it touches."""
    radius = start.copy()
    touch = np.arange(len(points))
    open_ones = np.arange(len(points))
    for _ in range(12):
        centre = points[open_ones] + normal[open_ones] * radius[open_ones, None]
        distance, near = tree.query(np.column_stack([centre, source[open_ones] * _APART_MM]))
        inside = (distance < radius[open_ones] * (1 - 1e-3)) & (near != open_ones)
        open_ones, near = open_ones[inside], near[inside]
        if not len(open_ones):
            break
        way = points[near] - points[open_ones]
        along = np.einsum("ij,ij->i", way, normal[open_ones])
        shrunk = np.einsum("ij,ij->i", way, way) / np.maximum(2 * along, 1e-12)
        radius[open_ones] = np.minimum(shrunk, radius[open_ones])
        touch[open_ones] = near
    # Where nothing lies opposite the circle never touches, and its sample is no part of a middle.
    return points + normal * radius[:, None], radius, touch


@numba.njit(cache=True, nogil=True)
def _runs(good, first, last, loops, run, touch, run_of_touch, centre, jump):  # type: ignore[no-untyped-def]
    """Stretches of good samples: start and end index (inclusive) and whether the whole run is one closed stretch."""
    starts = np.empty(len(good), np.int64)
    ends = np.empty(len(good), np.int64)
    closed = np.zeros(len(good), np.bool_)
    used = 0
    for r in range(len(first)):
        begin = -1
        for k in range(first[r], last[r] + 1):
            broken = False
            if begin >= 0 and k > begin:
                dx, dy = centre[k, 0] - centre[k - 1, 0], centre[k, 1] - centre[k - 1, 1]
                broken = np.sqrt(dx * dx + dy * dy) > jump[k]
            if begin >= 0 and (not good[k] or broken):
                starts[used], ends[used] = begin, k - 1
                used += 1
                begin = -1
            if good[k] and begin < 0:
                begin = k
        if begin >= 0:
            starts[used], ends[used] = begin, last[r]
            closed[used] = loops[r] and begin == first[r]
            used += 1
    return starts[:used], ends[:used], closed[:used]


def _as_strokes(
    centre: Floats, width: Floats, spacing: Floats, source: Whole, start: Whole, end: Whole, closed: NDArray[np.bool_]
) -> ThinStrokes:
    """One stroke where the strip is narrow, two at a quarter of its width beside the middle where it is broad."""
    lines: list[tuple[Floats, Floats, bool, int]] = []
    for low, high, ring in zip(start.tolist(), end.tolist(), closed.tolist(), strict=True):
        points, wide, s = centre[low : high + 1], width[low : high + 1], float(spacing[low])
        if len(points) < 2 or np.hypot(*np.diff(points, axis=0).T).sum() < LEAST_WIDTHS * s:
            continue
        points, wide = _thinned(points, wide, ring)
        if float(np.median(wide)) < TWO_STROKES_FROM * s:
            lines.append((points, wide, ring, int(source[low])))
            continue
        tangent = np.roll(points, -1, axis=0) - np.roll(points, 1, axis=0) if ring else np.gradient(points, axis=0)
        tangent /= np.maximum(np.hypot(tangent[:, 0], tangent[:, 1]), 1e-12)[:, None]
        aside = np.column_stack([-tangent[:, 1], tangent[:, 0]]) * wide[:, None] / 4
        lines.extend((points + sign * aside, wide / 2, ring, int(source[low])) for sign in (1, -1))
    if not lines:
        return _no_strokes()
    counts = [len(line[0]) for line in lines]
    return ThinStrokes(
        np.concatenate([line[0] for line in lines]),
        np.concatenate([line[1] for line in lines]),
        np.concatenate([[0], np.cumsum(counts)]).astype(np.int64),
        np.array([line[2] for line in lines]),
        np.array([line[3] for line in lines], dtype=np.int64),
    )


_CHORD_MM = 0.01
_WIDTH_STEP = 0.03


def _thinned(points: Floats, wide: Floats, ring: bool) -> tuple[Floats, Floats]:
    """Drop samples that neither the line's course nor its width needs; width counts as a third coordinate."""
    scale = _CHORD_MM / (_WIDTH_STEP * float(np.median(wide)))
    keep = _needed(np.column_stack([points, wide * scale]), _CHORD_MM)
    if ring and keep.sum() < 4:
        keep[:: max(1, len(keep) // 4)] = True
    return points[keep], wide[keep]


@numba.njit(cache=True, nogil=True)
def _needed(points, tolerance):  # type: ignore[no-untyped-def]
    """Ramer's and Douglas and Peucker's choice of the points that a polyline (n, 3) needs."""
    n = len(points)
    keep = np.zeros(n, np.bool_)
    keep[0] = keep[n - 1] = True
    stack = [(0, n - 1)]
    while len(stack) > 0:
        low, high = stack.pop()
        farthest, at = tolerance, -1
        way = points[high] - points[low]
        span = np.sqrt((way * way).sum())
        for k in range(low + 1, high):
            off = points[k] - points[low]
            along = (off * way).sum() / span if span > 0 else 0.0
            distance = np.sqrt(max(0.0, (off * off).sum() - along * along))
            if distance > farthest:
                farthest, at = distance, k
        if at >= 0:
            keep[at] = True
            stack.append((low, at))
            stack.append((at, high))
    return keep
