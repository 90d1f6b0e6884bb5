"""Bridges: floors over air whose strands rest on something at both ends."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray

from meanbead.core.parallel import Objects
from meanbead.core.strokes.overlay import difference, prepared_copies, without
from meanbead.core.strokes.scanlines import scan_lines
from meanbead.core.strokes.walls import grown

Floats = NDArray[np.float64]

DIRECTIONS = 12
"""Directions that are tried over half a turn."""

LEAST_ANCHORED = 0.6
"""Share of the length of probe strands that must rest on both ends, or the floor is an overhang, not a bridge."""

_LEAST_WIDTH_MM = 2.0
_PROBE_MM = 1.0
_NONE = shapely.MultiPolygon()


def find_bridges(
    bottom: Objects, layer: NDArray[np.int64], sections: Objects, reach_mm: Floats
) -> tuple[Objects, Objects, Floats]:
    """Split floors into those that lie on or hang over something else, and bridges with their directions.

    ``reach_mm`` is how far beyond the floor's edge a strand is held: the depth of the walls and a bead. Of the
    directions in which at least :data:`LEAST_ANCHORED` of the strands are held at both ends, the one with the
    shortest mean strand is taken. Returns floors (n,), bridges (n,) and angles in radians (n,).
    """
    bridges = np.full(len(bottom), _NONE, dtype=object)
    angles = np.zeros(len(bottom))
    at = np.flatnonzero((layer > 0) & ~shapely.is_empty(bottom))
    if not len(at):
        return bottom, bridges, angles
    parts, source = shapely.get_parts(bottom[at], return_index=True)
    whole = at[source]
    # What lies on the section below is no bridge; of the rest only what is wide enough for strands.
    air = difference(np.asarray(parts, dtype=object), sections[layer[whole] - 1])
    broad = ~shapely.is_empty(grown(air, np.full(len(air), -_LEAST_WIDTH_MM / 2)))
    parts, whole = np.asarray(parts, dtype=object)[broad], whole[broad]
    if not len(parts):
        return bottom, bridges, angles
    share, span = probe_strands(parts, sections[layer[whole] - 1], reach_mm[whole])
    span[share < LEAST_ANCHORED] = np.inf
    best = np.argmin(span, axis=1)
    held = np.isfinite(span[np.arange(len(span)), best])
    floors = bottom.copy()
    for index in np.unique(whole[held]):
        mine = held & (whole == index)
        bridges[index] = shapely.union_all(parts[mine])
        floors[index] = _areas(without(bottom[index], bridges[index]))
        # Several bridges of one region share the direction of the largest.
        areas = np.where(mine, shapely.area(parts), 0.0)
        angles[index] = best[np.argmax(areas)] * np.pi / DIRECTIONS
    return floors, bridges, angles


def probe_strands(parts: Objects, below: Objects, reach_mm: Floats) -> tuple[Floats, Floats]:
    """Share of strand length held at both ends, and mean length of those strands, by part and direction."""
    count = len(parts)
    shares, spans = np.zeros((count, DIRECTIONS)), np.full((count, DIRECTIONS), np.inf)
    below = prepared_copies(below)
    for turn in range(DIRECTIONS):
        angle = np.full(count, turn * np.pi / DIRECTIONS)
        lines = scan_lines(parts, angle, np.full(count, _PROBE_MM), fit=True)
        way = np.array([np.cos(angle[0]), np.sin(angle[0])])
        out = reach_mm[lines.region, None] * way
        first, last = lines.start - out, lines.end + out
        under = below[lines.region]
        held = shapely.contains_xy(under, first[:, 0], first[:, 1]) & shapely.contains_xy(under, last[:, 0], last[:, 1])
        length = np.hypot(*(lines.end - lines.start).T)
        total = np.bincount(lines.region, weights=length, minlength=count)
        held_mm = np.bincount(lines.region, weights=length * held, minlength=count)
        strands = np.bincount(lines.region, weights=held.astype(float), minlength=count)
        shares[:, turn] = np.divide(held_mm, total, out=np.zeros(count), where=total > 0)
        spans[:, turn] = np.divide(held_mm, strands, out=np.full(count, np.inf), where=strands > 0)
    return shares, spans


def _areas(region: shapely.Geometry) -> shapely.Geometry:
    parts = [part for part in shapely.get_parts(region) if part.geom_type == "Polygon" and part.area > 0.02]
    return shapely.multipolygons(parts) if parts else _NONE
