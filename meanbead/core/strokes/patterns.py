"""Sparse infill: straight families, honeycombs, gyroid, concentric; each lays the density asked for.

Density ``p`` with beads at gapless spacing ``s`` means a stroke length of ``p / s`` per area. From that follow the
pitch of each straight family (``n`` families share it: pitch ``n s / p``), the cell of the honeycomb and the period of
the gyroid. docs/method.md, "Sparse infill", has the derivations.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import shapely
from numpy.typing import NDArray

from meanbead.core.formulas.roots import root_between
from meanbead.core.geometry.clipping import clip_curves
from meanbead.core.geometry.offsets import Loops, inset, loops_of
from meanbead.core.geometry.overlay import difference, intersection
from meanbead.core.geometry.scanlines import Lines, scan_lines
from meanbead.core.model.recipe import InfillPattern
from meanbead.core.runtime.parallel import Objects, parallel_map
from meanbead.core.strokes.gyroid import gyroid_curves
from meanbead.core.strokes.pieces import Curves

__all__ = [
    "GYROID_LENGTH",
    "HONEYCOMB_3D_LENGTH",
    "Family",
    "concentric",
    "honeycomb_side_mm",
    "sparse_strokes",
]

Floats = NDArray[np.float64]
Whole = NDArray[np.int64]

GYROID_LENGTH = 2.468
"""Mean length of the gyroid's sections per area, times its period: ``sin x cos y + sin y cos z + sin z cos x = 0``
over one period in z, found numerically; a test finds it again."""

CHORD_MM = 0.02
"""A curve is followed by chords that stay this close to it, a twentieth of a bead."""

_SHORTEST_MM = 0.3
_PERIODS_AT_ONCE = 5_000


@dataclass(frozen=True)
class Family:
    """Strokes of one direction of one pattern: lines, curves or loops."""

    strokes: Lines | Curves | Loops
    angle_rad: Floats


def sparse_strokes(
    regions: Objects,
    middle_mm: Floats,
    spacing_mm: Floats,
    pattern: InfillPattern,
    density: Floats,
    angle_rad: Floats,
    multiplier: int,
    sections: Objects | None = None,
    section_mm: Floats | None = None,
) -> list[Family]:
    """Fill regions sparsely. Arrays have one value a region: its mid-height, gapless line spacing, density, angle.

    The adaptive pattern also asks for the part's ``sections`` by layer and their heights ``section_mm``.
    """
    side_by_side = [(index - (multiplier - 1) / 2) * spacing_mm for index in range(multiplier)]
    if pattern == "concentric":
        return [Family(concentric(regions, spacing_mm, spacing_mm / density, multiplier), np.zeros(len(regions)))]
    if pattern == "honeycomb_3d" and section_mm is not None:
        # Its layers differ by 8 % of the mean either way, to and fro with height. Begun so that the middle of the part has the
        # mean, a part lower than a period gets what is asked for, too.
        period = HONEYCOMB_3D_LENGTH * spacing_mm / density
        middle_mm = middle_mm - (section_mm[0] + section_mm[-1]) / 2 + period / 8
    if pattern in ("honeycomb", "honeycomb_3d", "gyroid"):
        draw = {"honeycomb": _honeycomb, "honeycomb_3d": _honeycomb_3d, "gyroid": _gyroid}[pattern]
        return [Family(draw(regions, middle_mm, spacing_mm, density, angle_rad), np.zeros(len(regions)))]
    families = []
    if pattern == "adaptive":
        if sections is None or section_mm is None:
            raise ValueError("the adaptive pattern needs the part's sections")
        deep = [_deep(regions, middle_mm, sections, section_mm, depth) for depth in ADAPTIVE_DEPTHS_MM]
        return _adaptive(regions, deep, middle_mm, spacing_mm / density, angle_rad, side_by_side)
    for angle, pitch, shift in _straight(pattern, middle_mm, spacing_mm / density, angle_rad):
        parts = [scan_lines(regions, angle, pitch, fit=False, shift_mm=shift + aside) for aside in side_by_side]
        families.append(Family(_joined(parts), angle))
    return families


def _straight(
    pattern: InfillPattern, middle_mm: Floats, pitch_mm: Floats, angle_rad: Floats
) -> list[tuple[Floats, Floats, Floats]]:
    """Angle, pitch and shift of each family of a straight pattern."""
    still = np.zeros(len(middle_mm))
    if pattern == "lines":
        return [(angle_rad, pitch_mm, still)]
    if pattern == "grid":
        return [(angle_rad + turn * math.pi / 2, 2 * pitch_mm, still) for turn in range(2)]
    # Cubes that stand on a corner are cut by a layer in three families of lines, which move with height: a face's
    # normal leans so that its trace moves by z / sqrt(2).
    move = middle_mm / math.sqrt(2) if pattern == "cubic" else still
    return [(angle_rad + turn * 2 * math.pi / 3, 3 * pitch_mm, move) for turn in range(3)]


def _joined(parts: list[Lines]) -> Lines:
    segments = np.concatenate([np.column_stack([part.start, part.end, part.offset_mm]) for part in parts])
    region = np.concatenate([part.region for part in parts])
    return Lines(segments, region, np.concatenate([part.pitch_mm for part in parts]))


ADAPTIVE_DEPTHS_MM = (4.0, 10.0)
"""Below this depth under the surface an adaptive infill is half, and a quarter, as dense as asked for near it."""


def _adaptive(
    regions: Objects,
    deep: list[Objects],
    middle_mm: Floats,
    pitch_mm: Floats,
    angle_rad: Floats,
    side_by_side: list[Floats],
) -> list[Family]:
    """Cubic lines at four times the pitch everywhere, halved towards the surface by lines in between, and halved again.

    The coarse lines run through all zones, so that each line stands on one below it.
    """
    near, nearer = (difference(regions, level) for level in deep)
    families = []
    for angle, pitch, shift in _straight("cubic", middle_mm, pitch_mm, angle_rad):
        parts = []
        for aside in side_by_side:
            # With multiples of the fine pitch p as places: 2p + 4pk, then 4pk, then p + 2pk make every p once.
            for zone, wide, offset in ((regions, 4.0, 0.0), (nearer, 4.0, 2.0), (near, 2.0, 0.0)):
                parts.append(scan_lines(zone, angle, wide * pitch, fit=False, shift_mm=shift + aside + offset * pitch))
        families.append(Family(_joined(parts), angle))
    return families


def _deep(regions: Objects, middle_mm: Floats, sections: Objects, section_mm: Floats, depth_mm: float) -> Objects:
    """What of each region lies deeper than ``depth_mm`` sideways, and has part above and below it to that height."""
    deep = inset(regions, np.full(len(regions), depth_mm))
    for rise in (-depth_mm, -depth_mm / 2, depth_mm / 2, depth_mm):
        some = np.flatnonzero(~shapely.is_empty(deep))
        height = middle_mm[some] + rise
        within = (height >= section_mm[0]) & (height <= section_mm[-1])
        deep[some[~within]] = shapely.MultiPolygon()
        some = some[within]
        deep[some] = intersection(deep[some], sections[np.searchsorted(section_mm, height[within])])
    return deep


def concentric(regions: Objects, spacing_mm: Floats, pitch: Floats, multiplier: int) -> Loops:
    """Loops that follow a region's outline inwards at a pitch, the first half a pitch deep."""
    parts: list[Loops] = []
    for index in range(multiplier):
        depth = pitch / 2 + (index - (multiplier - 1) / 2) * spacing_mm
        left = np.flatnonzero(~shapely.is_empty(regions))
        while len(left):
            rings = inset(regions[left], np.maximum(depth[left], 0.0))
            loops = loops_of(rings)
            parts.append(Loops(loops.points, loops.offsets, left[loops.source]))
            left = left[~shapely.is_empty(rings)]
            depth = depth + pitch
    if not parts:
        return loops_of(regions[:0])
    shifts = np.cumsum([0] + [len(part.points) for part in parts[:-1]])
    ends = [part.offsets[1:] + shift for part, shift in zip(parts, shifts, strict=True)]
    return Loops(
        np.concatenate([part.points for part in parts]),
        np.concatenate([[0], *ends]).astype(np.int64),
        np.concatenate([part.source for part in parts]),
    )


@lru_cache(maxsize=256)
def honeycomb_side_mm(spacing_mm: float, density: float) -> float:
    """Side of the hexagons whose double walls, one spacing apart, give a density.

    A cell of side ``a`` covers ``1.5 sqrt(3) a^2`` and owns two upright strokes of length ``a`` and two slanted ones.
    """

    def excess(side: float) -> float:
        slant = math.hypot(math.sqrt(3) / 2 * side - spacing_mm, side / 2)
        return spacing_mm * (2 * side + 2 * slant) / (1.5 * math.sqrt(3) * side**2) - density

    return root_between(excess, 0.1 * spacing_mm, 1e4 * spacing_mm)


def _honeycomb(regions: Objects, middle_mm: Floats, spacing_mm: Floats, density: Floats, angle_rad: Floats) -> Curves:
    found = []
    for index in np.flatnonzero(~shapely.is_empty(regions)).tolist():
        spacing = float(spacing_mm[index])
        side = honeycomb_side_mm(round(spacing, 6), float(density[index]))
        turned = _turned(regions[index], -float(angle_rad[index]))
        wide, rise = math.sqrt(3) / 2 * side, 1.5 * side
        x0, y0, x1, y1 = turned.bounds
        columns = np.arange(math.floor(x0 / wide) - 1, math.ceil(x1 / wide) + 1)
        rows = np.arange(math.floor(y0 / rise) - 1, math.ceil(y1 / rise) + 2)
        lines = []
        for column in columns:
            # Upright at one edge of the column, slanting to the other, upright, slanting back.
            near, far = column * wide + spacing / 2, (column + 1) * wide - spacing / 2
            right = (rows + column) % 2 == 0
            x = np.where(right, far, near)
            upright = np.column_stack([np.repeat(x, 2), np.repeat(rows * rise, 2) + np.tile([0.0, side], len(rows))])
            lines.append(shapely.linestrings(upright))
        found.append((index, _turned(shapely.multilinestrings(lines), float(angle_rad[index]))))
    return _clipped(found, regions)


def _turned(shape: shapely.Geometry, angle_rad: float) -> shapely.Geometry:
    return shapely.affinity.rotate(shape, angle_rad, origin=(0, 0), use_radians=True)


HONEYCOMB_3D_LENGTH = 1.5 * math.sqrt(2) + 0.5
"""Mean length of the three-dimensional honeycomb's sections per area, times its period; see :func:`_honeycomb_3d`."""


def _honeycomb_3d(
    regions: Objects, middle_mm: Floats, spacing_mm: Floats, density: Floats, angle_rad: Floats
) -> Curves:
    """Cells that are octahedra with their tips cut off, stacked so that they fill space; half of their square faces open.

    In periods, with ``u`` the height's distance to the nearest whole number, the faces between the cells around whole
    points and those around half ones are ``|x| + |y| + u = 3/4`` by distances to whole numbers: a section shows diamonds
    of half-diagonal ``1/4 + u`` around half points up to ``u = 1/4``, of ``3/4 - u`` around whole ones above. Square
    faces join them to rows, along x and along y in turn; each row is two strokes, over the diamonds and under them, side by
    side on the faces. Length per area: ``4 sqrt 2 r`` of diamonds and ``2 (1 - 2 r)`` of faces, on average over ``r`` from
    1/4 to 1/2 ``1.5 sqrt 2 + 1/2``. Faces lean by no more than 35 degrees from upright, so each bead lies on the one below.
    """
    found = []
    for index in np.flatnonzero(~shapely.is_empty(regions)).tolist():
        spacing = float(spacing_mm[index])
        period = HONEYCOMB_3D_LENGTH * spacing / float(density[index])
        high = float(middle_mm[index]) / period
        u = abs(high - round(high))
        lower = u <= 0.25
        half, place = (0.25 + u, 0.5) if lower else (0.75 - u, 0.0)
        turned = _turned(regions[index], -float(angle_rad[index]))
        x0, y0, x1, y1 = (bound / period for bound in turned.bounds)
        if not lower:  # the rows run along y: drawn with the axes exchanged
            x0, y0, x1, y1 = y0, x0, y1, x1
        along = np.arange(math.floor(x0) - 1, math.ceil(x1) + 2) + place
        x = (along[:, None] + np.array([-half, 0.0, half])).ravel()
        over = np.tile([0.0, half, 0.0], len(along))
        aside = spacing / 2 / period
        lines = []
        for row in np.arange(math.floor(y0) - 1, math.ceil(y1) + 2) + place:
            for y in (row + over + aside, row - over - aside):
                line = np.column_stack([x, y] if lower else [y, x]) * period
                lines.append(shapely.linestrings(line))
        found.append((index, _turned(shapely.multilinestrings(lines), float(angle_rad[index]))))
    return _clipped(found, regions)


def _gyroid(regions: Objects, middle_mm: Floats, spacing_mm: Floats, density: Floats, angle_rad: Floats) -> Curves:
    filled = np.flatnonzero(~shapely.is_empty(regions))
    period = GYROID_LENGTH * spacing_mm[filled] / density[filled]
    bounds = shapely.bounds(regions[filled])

    def some(these: Whole) -> Curves:
        points, offsets, box = gyroid_curves(bounds[these], middle_mm[filled[these]], period[these], CHORD_MM)
        return _cut_to(points, offsets, filled[these[box]], regions)

    # Few at a time: what is drawn across the boxes is far more than what is left of it.
    periods = np.prod((bounds[:, 2:] - bounds[:, :2]) / period[:, None] + 2, axis=1)
    batch = np.cumsum(periods) // _PERIODS_AT_ONCE
    return _one_after_other(parallel_map(some, np.split(np.arange(len(filled)), np.flatnonzero(np.diff(batch)) + 1)))


def _one_after_other(parts: list[Curves]) -> Curves:
    counts = np.concatenate([np.diff(part.offsets) for part in parts])
    return Curves(
        np.concatenate([part.points for part in parts]),
        np.concatenate([[0], np.cumsum(counts)]),
        np.concatenate([part.region for part in parts]),
    )


def _clipped(found: list[tuple[int, shapely.Geometry]], regions: Objects) -> Curves:
    """Curves cut to their regions."""
    lines, at = shapely.get_parts(np.array([geometry for _, geometry in found], dtype=object), return_index=True)
    numbers = np.array([number for number, _ in found], dtype=np.int64)
    offsets = np.concatenate([[0], np.cumsum(shapely.get_num_coordinates(lines))]).astype(np.int64)
    return _cut_to(shapely.get_coordinates(lines), offsets, numbers[at], regions)


def _cut_to(points: Floats, offsets: Whole, source: Whole, regions: Objects) -> Curves:
    """Curves cut to their regions; what is shorter than a bead is left out."""
    points, offsets, region = clip_curves(points, offsets, source, regions)
    step = np.hypot(*(points[1:] - points[:-1]).T) if len(points) else np.empty(0)
    length = np.add.reduceat(np.append(step, 0.0), offsets[:-1]) if len(region) else np.empty(0)
    length -= np.append(step, 0.0)[offsets[1:] - 1]  # the way to the next piece is none of this one's
    keep = length >= _SHORTEST_MM
    counts = np.diff(offsets)
    return Curves(points[np.repeat(keep, counts)], np.concatenate([[0], np.cumsum(counts[keep])]), region[keep])
