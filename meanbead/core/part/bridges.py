"""Bridges: floors over air, whose strands rest on something at both ends, or only hang."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray

from meanbead.core.geometry.offsets import grown
from meanbead.core.geometry.overlay import difference, intersection, prepared_copies, without
from meanbead.core.geometry.scanlines import scan_lines
from meanbead.core.runtime.parallel import Objects

__all__ = ["MIN_ANCHORED", "find_bridges", "probe_strands"]

Floats = NDArray[np.float64]

DIRECTIONS = 12
"""Directions that are tried over half a turn."""

MIN_ANCHORED = 0.6
"""Share of the length of probe strands that must rest on both ends, or the floor is an overhang, not a bridge."""

_MIN_WIDTH_MM = 2.0
_PROBE_MM = 1.0
_NONE = shapely.MultiPolygon()


def find_bridges(
    bottom: Objects, layer: NDArray[np.int64], sections: Objects, reach_mm: Floats, line_mm: Floats, *, unheld: bool
) -> tuple[Objects, Objects, Floats, Floats]:
    """Split floors into those that lie on something, and those over air, laid as bridges, with their directions.

    ``reach_mm`` is how far beyond the floor's edge a strand is held: the depth of the walls and a bead. Of the
    directions in which at least :data:`MIN_ANCHORED` of the strands are held at both ends, the one with the
    shortest mean strand is taken. A floor that is only a strip between the walls goes by its whole opening. Where there is none and the floor is ``unheld`` by supports, what of it has nothing
    under it, at least a line ``line_mm`` wide, hangs: it is laid as a bridge, too, in the direction in which most is held.
    Returns floors (n,), bridges (n,), angles in radians (n,), and the area that only hangs, mm2 (n,).
    """
    bridges = np.full(len(bottom), _NONE, dtype=object)
    angles, hanging = np.zeros(len(bottom)), np.zeros(len(bottom))
    at = np.flatnonzero((layer > 0) & ~shapely.is_empty(bottom))
    if not len(at):
        return bottom, bridges, angles, hanging
    parts, source = shapely.get_parts(bottom[at], return_index=True)
    whole = at[source]
    # What lies on the section below is no bridge; of the rest only what is wide enough for strands.
    air = difference(np.asarray(parts, dtype=object), sections[layer[whole] - 1])
    line = line_mm[whole]
    shrunk = grown(air, -(line / 2 if unheld else np.full(len(air), _MIN_WIDTH_MM / 2)))
    # A ring that is on average narrower than half a line has no room for one anywhere.
    broad = ~shapely.is_empty(shrunk) & (2 * shapely.area(air) > 0.5 * line * shapely.length(air))
    parts, whole, air = np.asarray(parts, dtype=object)[broad], whole[broad], air[broad]
    if not len(parts):
        return bottom, bridges, angles, hanging
    shrunk, line = shrunk[broad], line[broad]
    wide = ~shapely.is_empty(grown(air, np.full(len(air), -_MIN_WIDTH_MM / 2)))
    share, span = probe_strands(parts, sections[layer[whole] - 1], reach_mm[whole])
    span[share < MIN_ANCHORED] = np.inf
    best = np.argmin(span, axis=1)
    held = np.isfinite(span[np.arange(len(span)), best]) & wide
    best = np.where(held, best, np.argmax(share, axis=1))
    turned = best * (np.pi / DIRECTIONS)
    # What the walls leave of an opening may be a narrow strip: the opening is held, or not, as a whole.
    strip = np.flatnonzero(~held)
    if len(strip):
        over = layer[whole[strip]]
        across = _openings_held(parts[strip], sections[over], sections[over - 1], line[strip])
        found = np.isfinite(across)
        turned[strip[found]], held[strip[found]] = across[found], True
    laid = np.where(held, parts, _NONE)
    if unheld:
        laid[~held] = intersection(grown(shrunk[~held], 0.55 * line[~held]), air[~held])
    floors = bottom.copy()
    for index in np.unique(whole[~shapely.is_empty(laid)]):
        mine = whole == index
        bridges[index] = _areas(shapely.union_all(laid[mine]))
        floors[index] = _areas(without(bottom[index], bridges[index]))
        hanging[index] = float(shapely.area(laid[mine & ~held]).sum())
        # Several of one region share the direction of the largest.
        areas = np.where(mine, shapely.area(laid), 0.0)
        angles[index] = turned[np.argmax(areas)]
    return floors, bridges, angles, hanging


def _openings_held(parts: Objects, own: Objects, below: Objects, line_mm: Floats) -> Floats:
    """The direction, rad, in which the opening under each floor, its walls included, is bridged with the shortest strands; NaN
    where it is held in none. A strand is held a line beyond the opening's edge. Beside the usual directions those of the
    opening's own sides are tried, for a narrow one is missed by all others."""
    found = np.full(len(parts), np.nan)
    openings, source = shapely.get_parts(difference(own, below), return_index=True)
    openings = np.asarray(openings, dtype=object)
    meet = shapely.area(intersection(openings, parts[source])) > 0.5 * shapely.area(parts[source])
    room = ~shapely.is_empty(grown(openings, -line_mm[source] / 2))
    at = np.flatnonzero(meet & room)
    if not len(at):
        return found
    openings, source = openings[at], source[at]
    under, reach = prepared_copies(below[source]), line_mm[source]
    corners = shapely.get_coordinates(shapely.minimum_rotated_rectangle(openings)).reshape(-1, 5, 2)
    side = corners[:, 1] - corners[:, 0]
    own_axis = np.arctan2(side[:, 1], side[:, 0]) % np.pi
    usual = np.tile(np.arange(DIRECTIONS) * np.pi / DIRECTIONS, (len(at), 1))
    tried = np.column_stack([own_axis, (own_axis + np.pi / 2) % np.pi, usual])
    span = np.full(tried.shape, np.inf)
    for k in range(tried.shape[1]):
        share, mean = _probed(openings, under, reach, tried[:, k])
        span[:, k] = np.where(share >= MIN_ANCHORED, mean, np.inf)
    best = np.argmin(span, axis=1)
    held = np.isfinite(span[np.arange(len(span)), best])
    found[source[held]] = tried[held, best[held]]
    return found


def probe_strands(parts: Objects, below: Objects, reach_mm: Floats) -> tuple[Floats, Floats]:
    """Share of strand length held at both ends, and mean length of those strands, by part and direction."""
    count = len(parts)
    shares, spans = np.zeros((count, DIRECTIONS)), np.full((count, DIRECTIONS), np.inf)
    below = prepared_copies(below)
    for turn in range(DIRECTIONS):
        angle = np.full(count, turn * np.pi / DIRECTIONS)
        shares[:, turn], spans[:, turn] = _probed(parts, below, reach_mm, angle)
    return shares, spans


def _probed(parts: Objects, below: Objects, reach_mm: Floats, angle_rad: Floats) -> tuple[Floats, Floats]:
    """The same in one direction each; ``below`` made ready for questions."""
    count = len(parts)
    lines = scan_lines(parts, angle_rad, np.full(count, _PROBE_MM), fit=True)
    way = np.stack([np.cos(angle_rad), np.sin(angle_rad)], axis=1)[lines.region]
    out = reach_mm[lines.region, None] * way
    first, last = lines.start - out, lines.end + out
    under = below[lines.region]
    held = shapely.contains_xy(under, first[:, 0], first[:, 1]) & shapely.contains_xy(under, last[:, 0], last[:, 1])
    length = np.hypot(*(lines.end - lines.start).T)
    total = np.bincount(lines.region, weights=length, minlength=count)
    held_mm = np.bincount(lines.region, weights=length * held, minlength=count)
    strands = np.bincount(lines.region, weights=held.astype(float), minlength=count)
    share = np.divide(held_mm, total, out=np.zeros(count), where=total > 0)
    return share, np.divide(held_mm, strands, out=np.full(count, np.inf), where=strands > 0)


def _areas(region: shapely.Geometry) -> shapely.Geometry:
    parts = [part for part in shapely.get_parts(region) if part.geom_type == "Polygon" and part.area > 0.02]
    return shapely.multipolygons(parts) if parts else _NONE
