"""Supports: where a part overhangs too far, what stands under it, as columns or as trees.

A layer may stand out over the one below by ``h tan(angle)``, the angle counted from upright. What stands out further
needs support, and so does everything below it down to the bed or to the part.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

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
    """Regions by layer: ``sparse`` filled with spaced lines (columns) or outlined (trees), ``dense`` with an interface."""

    sparse: Objects
    dense: Objects

    def of_layers(self, chosen: NDArray[np.bool_]) -> Scaffold:
        """The same, empty but for chosen layers, bool (layers,)."""
        return Scaffold(np.where(chosen, self.sparse, _NONE), np.where(chosen, self.dense, _NONE))

    @property
    def nbytes(self) -> int:
        """Memory held, bytes, estimated from the coordinates."""
        return 32 * sum(int(shapely.get_num_coordinates(regions).sum()) for regions in (self.sparse, self.dense))


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
    for index in range(count - 1, -1, -1):
        above = index + 1 + shape.gap_layers
        if above < count and not overhang[above].is_empty:
            standing = together(standing, overhang[above])
        if standing.is_empty:
            continue
        standing = _tidy(without(standing, clear[index]))
        if blocked is not None:
            standing = _tidy(without(standing, blocked[index]))
        needed[index] = standing
    dense = _interface(needed, shape.interface_layers)
    if shape.kind == "trees":
        sparse = _trees(needed, dense, clear, layers, shape)
    else:
        sparse = np.array([_tidy(without(a, b)) for a, b in zip(needed, dense, strict=True)], dtype=object)
    return Scaffold(sparse, dense)


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


def _trees(needed: Objects, dense: Objects, clear: Objects, layers: Layers, shape: SupportShape) -> Objects:
    """Branches from tips under the interface down, leaning towards each other until they meet.

    Tips stand on a grid ``spacing_mm`` wide in what has become needed. Each layer down a branch moves towards its
    nearest neighbour by at most :data:`TREE_LEAN` heights; where the part is in the way it stays upright, and where
    the part is below, it stands on the part.
    """
    trees = np.full(len(needed), _NONE, dtype=object)
    place = np.empty((0, 2))
    way = np.empty(0)
    tips_at = dense if shape.interface_layers else needed
    covered: shapely.Geometry = _NONE
    for index in range(len(needed) - 1, -1, -1):
        height = float(layers.height_mm[index])
        tips = _grid(without(tips_at[index], covered), shape.spacing_mm)
        covered = tips_at[index]
        # A tip starts below its interface.
        if len(place):
            place, way = _descend(place, way, height, clear[index])
        place, way = np.concatenate([place, tips]), np.concatenate([way, np.zeros(len(tips))])
        if not len(place):
            continue
        radius = np.minimum(TREE_TIP_MM + TREE_GROWTH * way, TREE_MOST_MM)
        round_ones = shapely.buffer(shapely.points(place), radius, quad_segs=4)
        region = without(shapely.union_all(round_ones), clear[index])
        trees[index] = _tidy(without(region, dense[index]))
    return trees


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
