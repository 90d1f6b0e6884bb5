"""Travel that stays over the part: no string can form where others see it, so it needs no retraction."""

from __future__ import annotations

from dataclasses import fields, replace

import numpy as np
import shapely
from numpy.typing import NDArray

from meanbead.core.geometry.offsets import Loops, loops_of
from meanbead.core.geometry.ways import Ways, find_ways_in
from meanbead.core.runtime.alike import ranges
from meanbead.core.runtime.parallel import Objects
from meanbead.core.strokes.features import Feature
from meanbead.core.strokes.order import Ordered

__all__ = ["LONGEST_DETOUR", "keep_inside"]

LONGEST_DETOUR = 3.0
"""A way round is taken if it is at most so many times as long as the straight one."""

_EDGE_MM = 0.005
"""Strokes may run along the outer wall's line, and end on the section's very edge; a way may touch both, but not cross."""


def keep_inside(rows: Ordered, walls: Loops, sections: Objects, shift: int) -> Ordered:
    """Mark travel that stays over the part as inside, and lead round what would leave it where that is not too far.

    ``walls`` are the lines of the outer walls, by layer (their ``source``); ``sections`` by layer of the part, which begins at
    layer ``shift``. In this order: straight, or round, within the outer walls' lines; straight, or round, within the section;
    else straight, and not inside, whatever it was marked before. Layers under the part are left as they are.
    """
    part_layer = rows.layer - shift
    at = np.flatnonzero((rows.feature == Feature.TRAVEL) & (part_layer >= 0) & (part_layer < len(sections)))
    if not len(at):
        return rows
    inside = rows.inside.copy()
    inside[at] = False
    detours: list[tuple[NDArray[np.int64], Ways]] = []

    def look(loops: Loops) -> None:
        left = at[~inside[at]]
        every = np.arange(len(sections) + 1)
        first_way, first_loop = np.searchsorted(part_layer[left], every), np.searchsorted(loops.source, every)
        shape = (loops.points, loops.offsets)
        made = find_ways_in(shape, first_loop, rows.xy[left], first_way, _EDGE_MM, LONGEST_DETOUR)
        inside[left[made.found > 0]] = True
        detours.append((left, made))

    look(walls)
    rest = np.unique(part_layer[at[~inside[at]]]).astype(np.int64)
    if len(rest):
        look(_rings(sections, rest))
    return _with_detours(replace(rows, inside=inside), detours)


def _rings(sections: Objects, layers: NDArray[np.int64]) -> Loops:
    """The rings of the sections of some layers, wound as insets are; ``source`` is the layer."""
    parts, source = shapely.get_parts(sections[layers], return_index=True)
    loops = loops_of(shapely.orient_polygons(parts, exterior_cw=True))
    return Loops(loops.points, loops.offsets, layers[source[loops.source]])


def _with_detours(rows: Ordered, detours: list[tuple[NDArray[np.int64], Ways]]) -> Ordered:
    """Rows in which some travel goes by the corners found for it."""
    counts = [np.diff(made.offsets) for _, made in detours]
    at = np.concatenate([asked[count > 0] for (asked, _), count in zip(detours, counts, strict=True)])
    if not len(at):
        return rows
    count = np.concatenate([count[count > 0] for count in counts])
    corners = np.concatenate([made.corners for _, made in detours])
    repeat = np.ones(len(rows.layer), dtype=np.int64)
    repeat[at] += count
    first = np.cumsum(repeat) - repeat
    made = replace(rows, **{field.name: np.repeat(getattr(rows, field.name), repeat, axis=0) for field in fields(rows)})
    places = ranges(first[at], count)
    made.xy[places, 2:4] = corners
    made.xy[places + 1, 0:2] = corners
    return made
