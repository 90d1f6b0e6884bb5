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
    steps = [*range(1, top_layers + 1), *(-step for step in range(1, bottom_layers + 1))]
    if all_solid:
        steps = [1, -1]
    shapely.prepare(sections)
    bare = {step: _bare(inside, layer, sections, step) for step in steps}
    shapely.destroy_prepared(sections)
    if all_solid:
        sparse, skin = empty, inside
    else:
        covered = inside
        for step in steps:
            covered = _cut_to_neighbour(covered, layer, sections, step, bare[step])
        exposed = np.any(list(bare.values()), axis=0) if steps else np.zeros(len(inside), dtype=bool)
        skin = empty.copy()
        skin[exposed] = _opened(_difference(inside[exposed], covered[exposed]), sliver_mm[exposed])
        sparse = _opened(_difference(inside, skin), sliver_mm / 2, thin_only=True)
    bottom, rest = _bared(skin, layer, sections, -1, bare.get(-1), sliver_mm)
    top, solid = _bared(rest, layer, sections, 1, bare.get(1), sliver_mm)
    return Fill(bottom, top, solid, sparse)


def _bare(inside: Objects, layer: NDArray[np.int64], sections: Objects, step: int) -> NDArray[np.bool_]:
    """True where the section ``step`` layers away leaves some of a region bare; cheap on prepared sections."""
    near = layer + step
    exists = (near >= 0) & (near < len(sections))
    bare: NDArray[np.bool_] = ~shapely.is_empty(inside)
    bare[exists] &= ~shapely.covers(sections[near[exists]], inside[exists])
    return bare


def _cut_to_neighbour(
    regions: Objects, layer: NDArray[np.int64], sections: Objects, step: int, bare: NDArray[np.bool_]
) -> Objects:
    """Regions cut to the section ``step`` layers away, where that leaves anything bare."""
    result = regions.copy()
    near = layer + step
    exists = (near >= 0) & (near < len(sections))
    result[bare & ~exists] = _EMPTY
    cut = np.flatnonzero(bare & exists)
    result[cut] = _intersection(regions[cut], sections[near[cut]])
    return result


def _bared(
    skin: Objects,
    layer: NDArray[np.int64],
    sections: Objects,
    step: int,
    bare: NDArray[np.bool_] | None,
    sliver_mm: NDArray[np.float64],
) -> tuple[Objects, Objects]:
    """The share of the skin that the neighbouring layer leaves bare, and the rest."""
    shown = np.full(len(skin), _EMPTY, dtype=object)
    if bare is None or not bare.any():
        return shown, skin
    near = layer + step
    exists = (near >= 0) & (near < len(sections))
    rest = skin.copy()
    shown[bare & ~exists] = skin[bare & ~exists]
    rest[bare & ~exists] = _EMPTY
    cut = np.flatnonzero(bare & exists)
    shown[cut] = _opened(_difference(skin[cut], sections[near[cut]]), sliver_mm[cut])
    rest[cut] = _difference(skin[cut], shown[cut])
    return shown, rest


def _busy(function: object, first: Objects, second: Objects, result: Objects) -> Objects:
    """Run a binary operation only where both sides hold something; elsewhere ``result`` stands."""
    where = np.flatnonzero(~shapely.is_empty(first) & ~shapely.is_empty(second))
    if len(where):
        result[where] = spread(function, first[where], second[where])  # type: ignore[arg-type]
    return result


def _intersection(first: Objects, second: Objects) -> Objects:
    return _areas_only(_busy(shapely.intersection, first, second, np.full(len(first), _EMPTY, dtype=object)))


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


def _opened(regions: Objects, radius_mm: NDArray[np.float64], thin_only: bool = False) -> Objects:
    """Regions without the strips narrower than twice the radius (a morphological opening).

    With ``thin_only`` regions that are on average ten radii wide or more are left as they are.
    """
    result = regions.copy()
    wanted = ~shapely.is_empty(regions)
    if thin_only:
        wanted &= 2 * shapely.area(regions) < 10 * radius_mm * shapely.length(regions)
    where = np.flatnonzero(wanted)
    if not len(where):
        return result
    kept = spread(_grown, regions[where], -radius_mm[where])
    left = np.flatnonzero(~shapely.is_empty(kept))
    opened = np.full(len(where), _EMPTY, dtype=object)
    opened[left] = spread(_grown, kept[left], radius_mm[where][left])
    result[where] = opened
    return _areas_only(result)


def _grown(regions: Objects, distance_mm: NDArray[np.float64]) -> Objects:
    return np.asarray(shapely.buffer(regions, distance_mm, join_style="mitre", mitre_limit=2.0), dtype=object)
