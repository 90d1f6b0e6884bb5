"""Supports: where a part overhangs too far, what stands under it, as columns or as trees.

A layer may stand out over the one below by ``h tan(angle)``, the angle counted from upright. What stands out further
needs support, and so does everything below it down to the bed or to the part.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from meanbead.core.geometry.offsets import grown
from meanbead.core.geometry.overlay import difference, intersection, together, without
from meanbead.core.model.plan import SupportShape
from meanbead.core.part.slices import Layers
from meanbead.core.runtime.parallel import Objects
from meanbead.core.runtime.trees import tree_of
from meanbead.core.strokes.cut import Cut
from meanbead.core.strokes.stage import Remembered, StageInputs

__all__ = ["Scaffold", "ScaffoldInputs", "find_supports", "overhangs"]

Floats = NDArray[np.float64]

TREE_LEAN = math.tan(math.radians(40))
"""Branches move sideways by at most this much per height."""

TREE_TIP_MM = 0.8
TREE_GROWTH = 0.04
"""Branches gain this radius per mm of way down, up to :data:`TREE_MOST_MM`."""
TREE_MOST_MM = 4.0

_TOLERANCE_MM = 0.05
_SPLINTER_MM = 0.002
_NONE = shapely.MultiPolygon()


@dataclass(frozen=True)
class Scaffold:
    """Regions by layer: ``sparse`` filled with spaced lines (columns) or outlined (trees), ``dense`` with an interface; lines by
    layer, ``beams``, that run from tip to tip of trees and carry an interface. ``left_out_mm2`` of overhangs got no support
    although it was asked for."""

    sparse: Objects
    dense: Objects
    beams: Objects
    left_out_mm2: float = 0.0

    def of_layers(self, chosen: NDArray[np.bool_]) -> Scaffold:
        """The same, empty but for chosen layers, bool (layers,)."""
        sparse, dense, beams = (np.where(chosen, regions, _NONE) for regions in (self.sparse, self.dense, self.beams))
        return Scaffold(sparse, dense, beams, self.left_out_mm2)

    @property
    def nbytes(self) -> int:
        """Memory held, bytes, estimated from the coordinates."""
        held = (self.sparse, self.dense, self.beams)
        return 32 * sum(int(shapely.get_num_coordinates(regions).sum()) for regions in held)


@dataclass(frozen=True)
class ScaffoldInputs(StageInputs):
    """The sections, and how their overhangs are supported."""

    cut: Remembered[Cut]
    supports: SupportShape


def find_supports(inputs: ScaffoldInputs) -> Scaffold:
    """Regions to support with, by layer."""
    shape = inputs.supports
    sections, layers = inputs.cut.value.sections, inputs.cut.value.layers
    overhang = overhangs(sections, layers, shape.angle_deg)
    count = len(layers)
    clear = grown(sections, np.full(count, shape.gap_mm))
    blocked = _blocked_from_bed(clear) if shape.bed_only else None
    needed = np.full(count, _NONE, dtype=object)
    standing: shapely.Geometry = _NONE
    left_out_mm2 = 0.0
    for index in range(count - 1, -1, -1):
        above = index + 1 + shape.gap_layers
        asked = overhang[above] if above < count else _NONE
        if not asked.is_empty:
            standing = together(standing, asked)
        if standing.is_empty:
            continue
        standing = _tidy(without(standing, clear[index]))
        if blocked is not None:
            standing = _tidy(without(standing, blocked[index]))
        needed[index] = standing
        if not asked.is_empty:
            left_out_mm2 += _left_out_mm2(asked, standing)
    dense = _interface(needed, shape.interface_layers)
    beams = np.full(count, _NONE, dtype=object)
    if shape.kind == "trees":
        sparse, beams = _trees(needed, dense, clear, layers, shape)
    else:
        sparse = np.array([_tidy(without(a, b)) for a, b in zip(needed, dense, strict=True)], dtype=object)
    return Scaffold(sparse, dense, beams, left_out_mm2)


def _left_out_mm2(asked: shapely.Geometry, standing: shapely.Geometry) -> float:
    """Area of the pieces of an overhang under which nothing stands, mm2: the gap beside the part took all of it, or the bed is
    out of reach."""
    parts = shapely.get_parts(asked)
    if standing.is_empty:
        return float(shapely.area(parts).sum())
    return float(shapely.area(parts[~shapely.intersects(standing, parts)]).sum())


def overhangs(sections: Objects, layers: Layers, angle_deg: float) -> Objects:
    """What of each layer stands out over the one below by more than ``h tan(angle)``; shape (layers,)."""
    result = np.full(len(sections), _NONE, dtype=object)
    if len(sections) < 2:
        return result
    reach = layers.height_mm[1:] * math.tan(math.radians(angle_deg)) + _SPLINTER_MM
    free = difference(sections[1:], grown(sections[:-1], reach))
    splinters = np.full(len(free), _SPLINTER_MM)
    firm = grown(grown(free, -splinters), splinters)
    # On a slope each layer stands out by a narrow strip; they join once the share that holds itself is put back.
    result[1:] = intersection(grown(firm, reach + _TOLERANCE_MM), sections[1:])
    return np.array([_tidy(region) for region in result], dtype=object)


def _blocked_from_bed(clear: Objects) -> Objects:
    """Everything that has part below it, by layer."""
    blocked = np.full(len(clear), _NONE, dtype=object)
    so_far: shapely.Geometry = _NONE
    for index, region in enumerate(clear):
        so_far = _tidy(together(so_far, region))
        blocked[index] = so_far
    return blocked


def _interface(needed: Objects, count: int) -> Objects:
    """The topmost ``count`` layers of every stretch of support."""
    dense = np.full(len(needed), _NONE, dtype=object)
    for index in range(len(needed)):
        if count and not needed[index].is_empty:
            above = needed[index + count] if index + count < len(needed) else _NONE
            dense[index] = _tidy(without(needed[index], above))
    return dense


def _trees(
    needed: Objects, dense: Objects, clear: Objects, layers: Layers, shape: SupportShape
) -> tuple[Objects, Objects]:
    """Branches from tips under the interface down, leaning towards each other until they meet, and the beams between tips.

    Under a broad interface beams run across its lines, at most ``spacing_mm`` apart, each from tip to tip: so no line of it
    hangs further than that. Elsewhere, and without an interface, tips stand on a grid in what has become needed. Each layer
    down a branch moves towards its nearest neighbour by at most :data:`TREE_LEAN` heights; where the part is in the way it
    stays upright, and where the part is below, it stands on the part.
    """
    trees, beams = np.full(len(needed), _NONE, dtype=object), np.full(len(needed), _NONE, dtype=object)
    under_beams = np.empty((0, 2))
    place = np.empty((0, 2))
    way = np.empty(0)
    tips_at = dense if shape.interface_layers else needed
    covered: shapely.Geometry = _NONE
    for index in range(len(needed) - 1, -1, -1):
        height = float(layers.height_mm[index])
        fresh = without(tips_at[index], covered)
        covered = tips_at[index]
        # A tip starts below its interface.
        if len(place):
            place, way = _descend(place, way, height, clear[index])
        # Where beams lie on the next layer up, their tips begin here.
        tips, under_beams = under_beams, np.empty((0, 2))
        if index > 1 and shape.interface_layers:
            broad, narrow = _broad(fresh, shape.spacing_mm)
            lines = _beams(without(broad, clear[index - 1]), shape.spacing_mm)
            beams[index - 1] = shapely.multilinestrings(lines) if len(lines) else _NONE
            under_beams = _along_beams(lines, shape.spacing_mm)
            fresh = narrow
        tips = np.concatenate([tips, _grid(fresh, shape.spacing_mm)])
        place, way = np.concatenate([place, tips]), np.concatenate([way, np.zeros(len(tips))])
        if not len(place):
            continue
        radius = np.minimum(TREE_TIP_MM + TREE_GROWTH * way, TREE_MOST_MM)
        round_ones = shapely.buffer(shapely.points(place), radius, quad_segs=4)
        region = without(shapely.union_all(round_ones), clear[index])
        trees[index] = _tidy(without(region, dense[index]))
    return trees, beams


def _broad(region: shapely.Geometry, spacing_mm: float) -> tuple[shapely.Geometry, shapely.Geometry]:
    """The pieces of a region in which a beam and its tips have room, and the others."""
    parts = [part for part in shapely.get_parts(region) if part.geom_type == "Polygon" and part.area > 0.1]
    wide = [not part.buffer(-spacing_mm / 4).is_empty and part.area > spacing_mm**2 / 2 for part in parts]
    broad = [part for part, is_wide in zip(parts, wide, strict=True) if is_wide]
    narrow = [part for part, is_wide in zip(parts, wide, strict=True) if not is_wide]
    return tuple(shapely.multipolygons(some) if some else _NONE for some in (broad, narrow))


def _beams(region: shapely.Geometry, spacing_mm: float) -> list[Any]:
    """Beams across each piece of a region, in x, at most ``spacing_mm`` apart and near its edges."""
    lines: list[Any] = []
    for part in shapely.get_parts(region):
        if part.geom_type != "Polygon" or part.is_empty:
            continue
        _, low, _, high = part.bounds
        count = max(2, math.ceil((high - low) / spacing_mm) + 1)
        inset = min(TREE_TIP_MM / 2, (high - low) / 4)
        for y in np.linspace(low + inset, high - inset, count).tolist():
            across = shapely.linestrings([(part.bounds[0] - 1, y), (part.bounds[2] + 1, y)])
            lines.extend(
                line
                for line in shapely.get_parts(shapely.intersection(part, across))
                if line.geom_type == "LineString" and line.length > TREE_TIP_MM
            )
    return lines


def _along_beams(lines: list[Any], spacing_mm: float) -> Floats:
    """Tips under beams: near both ends, and at most ``spacing_mm`` apart."""
    found = [np.empty((0, 2))]
    for line in lines:
        inset = min(TREE_TIP_MM, line.length / 2)
        count = max(1, math.ceil((line.length - 2 * inset) / spacing_mm)) + 1
        at = np.unique(np.linspace(inset, line.length - inset, count))
        found.append(shapely.get_coordinates(shapely.line_interpolate_point(line, at)))
    return np.concatenate(found)


def _descend(place: Floats, way: Floats, height: float, clear: shapely.Geometry) -> tuple[Floats, Floats]:
    """Branches one layer further down, joined where they meet."""
    moved = place.copy()
    if len(place) > 1:
        distance, near = tree_of(place).query(place, k=2)
        toward = place[near[:, 1]] - place
        gap = np.maximum(distance[:, 1], 1e-9)
        step = np.minimum(height * TREE_LEAN, gap / 2)
        moved = place + toward / gap[:, None] * step[:, None]
        hit = shapely.contains_xy(clear, moved[:, 0], moved[:, 1])
        moved[hit] = place[hit]
    ends = shapely.contains_xy(clear, moved[:, 0], moved[:, 1])
    moved, way = moved[~ends], way[~ends] + height
    if len(moved) < 2:
        return moved, way
    # Join pairs that have met; each branch joins once a layer.
    pairs = tree_of(moved).query_pairs(TREE_TIP_MM / 2, output_type="ndarray")
    keep = np.ones(len(moved), dtype=bool)
    for first, second in pairs[np.lexsort((pairs[:, 1], pairs[:, 0]))]:
        if keep[first] and keep[second]:
            way[first] = max(way[first], way[second])
            keep[second] = False
    return moved[keep], way[keep]


def _grid(region: shapely.Geometry, spacing_mm: float) -> Floats:
    """Grid points inside a region, and one for each piece that none falls into."""
    found = []
    for part in shapely.get_parts(region):
        if part.geom_type != "Polygon" or part.area < 0.1:
            continue
        x0, y0, x1, y1 = part.bounds
        x, y = np.meshgrid(
            np.arange(math.ceil(x0 / spacing_mm), math.floor(x1 / spacing_mm) + 1) * spacing_mm,
            np.arange(math.ceil(y0 / spacing_mm), math.floor(y1 / spacing_mm) + 1) * spacing_mm,
        )
        inside = shapely.contains_xy(part, x.ravel(), y.ravel())
        points = np.column_stack([x.ravel(), y.ravel()])[inside]
        found.append(points if len(points) else shapely.get_coordinates(part.representative_point()))
    return np.concatenate(found) if found else np.empty((0, 2))


def _tidy(region: shapely.Geometry) -> shapely.Geometry:
    """Without points, lines and specks, and without corners that no strand would show."""
    if region.is_empty:
        return _NONE
    simple = shapely.simplify(region, _TOLERANCE_MM)
    parts = [part for part in shapely.get_parts(simple) if part.geom_type == "Polygon" and part.area > 0.1]
    return shapely.multipolygons(parts) if parts else _NONE
