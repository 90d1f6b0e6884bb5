"""Travel that stays inside the part: no string can form where others see it, so it needs no retraction."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import shapely
from numpy.typing import NDArray

from meanbead.core.geometry.offsets import grown
from meanbead.core.geometry.overlay import difference
from meanbead.core.runtime.alike import alike
from meanbead.core.runtime.parallel import Objects
from meanbead.core.strokes.features import Feature
from meanbead.core.strokes.order import Ordered

__all__ = ["keep_inside"]

LONGEST_DETOUR = 4.0
"""A way round is taken if it is at most so many times as long as the straight one; else the nozzle goes straight."""

_SHORTEST_MM = 1.0
_NEAR_MM = 0.05
"""Both ends of a travel lie at most so far from the body that it stays in: strokes run along its edge."""


def keep_inside(rows: Ordered, sections: Objects, shift: int, depth_mm: NDArray[np.float64]) -> Ordered:
    """Mark travel that crosses no outline as inside, and lead what would cross one along it where that is not too far.

    ``sections`` by layer of the part, which begins at layer ``shift``; ``depth_mm`` is how far below the outline the
    nozzle keeps, by layer.
    """
    step = rows.xy[:, 2:4] - rows.xy[:, 0:2]
    length = np.hypot(step[:, 0], step[:, 1])
    part_layer = rows.layer - shift
    asked = (rows.feature == Feature.TRAVEL) & ~rows.inside & (length > _SHORTEST_MM) & (part_layer >= 0)
    # A change of layer is a travel, too, and is made at the new height.
    at = np.flatnonzero(asked)
    if not len(at):
        return rows
    layers, which = np.unique(part_layer[at], return_inverse=True)
    room = grown(sections[layers], -depth_mm[layers] * 0.98)[which]
    lines = shapely.linestrings(rows.xy[at].reshape(-1, 2, 2))
    shapely.prepare(room)
    clear = shapely.covers(room, lines)
    shapely.destroy_prepared(room)
    inside = rows.inside.copy()
    inside[at[clear]] = True
    cross = np.flatnonzero(~clear)
    ways = zip(at[cross].tolist(), _ways_round(room[cross], lines[cross]), strict=True)
    detours = {row: way for row, way in ways if way is not None}
    return _with_detours(replace(rows, inside=inside), detours)


class _Body:
    """One body of a room, made ready for many questions."""

    def __init__(self, region: shapely.Geometry) -> None:
        self.region = region
        self.rings = shapely.get_rings(region)
        self._tree = shapely.STRtree(self.rings)
        shapely.prepare(region)

    def ring_at(self, point: shapely.Geometry) -> shapely.Geometry:
        """The ring that is nearest to a point."""
        return self.rings[int(self._tree.query_nearest(point).min())]


def _ways_round(rooms: Objects, lines: Objects) -> list[NDArray[np.float64] | None]:
    """:func:`_way_round` of each line in its room; None as well where no body of the room is near both ends."""
    body_of: list[_Body | None] = [None] * len(lines)
    ends = shapely.points(shapely.get_coordinates(lines).reshape(-1, 2, 2))
    first, which = alike(rooms)
    for number, room in enumerate(rooms[first]):
        mine = np.flatnonzero(which == number)
        for region in shapely.get_parts(room):
            if not len(mine):
                break
            body = _Body(region)
            near = shapely.dwithin(region, ends[mine, 0], _NEAR_MM) & shapely.dwithin(region, ends[mine, 1], _NEAR_MM)
            for k in mine[near].tolist():
                body_of[k] = body
            mine = mine[~near]
    bodies = [(k, body) for k, body in enumerate(body_of) if body is not None]
    ways: list[NDArray[np.float64] | None] = [None] * len(lines)
    if bodies:
        at = np.array([k for k, _ in bodies])
        regions = np.empty(len(bodies), dtype=object)
        regions[:] = [body.region for _, body in bodies]
        for (k, body), outside in zip(bodies, difference(lines[at], regions), strict=True):
            ways[k] = _way_round(body, lines[k], outside)
    return ways


def _way_round(body: _Body, line: shapely.Geometry, outside: shapely.Geometry) -> NDArray[np.float64] | None:
    """A way between the line's ends that follows the body's edge wherever the line leaves it, or None; ``outside`` is what of
    the line does."""
    start, end = shapely.get_coordinates(line)
    straight = float(shapely.length(line))
    stops = [(0.0, [start])]
    for part in shapely.get_parts(outside):
        if part.length <= 1e-6:
            continue
        first, last = (shapely.points(point) for point in shapely.get_coordinates(part)[[0, -1]])
        ring = body.ring_at(first)
        if shapely.distance(ring, last) > 0.1:
            return None
        stops.append((float(shapely.line_locate_point(line, first)), list(_along(ring, first, last))))
    stops.sort(key=lambda stop: stop[0])
    way = np.vstack([np.vstack(points) for _, points in stops] + [end[None, :]])
    way = shapely.get_coordinates(shapely.simplify(shapely.linestrings(way), 0.05))
    if np.hypot(*np.diff(way, axis=0).T).sum() > LONGEST_DETOUR * straight + 2.0:
        return None
    return np.asarray(way)


def _along(ring: shapely.Geometry, first: shapely.Geometry, last: shapely.Geometry) -> NDArray[np.float64]:
    """The shorter way along a ring between two points on it."""
    total = ring.length
    a, b = ring.project(first), ring.project(last)
    low, high = min(a, b), max(a, b)
    direct: NDArray[np.float64] = shapely.get_coordinates(_stretch(ring, low, high))
    if high - low <= total / 2:
        return direct if a <= b else direct[::-1]
    around: NDArray[np.float64] = np.vstack(
        [shapely.get_coordinates(_stretch(ring, high, total)), shapely.get_coordinates(_stretch(ring, 0.0, low))]
    )
    return around if a > b else around[::-1]


def _stretch(ring: shapely.Geometry, low: float, high: float) -> shapely.Geometry:
    from shapely.ops import substring

    return substring(ring, low, high)


def _with_detours(rows: Ordered, detours: dict[int, NDArray[np.float64]]) -> Ordered:
    if not detours:
        return rows
    repeat = np.ones(len(rows.layer), dtype=np.int64)
    for at, way in detours.items():
        repeat[at] = len(way) - 1
    xy = np.repeat(rows.xy, repeat, axis=0)
    inside = np.repeat(rows.inside, repeat)
    first = np.cumsum(repeat) - repeat
    for at, way in detours.items():
        stretch = slice(first[at], first[at] + len(way) - 1)
        xy[stretch, 0:2], xy[stretch, 2:4] = way[:-1], way[1:]
        inside[stretch] = True
    return Ordered(
        xy,
        np.repeat(rows.width_mm, repeat),
        np.repeat(rows.height_mm, repeat),
        np.repeat(rows.feature, repeat),
        np.repeat(rows.layer, repeat),
        inside,
    )
