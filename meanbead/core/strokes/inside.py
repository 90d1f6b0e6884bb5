"""Travel that stays over the part: no string can form where others see it, so it needs no retraction."""

from __future__ import annotations

from dataclasses import fields, replace

import numpy as np
import shapely
from numpy.typing import NDArray

from meanbead.core.geometry.offsets import Loops, loops_of
from meanbead.core.geometry.ways import Ways, find_ways_in
from meanbead.core.runtime.parallel import Objects, parallel_map
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
    detours: dict[int, NDArray[np.float64]] = {}

    def look(loops: Loops) -> None:
        left = at[~inside[at]]
        every = np.arange(len(sections) + 1)
        bounds, ends = np.searchsorted(part_layer[left], every), np.searchsorted(loops.source, every)

        def ways(layers: tuple[int, int]) -> tuple[NDArray[np.int64], Ways]:
            low, high = layers
            asked = left[bounds[low] : bounds[high]]
            first_way = bounds[low : high + 1] - bounds[low]
            shape = (loops.points, loops.offsets)
            return asked, find_ways_in(shape, ends[low : high + 1], rows.xy[asked], first_way, _EDGE_MM, LONGEST_DETOUR)

        # Cut in two where half of the ways lie below.
        middle = int(np.searchsorted(bounds, len(left) / 2))
        for asked, made in parallel_map(ways, [(0, middle), (middle, len(sections))]):
            inside[asked[made.found > 0]] = True
            for k in np.flatnonzero(made.found == 2).tolist():
                detours[int(asked[k])] = made.corners[made.offsets[k] : made.offsets[k + 1]]

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


def _with_detours(rows: Ordered, detours: dict[int, NDArray[np.float64]]) -> Ordered:
    """Rows in which some travel goes by the corners given for it."""
    if not detours:
        return rows
    repeat = np.ones(len(rows.layer), dtype=np.int64)
    for at, corners in detours.items():
        repeat[at] += len(corners)
    first = np.cumsum(repeat) - repeat
    made = replace(rows, **{field.name: np.repeat(getattr(rows, field.name), repeat, axis=0) for field in fields(rows)})
    for at, corners in detours.items():
        low, high = first[at], first[at] + len(corners)
        made.xy[low:high, 2:4] = corners
        made.xy[low + 1 : high + 1, 0:2] = corners
    return made
