"""Skins: where a layer is exposed above or below, and must be solid."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from meanbead.core.parallel import Objects, spread

_EMPTY = shapely.MultiPolygon()
_MIN_AREA_MM2 = 0.02


@dataclass(frozen=True)
class Fill:
    """How each region inside the walls is filled; arrays of regions, one per input region."""

    bottom: Objects
    top: Objects
    solid: Objects
    sparse: Objects

    @property
    def nbytes(self) -> int:
        """Memory held, bytes, estimated from the coordinates."""
        regions = (self.bottom, self.top, self.solid, self.sparse)
        return 32 * sum(int(shapely.get_num_coordinates(region).sum()) for region in regions)


def running_intersection(sections: Objects, count: int) -> Objects:
    """``out[i] = sections[i] & ... & sections[i + count - 1]``; empty where the run leaves the stack.

    Doubling the run length needs about log2(count) passes instead of count.
    """
    total = len(sections)
    if count <= 0:
        raise ValueError("count must be at least 1")
    result = sections.copy()
    length = 1
    while length < count:
        step = min(length, count - length)
        moved = np.full(total, _EMPTY, dtype=object)
        moved[: total - step] = result[step:] if step < total else []
        result = _intersection(result, moved)
        length += step
    return result


def split_fill(
    inside: Objects,
    layer: NDArray[np.int64],
    sections: Objects,
    top_layers: int,
    bottom_layers: int,
    sliver_mm: NDArray[np.float64],
    all_solid: bool,
) -> Fill:
    """Split regions inside the walls into bottom, top, solid and sparse.

    A point is sparse when it lies inside the part's section on each of ``top_layers`` layers above and
    ``bottom_layers`` below; what is exposed on the very next layer is top or bottom skin, the rest is solid.
    Strips of skin narrower than twice ``sliver_mm`` are not worth a stroke and stay sparse; sparse strips narrower
    than ``sliver_mm`` hold no stroke at all.
    """
    empty = np.full(len(inside), _EMPTY, dtype=object)
    above, below = _shifted(sections, 1), _shifted(sections, -1)
    if all_solid:
        sparse, skin = empty, inside
    else:
        cover = np.full(len(sections), None, dtype=object)
        if top_layers:
            cover = _shifted(running_intersection(sections, top_layers), 1)
        if bottom_layers:
            under = _shifted(running_intersection(sections, bottom_layers), -bottom_layers)
            cover = _intersection(cover, under) if top_layers else under
        if not top_layers and not bottom_layers:
            return Fill(empty, empty, empty, _opened(inside, sliver_mm / 2))
        skin = _opened(_difference(inside, cover[layer]), sliver_mm)
        sparse = _difference(inside, skin)
    bottom = _difference(skin, below[layer]) if bottom_layers or all_solid else empty
    rest = _difference(skin, bottom)
    top = _difference(rest, above[layer]) if top_layers or all_solid else empty
    bottom, top = _opened(bottom, sliver_mm), _opened(top, sliver_mm)
    solid = _difference(_difference(skin, bottom), top)
    return Fill(bottom, top, solid, _opened(sparse, sliver_mm / 2))


def _shifted(sections: Objects, by: int) -> Objects:
    """``out[i] = sections[i + by]``, empty beyond the stack."""
    out = np.full(len(sections), _EMPTY, dtype=object)
    if by > 0:
        out[:-by] = sections[by:]
    else:
        out[-by:] = sections[:by]
    return out


def _busy(function: object, first: Objects, second: Objects, result: Objects) -> Objects:
    """Run a binary operation only where both sides hold something; elsewhere ``result`` stands."""
    where = np.flatnonzero(~shapely.is_empty(first) & ~shapely.is_empty(second))
    if len(where):
        result[where] = spread(function, first[where], second[where])  # type: ignore[arg-type]
    return result


def _intersection(first: Objects, second: Objects) -> Objects:
    same = first == second
    result = np.where(same, first, _EMPTY).astype(object)
    changed = ~same
    result[changed] = _busy(shapely.intersection, first[changed], second[changed], result[changed])
    return _areas_only(result)


def _difference(first: Objects, second: Objects) -> Objects:
    return _areas_only(_busy(shapely.difference, first, second, first.copy()))


def _areas_only(regions: Objects) -> Objects:
    """Drop the points and lines that overlays leave behind, and specks."""
    kinds = shapely.get_type_id(regions)
    for index in np.flatnonzero((kinds != 3) & (kinds != 6)):
        parts = [p for p in shapely.get_parts(regions[index]) if p.geom_type == "Polygon"]
        regions[index] = shapely.multipolygons(parts) if parts else _EMPTY
    regions[shapely.area(regions) < _MIN_AREA_MM2] = _EMPTY
    return regions


def _opened(regions: Objects, radius_mm: NDArray[np.float64]) -> Objects:
    """Regions without the strips narrower than twice the radius (a morphological opening)."""
    result = regions.copy()
    where = np.flatnonzero(~shapely.is_empty(regions))

    def opening(part: Objects, radius: NDArray[np.float64]) -> Objects:
        kept = shapely.buffer(part, -radius, join_style="mitre", mitre_limit=2.0)
        grown = shapely.buffer(kept, radius, join_style="mitre", mitre_limit=2.0)
        return np.asarray(shapely.intersection(grown, part), dtype=object)

    if len(where):
        result[where] = spread(opening, regions[where], radius_mm[where])
    return _areas_only(result)
