"""Skins: where a layer is exposed above or below, and must be solid."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from meanbead.core.parallel import Objects, spread
from meanbead.core.strokes.bridges import find_bridges
from meanbead.core.strokes.choices import SOLID_DENSITY, LayerChoices
from meanbead.core.strokes.overlay import difference, intersection, prepared_copies

_EMPTY = shapely.MultiPolygon()
_MIN_AREA_MM2 = 0.02


@dataclass(frozen=True)
class Fill:
    """How each region inside the walls is filled; arrays of regions, one per input region.

    ``bridge`` are floors over air, with the direction of their strands ``bridge_angle_rad``.
    """

    bottom: Objects
    bridge: Objects
    bridge_angle_rad: NDArray[np.float64]
    top: Objects
    solid: Objects
    sparse: Objects

    @property
    def nbytes(self) -> int:
        """Memory held, bytes, estimated from the coordinates."""
        regions = (self.bottom, self.bridge, self.top, self.solid, self.sparse)
        return 32 * sum(int(shapely.get_num_coordinates(region).sum()) for region in regions)


def split_fill(
    inside: Objects,
    layer: NDArray[np.int64],
    sections: Objects,
    choices: LayerChoices,
    sliver_mm: NDArray[np.float64],
    reach_mm: NDArray[np.float64],
) -> Fill:
    """Split regions inside the walls into bottom, bridge, top, solid and sparse.

    A point is sparse when it lies inside the part's section on each of the ``top`` layers above and ``bottom`` layers
    below that its layer asks for; what is exposed on the very next layer is top or bottom skin, the rest is solid.
    Strips of skin narrower than twice ``sliver_mm`` are not worth a stroke and stay sparse; sparse strips narrower
    than ``sliver_mm`` hold no stroke at all. ``reach_mm`` is for :func:`~meanbead.core.strokes.bridges.find_bridges`.
    """
    top, bottom = choices.top[layer], choices.bottom[layer]
    all_solid = choices.density[layer] >= SOLID_DENSITY
    upward = np.where(all_solid, np.minimum(top, 1), top)
    downward = np.where(all_solid, np.minimum(bottom, 1), bottom)
    wanted = {step: upward >= step for step in range(1, int(upward.max(initial=0)) + 1)}
    wanted |= {-step: downward >= step for step in range(1, int(downward.max(initial=0)) + 1)}
    if all_solid.any():
        # Where all is solid it still matters what is seen.
        wanted[1] = wanted.get(1, np.zeros(len(layer), dtype=bool)) | all_solid
        wanted[-1] = wanted.get(-1, np.zeros(len(layer), dtype=bool)) | all_solid
    asked = prepared_copies(sections)
    bare = {step: _bare(inside, layer, asked, step, where) for step, where in wanted.items()}
    covered = inside
    for step in bare:
        covered = _cut_to_neighbour(covered, layer, sections, step, bare[step])
    exposed = np.any(list(bare.values()), axis=0) if bare else np.zeros(len(inside), dtype=bool)
    skin = np.full(len(inside), _EMPTY, dtype=object)
    some = exposed & ~all_solid
    skin[some] = _opened(_difference(inside[some], covered[some]), sliver_mm[some])
    sparse = _opened(_difference(inside, skin), sliver_mm / 2, thin_only=True)
    skin[all_solid], sparse[all_solid] = inside[all_solid], _EMPTY
    floor, rest = _bared(skin, layer, sections, -1, bare.get(-1), sliver_mm)
    floor, bridge, angle = find_bridges(floor, layer, sections, reach_mm)
    top_skin, solid = _bared(rest, layer, sections, 1, bare.get(1), sliver_mm)
    return Fill(floor, bridge, angle, top_skin, solid, sparse)


def _bare(
    inside: Objects, layer: NDArray[np.int64], sections: Objects, step: int, wanted: NDArray[np.bool_]
) -> NDArray[np.bool_]:
    """True where the section ``step`` layers away leaves some of a wanted region bare; cheap on prepared sections."""
    near = layer + step
    bare: NDArray[np.bool_] = ~shapely.is_empty(inside) & wanted
    exists = (near >= 0) & (near < len(sections)) & bare
    bare[exists] = ~shapely.covers(sections[near[exists]], inside[exists])
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
    return _areas_only(_busy(intersection, first, second, np.full(len(first), _EMPTY, dtype=object)))


def _difference(first: Objects, second: Objects) -> Objects:
    return _areas_only(_busy(difference, first, second, first.copy()))


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
