"""Thin features: strips too narrow for full beads, laid as one or two strokes of the strip's own width.

The strip's middle is found from circles that touch both its sides. From each sample of the outline the largest circle
that touches it there and holds no other sample is grown inwards (the shrinking-ball construction of the medial axis:
start large; while some sample lies inside, shrink to the circle through it). Its centre is a point of the middle line
and twice its radius the strip's width there. Each stretch of the middle is seen from both sides; the side whose
sample comes first is kept, so samples that follow each other along the outline give one line, broken where the
opposite side changes (a fork). Its place is off by up to the square of the sample distance over four widths, its width
is exact between parallel sides.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numba
import numpy as np
import shapely
from numpy.typing import NDArray

from meanbead.core.geometry.edges import edge_distance_mm
from meanbead.core.geometry.offsets import grown
from meanbead.core.geometry.overlay import difference, intersection
from meanbead.core.geometry.polyline import needed_points
from meanbead.core.runtime.alike import ranges
from meanbead.core.runtime.parallel import Objects, free_cores, parallel_floats
from meanbead.core.runtime.trees import tree_of

if TYPE_CHECKING:
    from scipy.spatial import cKDTree

__all__ = ["FREE_END_WIDTHS", "MIN_WIDTHS", "ThinStrokes", "shared_mm", "strips_of", "thin_strokes"]

Floats = NDArray[np.float64]
Whole = NDArray[np.int64]

MIN_WIDTHS = 0.6
"""A strip narrower than this share of the bead's spacing is lost."""

SHARED_WIDTHS = 0.8
"""What two full beads leave between them is shared by them up to this share of their spacing. More than
:data:`MIN_WIDTHS`, so that a remainder that varies a little around that is not laid in shreds."""

TWO_STROKES_FROM = 1.5
"""From this share of the spacing on a strip is laid as two strokes, each of half its width."""

_SAMPLES_PER_SPACING = 4
_MIN_ANGLE_COS = 0.5
"""Circles whose two touching points are seen less than 60 degrees away from opposite belong to the middle; the others
run into corners. Measured by the cosine between the two radii, which is -1 for parallel sides."""

_WIDER_AT_CORNERS = 1.2
"""Where a strip turns by a right angle, its circles are 1.17 times as wide as beside the corner (2 (2 - sqrt 2) = 1.172)."""

_APART_MM = 1e5


def shared_mm(spacing_mm: Floats, next_mm: Floats) -> Floats:
    """How much two beads at a spacing take up between them, mm; a bead at the next one's spacing has to fit into more."""
    most: Floats = np.maximum(SHARED_WIDTHS * np.minimum(spacing_mm, next_mm), 1.08 * MIN_WIDTHS * next_mm)
    return most


@dataclass(frozen=True)
class ThinStrokes:
    """Middle lines of strips in flat arrays: ``points`` (p, 2), ``width_mm`` (p,) of the area to fill, ``offsets``
    (n + 1), ``closed`` (n,), ``source`` (n,), the index of the region."""

    points: Floats
    width_mm: Floats
    offsets: Whole
    closed: NDArray[np.bool_]
    source: Whole


def strips_of(regions: Objects, spacing_mm: Floats, inner: Objects, depth_mm: Floats) -> Objects:
    """The strips of regions that are narrower than twice ``depth_mm``; arrays of shape (n,).

    ``inner`` are the regions inset by that depth: a strip is what growing them again does not reach.
    """
    # A little further than they were shrunk, so that edges that should meet do not leave splinters.
    strips = difference(regions, grown(inner, depth_mm + 0.02 * spacing_mm))
    # Specks at corners: what is left when strips under the least width are gone.
    kept = grown(grown(strips, -MIN_WIDTHS / 2 * spacing_mm), (MIN_WIDTHS / 2 + 0.05) * spacing_mm)
    return intersection(kept, strips)


def thin_strokes(strips: Objects, regions: Objects, spacing_mm: Floats, depth_mm: Floats) -> ThinStrokes:
    """Middle lines of strips (n,), narrower than twice ``depth_mm``, that were cut from regions (n,). Equal strips are
    worked out once."""
    where = np.flatnonzero(~shapely.is_empty(strips))
    if not len(where):
        return _no_strokes()
    names = [(shapely.to_wkb(strips[k]), round(float(spacing_mm[k]), 9), round(float(depth_mm[k]), 9)) for k in where]
    first_of: dict[object, int] = {}
    twin = np.array([first_of.setdefault(name, len(first_of)) for name in names])
    _, first = np.unique(twin, return_index=True)
    alone = where[first]
    made = _middles(strips[alone], regions[alone], spacing_mm[alone], depth_mm[alone])
    return _repeated(made, twin, where)


def _no_strokes() -> ThinStrokes:
    return ThinStrokes(np.empty((0, 2)), np.empty(0), np.zeros(1, np.int64), np.empty(0, bool), np.empty(0, np.int64))


def _repeated(made: ThinStrokes, twin: Whole, where: Whole) -> ThinStrokes:
    """The lines of each distinct strip for all strips that are equal to it; ``made`` is in order of its strips."""
    low, high = (np.searchsorted(made.source, twin, side) for side in ("left", "right"))
    lines = ranges(low, high - low)
    source = np.repeat(where, high - low)
    counts = np.diff(made.offsets)[lines]
    offsets = np.concatenate([[0], np.cumsum(counts)]).astype(np.int64)
    rows = ranges(made.offsets[lines], counts)
    return ThinStrokes(made.points[rows], made.width_mm[rows], offsets, made.closed[lines], source)


def _middles(strips: Objects, regions: Objects, spacing_mm: Floats, depth_mm: Floats) -> ThinStrokes:
    points, ring, source = _samples(strips, regions, spacing_mm)
    if len(points) < 4:
        return _no_strokes()
    normal, first, last, loops = _inward(points, ring)
    spacing, depth = spacing_mm[source], depth_mm[source]
    # Strips of different regions never see each other.
    apart = np.column_stack([points, source * _APART_MM])
    tree = tree_of(apart)
    centre, radius, touch = _circles(tree, points, normal, source, 1.22 * depth)
    across = points[touch] - centre
    own = points - centre
    with np.errstate(invalid="ignore", divide="ignore"):
        cosine = np.einsum("ij,ij->i", own, across) / radius**2
    good = (
        (radius >= MIN_WIDTHS / 2 * spacing)
        & (radius <= _WIDER_AT_CORNERS * depth)
        & (cosine < -_MIN_ANGLE_COS)
        & (np.arange(len(points)) < touch)
    )
    # A line breaks at the end of a run of samples, and where the other side jumps.
    line_start, line_end, closed = _runs(good, first, last, loops, centre, 1.5 * spacing)
    # The circle's own side is a radius away. The other is nearer by what samples that do not face each other are off: as far
    # as the nearest edge, unless that is the strip's end, or as the line through the sample that the circle touches.
    nearest = edge_distance_mm(centre[good], source[good], regions, 1.1 * radius[good])
    facing = -np.einsum("ij,ij->i", across[good], normal[touch[good]])
    width = 2 * radius
    width[good] = radius[good] + np.maximum(nearest, np.minimum(facing, radius[good]))
    return _as_strokes(strips, regions, centre, width, good, spacing, source, line_start, line_end, closed)


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
    outline = np.isfinite(edge_distance_mm(points, source, regions, np.full(len(points), 1e-6)))
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
        distance, near = tree.query(np.column_stack([centre, source[open_ones] * _APART_MM]), workers=free_cores())
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
def _runs(good, first, last, loops, centre, jump):  # type: ignore[no-untyped-def]
    """Stretches of good samples: start and end index (inclusive) and whether a run is one stretch that closes on itself.

    Samples near a corner, whose circles run into it, are passed over; a stretch ends where the next good centre is
    further than ``jump`` away.
    """
    starts = np.empty(len(good), np.int64)
    ends = np.empty(len(good), np.int64)
    closed = np.zeros(len(good), np.bool_)
    used = 0
    for r in range(len(first)):
        before = used
        begin, latest = -1, -1
        for k in range(first[r], last[r] + 1):
            if not good[k]:
                continue
            if begin >= 0 and _apart(centre, latest, k) > jump[k]:
                starts[used], ends[used] = begin, latest
                used += 1
                begin = -1
            if begin < 0:
                begin = k
            latest = k
        if begin >= 0:
            starts[used], ends[used] = begin, latest
            closed[used] = used == before and loops[r] and _apart(centre, begin, latest) <= jump[begin]
            used += 1
    return starts[:used], ends[:used], closed[:used]


@numba.njit(cache=True, nogil=True)
def _apart(centre, one, other):  # type: ignore[no-untyped-def]
    return np.hypot(centre[one, 0] - centre[other, 0], centre[one, 1] - centre[other, 1])


@dataclass(frozen=True)
class _Line:
    """A stretch of a strip's middle laid as one stroke or as two: ``points`` (n, 2), ``wide`` (n,) the strip's width,
    whether it closes on itself, and whether its first and its last end are the strip's own, not a place where one stroke
    becomes two."""

    points: Floats
    wide: Floats
    ring: bool
    source: int
    twofold: bool
    own_ends: tuple[bool, bool]


@dataclass(frozen=True)
class _End:
    """Where a line may go on: by ``reach_mm`` up to the strip's end, which is ``free`` where it is the outline."""

    reach_mm: float
    free: bool


_NO_END = _End(0.0, free=False)


def _as_strokes(
    strips: Objects,
    regions: Objects,
    centre: Floats,
    width: Floats,
    good: NDArray[np.bool_],
    spacing: Floats,
    source: Whole,
    start: Whole,
    end: Whole,
    closed: NDArray[np.bool_],
) -> ThinStrokes:
    """One stroke where the strip is narrow, two at a quarter of its width beside the middle where it is broad."""
    lines: list[_Line] = []
    for low, high, ring in zip(start.tolist(), end.tolist(), closed.tolist(), strict=True):
        used = low + np.flatnonzero(good[low : high + 1])
        points, wide, s = centre[used], width[used], float(spacing[low])
        if len(points) < 2 or np.hypot(*np.diff(points, axis=0).T).sum() < MIN_WIDTHS * s:
            continue
        lines.extend(_split(points, wide, ring, s, int(source[low])))
    ends = _ends(lines, strips, regions)
    strokes: list[tuple[Floats, Floats, bool, int]] = []
    for line, (first, last) in zip(lines, ends, strict=True):
        strokes.extend(_doubled(line, first, last) if line.twofold else _single(line, first, last))
    if not strokes:
        return _no_strokes()
    counts = [len(stroke[0]) for stroke in strokes]
    return ThinStrokes(
        np.concatenate([stroke[0] for stroke in strokes]),
        np.concatenate([stroke[1] for stroke in strokes]),
        np.concatenate([[0], np.cumsum(counts)]).astype(np.int64),
        np.array([stroke[2] for stroke in strokes]),
        np.array([stroke[3] for stroke in strokes], dtype=np.int64),
    )


_MIN_STRETCH = 5
"""Stretches of fewer samples do not change from one stroke to two, or back."""


def _split(points: Floats, wide: Floats, ring: bool, spacing: float, source: int) -> list[_Line]:
    """A line cut where one stroke has to become two; neighbours share the sample at which they meet."""
    twofold = wide >= TWO_STROKES_FROM * spacing
    changes = np.flatnonzero(np.diff(twofold)) + 1
    if ring and len(changes) and len(points) >= 2 * _MIN_STRETCH:
        # A ring begins where it changes.
        turn = int(changes[0])
        points, wide = (np.concatenate([part[turn:], part[: turn + 1]]) for part in (points, wide))
        twofold, ring = wide >= TWO_STROKES_FROM * spacing, False
        changes = np.flatnonzero(np.diff(twofold)) + 1
    bounds = [0]
    for change in changes.tolist():
        if change - bounds[-1] >= _MIN_STRETCH and len(points) - change >= _MIN_STRETCH:
            bounds.append(change)
    bounds.append(len(points) - 1)
    lines = []
    for k, (low, high) in enumerate(itertools.pairwise(bounds)):
        part, across = _thinned(points[low : high + 1], wide[low : high + 1], ring)
        if len(part) < 2:
            continue
        broad = bool(2 * np.count_nonzero(twofold[low : high + 1]) > high + 1 - low)
        own = (k == 0 and not ring, k == len(bounds) - 2 and not ring)
        lines.append(_Line(part, across, ring, source, broad, own))
    return lines


def _ends(lines: list[_Line], strips: Objects, regions: Objects) -> list[tuple[_End, _End]]:
    """How far each line may go on at its ends: to where its strip ends, unless another line comes by there."""
    ends = [[_NO_END, _NO_END] for _ in lines]
    asked = [(k, side) for k, line in enumerate(lines) for side in (0, 1) if line.own_ends[side]]
    if not asked:
        return [(first, last) for first, last in ends]
    tips = np.array([lines[k].points[0 if side == 0 else -1] for k, side in asked])
    inner = np.array([lines[k].points[1 if side == 0 else -2] for k, side in asked])
    wide = np.array([lines[k].wide[0 if side == 0 else -1] for k, side in asked])
    way = tips - inner
    way /= np.maximum(np.hypot(way[:, 0], way[:, 1]), 1e-12)[:, None]
    source = np.array([lines[k].source for k, _ in asked])
    rays = shapely.linestrings(np.stack([tips, tips + way * (1.5 * wide)[:, None]], axis=1))
    used, of = np.unique(source, return_inverse=True)
    bounds = shapely.boundary(strips[used])[of]
    reach = parallel_floats(_distance_along, shapely.points(tips), rays, bounds)
    found = np.isfinite(reach) & (reach < 0.9 * wide)
    at = tips + way * np.where(found, reach, 0.0)[:, None]
    free = np.isfinite(edge_distance_mm(at, source, regions, np.full(len(at), 1e-4)))
    bodies = np.array([shapely.linestrings(line.points) for line in lines], dtype=object)
    source_of = np.array([line.source for line in lines])
    number, other = shapely.STRtree(bodies).query(shapely.points(at), predicate="dwithin", distance=wide / 2)
    own = np.array([k for k, _ in asked])
    passed = np.zeros(len(asked), dtype=bool)
    passed[number[(other != own[number]) & (source_of[other] == source[number])]] = True
    for entry in np.flatnonzero(found & ~passed).tolist():
        k, side = asked[entry]
        ends[k][side] = _End(float(reach[entry]), bool(free[entry]))
    return [(first, last) for first, last in ends]


def _distance_along(tips: Objects, rays: Objects, bounds: Objects) -> Floats:
    """How far each tip is from where its ray first meets a boundary, mm; NaN where it does not."""
    return np.asarray(shapely.distance(tips, shapely.intersection(rays, bounds)), dtype=np.float64)


FREE_END_WIDTHS = 0.25
"""A single stroke ends so many of its widths before a free end: its round end fills that."""


def _single(line: _Line, first: _End, last: _End) -> list[tuple[Floats, Floats, bool, int]]:
    points, wide = line.points, line.wide
    for end, side in ((first, 0), (last, -1)):
        along = end.reach_mm - (FREE_END_WIDTHS * wide[side] if end.free else 0.0)
        if along > 1e-6:
            points, wide = _longer(points, wide, side, along)
    return [(points, wide, line.ring, line.source)]


def _doubled(line: _Line, first: _End, last: _End) -> list[tuple[Floats, Floats, bool, int]]:
    """Two strokes side by side; at free ends they turn into one another a quarter of the width before the end, as a loop
    of their width would."""
    points, wide, ring = line.points, line.wide, line.ring
    for end, side in ((first, 0), (last, -1)):
        along = end.reach_mm - (wide[side] / 4 if end.free else 0.0)
        if along > 1e-6:
            points, wide = _longer(points, wide, side, along)
    tangent = np.roll(points, -1, axis=0) - np.roll(points, 1, axis=0) if ring else np.gradient(points, axis=0)
    tangent /= np.maximum(np.hypot(tangent[:, 0], tangent[:, 1]), 1e-12)[:, None]
    aside = np.column_stack([-tangent[:, 1], tangent[:, 0]]) * wide[:, None] / 4
    left, right, half = points + aside, points - aside, wide / 2
    if ring or not (first.free or last.free):
        return [(entry, half, ring, line.source) for entry in (left, right)]
    if not last.free:  # the turn lies at the first end: begin and end at the other
        left, right, half = left[::-1], right[::-1], half[::-1]
    around, across = np.vstack([left, right[::-1]]), np.concatenate([half, half[::-1]])
    return [(around, across, first.free and last.free, line.source)]


def _longer(points: Floats, wide: Floats, side: int, along_mm: float) -> tuple[Floats, Floats]:
    """A line made longer straight on at its first (0) or last (-1) end."""
    tip, inner = points[side], points[1 if side == 0 else -2]
    way = tip - inner
    more = tip + way * (along_mm / max(float(np.hypot(*way)), 1e-12))
    if side == 0:
        return np.vstack([more, points]), np.concatenate([wide[:1], wide])
    return np.vstack([points, more]), np.concatenate([wide, wide[-1:]])


_CHORD_MM = 0.01
_WIDTH_STEP = 0.03
_WIDTH_CHANGE = 0.08
"""A stroke is as wide at its one end as at its other: where the strip changes by more than this share, it is several."""
_SHORTEST_MM = 0.2
"""Below this length strokes are not divided for the sake of their width."""


def _thinned(points: Floats, wide: Floats, ring: bool) -> tuple[Floats, Floats]:
    """Drop samples that neither the line's course nor its width needs; width counts as a third coordinate. Where the width
    changes steadily over a long way, places between are kept."""
    scale = _CHORD_MM / (_WIDTH_STEP * float(np.median(wide)))
    keep = needed_points(np.column_stack([points, wide * scale]), _CHORD_MM)
    if ring and keep.sum() < 4:
        keep[:: max(1, len(keep) // 4)] = True
    points, wide = points[keep], wide[keep]
    change = np.abs(np.diff(wide)) / (_WIDTH_CHANGE * np.minimum(wide[:-1], wide[1:]))
    most = np.hypot(*np.diff(points, axis=0).T) / _SHORTEST_MM
    pieces = np.maximum(1, np.ceil(np.minimum(change, most))).astype(np.int64)
    if (pieces == 1).all():
        return points, wide
    # Places along the line, counted in points: 0, then 1/p ... 1 for a stroke in p pieces, and so on.
    ends = np.cumsum(pieces)
    share = (np.arange(ends[-1]) - np.repeat(ends - pieces, pieces) + 1) / np.repeat(pieces, pieces)
    place = np.concatenate([[0.0], np.repeat(np.arange(len(pieces)), pieces) + share])
    at = np.arange(len(points))
    return np.column_stack([np.interp(place, at, points[:, axis]) for axis in (0, 1)]), np.interp(place, at, wide)
