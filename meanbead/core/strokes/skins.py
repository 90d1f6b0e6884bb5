"""Skins: where a layer is exposed above or below, and must be solid."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, fields

import numpy as np
import shapely
from numpy.typing import NDArray

from meanbead.core.geometry.offsets import grown, simpler
from meanbead.core.geometry.overlay import difference, intersection, prepared_copies
from meanbead.core.part.bridges import find_bridges
from meanbead.core.runtime.alike import alike
from meanbead.core.runtime.parallel import Objects, parallel_apply
from meanbead.core.strokes.thin import MIN_WIDTHS

__all__ = ["Fill", "FillSpacings", "SkinLayers", "sections_near", "split_fill"]

_EMPTY = shapely.MultiPolygon()
_MIN_AREA_MM2 = 0.02
HELD_LINES = 3.0
_SPECK_LINES2 = 0.4
"""What is smaller than so many squared lines is a corner, not a strip."""


@dataclass(frozen=True)
class Fill:
    """How each region inside the walls is filled; arrays of regions, one per input region.

    ``bridge`` has nothing under it: bridges that are held on both sides, and floors that only hang, with the direction
    of their strands ``bridge_angle_rad``. ``hanging_mm2`` is what only hangs. ``over_sparse`` is the lowest solid layer
    over sparse filling where it is laid as bridges. ``strips`` are too narrow for lines to run across, and get one or two
    along their middle.
    """

    bottom: Objects
    bridge: Objects
    bridge_angle_rad: NDArray[np.float64]
    hanging_mm2: NDArray[np.float64]
    over_sparse: Objects
    top: Objects
    solid: Objects
    sparse: Objects
    strips: Objects

    def of_rows(self, rows: NDArray[np.int64]) -> Fill:
        """How region ``rows[k]`` is filled, for each k."""
        return Fill(*(getattr(self, field.name)[rows] for field in fields(self)))

    def and_(self, other: Fill) -> Fill:
        """How these regions are filled, and after them others."""
        return Fill(*(np.concatenate([getattr(part, field.name) for part in (self, other)]) for field in fields(self)))

    @property
    def regions(self) -> tuple[Objects, ...]:
        """All regions that get strokes."""
        return self.bottom, self.bridge, self.over_sparse, self.top, self.solid, self.sparse, self.strips

    @property
    def nbytes(self) -> int:
        """Memory held, bytes, estimated from the coordinates."""
        return 32 * sum(int(shapely.get_num_coordinates(region).sum()) for region in self.regions)


@dataclass(frozen=True)
class FillSpacings:
    """Distances that the split goes by, mm, (n,) each: line spacing of ``solid`` and of ``sparse`` filling, of a stroke
    ``between`` walls, and ``reach``, see :func:`~meanbead.core.part.bridges.find_bridges`."""

    solid: NDArray[np.float64]
    sparse: NDArray[np.float64]
    between: NDArray[np.float64]
    reach: NDArray[np.float64]

    def of_rows(self, rows: NDArray[np.int64]) -> FillSpacings:
        """Those of some regions."""
        return FillSpacings(self.solid[rows], self.sparse[rows], self.between[rows], self.reach[rows])


@dataclass(frozen=True)
class SkinLayers:
    """By region: how many ``top`` and ``bottom`` layers its layer asks for, and whether all of it is filled ``solid``."""

    top: NDArray[np.int64]
    bottom: NDArray[np.int64]
    solid: NDArray[np.bool_]


def sections_near(sections: Objects, layer: NDArray[np.int64], skins: SkinLayers) -> tuple[NDArray[np.int64], int]:
    """Names of all sections that decide how a region is split, int64 (n, m): those within reach of its layer's skins and one
    more below (see :func:`_first_over`); equal ones have the same name, and -1 stands for none. And how many of a row lie below
    the region's own layer."""
    _, name = alike(sections)
    down, up = (max(1, int(count.max(initial=0))) for count in (skins.bottom + 1, skins.top))
    down, up = min(down, len(sections)), min(up, len(sections))
    padded = np.concatenate([np.full(down, -1), name, np.full(up, -1)])
    return np.lib.stride_tricks.sliding_window_view(padded, down + 1 + up)[layer], down


def split_fill(
    inside: Objects,
    layer: NDArray[np.int64],
    sections: Objects,
    skins: SkinLayers,
    widths: FillSpacings,
    *,
    variable: bool,
    unheld: bool,
    bridges_over: NDArray[np.bool_],
    drop_narrow_mm: float = 0.0,
    grow_mm: float = 0.0,
) -> Fill:
    """Split regions inside the walls into bottom, bridge, top, solid and sparse.

    A point is sparse when it lies inside the part's section on each of the ``top`` layers above and ``bottom`` layers
    below that its layer asks for; what is exposed on the very next layer is top or bottom skin, the rest is solid. Strips
    narrower than a line get no filling: of skin they go to the sparse filling, of what is left they stay void. With
    ``variable`` widths there are no voids: strips of up to a line, and of up to two in what is solid throughout, get one or
    two strokes of their own, from six tenths of a line on. ``unheld`` says that no supports stand under floors over air. ``bridges_over``, bool (layers,), says on which
    layers the first solid one over sparse filling is laid as bridges. Skin beside sparse filling that is narrower than
    ``drop_narrow_mm`` is left to it, and what stays reaches ``grow_mm`` into it.
    """
    top, bottom, all_solid = skins.top, skins.bottom, skins.solid
    upward = np.where(all_solid, np.minimum(top, 1), top)
    downward = np.where(all_solid, np.minimum(bottom, 1), bottom)
    requested = {-step: downward >= step for step in range(1, int(downward.max(initial=0)) + 1)}
    requested |= {step: upward >= step for step in range(1, int(upward.max(initial=0)) + 1)}
    if all_solid.any():
        # Where all is solid it still matters what is seen.
        requested[-1] = requested.get(-1, np.zeros(len(layer), dtype=bool)) | all_solid
        requested[1] = requested.get(1, np.zeros(len(layer), dtype=bool)) | all_solid
    inside, strips = _without_strips(inside, widths, all_solid, variable=variable)
    asked = prepared_copies(sections)
    bare = {step: _bare(inside, layer, asked, step, where) for step, where in requested.items()}
    covered = inside
    for step in bare:
        covered = _cut_to_neighbour(covered, layer, sections, step, bare[step])
    exposed = np.any(list(bare.values()), axis=0) if bare else np.zeros(len(inside), dtype=bool)
    skin = np.full(len(inside), _EMPTY, dtype=object)
    some = exposed & ~all_solid
    half = widths.solid / 2
    bared = _difference(inside[some], covered[some])
    skin[some] = _opened(bared, half[some])
    if drop_narrow_mm > 0:
        skin[some] = _without_narrow(skin[some], covered[some], drop_narrow_mm / 2)
    if grow_mm > 0:
        skin[some] = _intersection(grown(skin[some], np.full(int(some.sum()), grow_mm)), inside[some])
    sparse = inside.copy()
    narrower = widths.sparse > widths.solid + 1e-9
    again = some | narrower
    # Where opening the skin dropped next to nothing, what is covered is the sparse region: no need to cut it again.
    whole = np.zeros(len(inside), dtype=bool)
    whole[some] = shapely.area(bared) - shapely.area(skin[some]) < _SPECK_LINES2 * widths.solid[some] ** 2
    if grow_mm > 0:
        whole[:] = False
    sparse[whole] = covered[whole]
    # Where nothing is covered, what opening dropped is too small for a sparse line, too.
    again &= ~whole | (narrower & ~shapely.is_empty(covered))
    sparse[again] = _opened(_difference(inside[again], skin[again]), widths.sparse[again] / 2, thin_only=True)
    skin[all_solid], sparse[all_solid] = inside[all_solid], _EMPTY
    floor, rest = _bared(skin, layer, sections, -1, bare.get(-1), half)
    floor, bridge, angle, hanging = find_bridges(floor, layer, sections, widths.reach, widths.solid, unheld=unheld)
    top_skin, solid = _bared(rest, layer, sections, 1, bare.get(1), half)
    over = np.full(len(inside), _EMPTY, dtype=object)
    may = np.flatnonzero(some & bridges_over[layer] & (upward > 1) & (layer > downward) & ~shapely.is_empty(solid))
    if len(may):
        over[may] = _first_over(solid[may], layer[may], sections, asked, upward[may], downward[may], widths.solid[may])
        solid[may] = _difference(solid[may], over[may])
    return Fill(floor, bridge, angle, hanging, over, top_skin, solid, sparse, strips)


def _without_narrow(skin: Objects, covered: Objects, radius_mm: float) -> Objects:
    """Skin without the strips under twice a radius that lie beside what is covered. Strips that do not, such as the top of
    a rib, stay: nothing else would close them."""
    wide = _opened(skin, np.full(len(skin), radius_mm))
    parts, source = shapely.get_parts(_difference(skin, wide), return_index=True)
    beside = shapely.distance(parts, covered[source]) < 1e-3
    result = wide.copy()
    for index in np.unique(source[~beside]).tolist():
        result[index] = shapely.union_all([wide[index], *parts[~beside & (source == index)]])
    return _areas_only(result)


def _first_over(
    solid: Objects,
    layer: NDArray[np.int64],
    sections: Objects,
    asked: Objects,
    upward: NDArray[np.int64],
    downward: NDArray[np.int64],
    line_mm: NDArray[np.float64],
) -> Objects:
    """The share of solid regions under which the layer below is sparse: the part is there as far as that layer's skins
    reach, one layer less up and one more down, so that only the farthest layer above makes the region solid.

    ``asked`` are the sections made ready for questions. Parts of regions that are on average narrower than
    :data:`HELD_LINES` lines are passed over: the walls beside them hold them.
    """
    parts, source = shapely.get_parts(solid, return_index=True)
    broad = 2 * shapely.area(parts) >= HELD_LINES * line_mm[source] * shapely.length(parts)
    over, source = np.asarray(parts, dtype=object)[broad], source[broad]
    found = np.full(len(solid), _EMPTY, dtype=object)
    if not len(over):
        return found
    layer, upward, downward = layer[source], upward[source], downward[source]
    for step in range(int(upward.max()) - 1, -int(downward.max()) - 2, -1):
        within = (step < upward) & (step >= -downward - 1) & (step != 0)
        bare = _bare(over, layer, asked, step, within)
        if bare.any():
            over = _cut_to_neighbour(over, layer, sections, step, bare)
    over = _opened(over, line_mm[source] / 2)
    for index in np.unique(source[~shapely.is_empty(over)]).tolist():
        found[index] = shapely.multipolygons(
            [polygon for part in over[source == index] for polygon in shapely.get_parts(part)]
        )
    return found


_LONGER_THAN_CORNERS = 16.0
"""Shrinking a region by a spacing shortens its outline by some eight spacings at its corners; strips that vanish shorten
it by twice their length."""


_SHORTEST_LINES2 = 3.0
"""Strips in sparse filling that are smaller than so many squared lines are the tips of corners, not what walls leave."""


def _without_strips(
    inside: Objects, widths: FillSpacings, all_solid: NDArray[np.bool_], *, variable: bool
) -> tuple[Objects, Objects]:
    """Regions without strips in which no line of filling fits, and those strips that get strokes of their own."""
    strips = np.full(len(inside), _EMPTY, dtype=object)
    line = np.maximum(widths.solid, widths.sparse) if variable else np.minimum(widths.solid, widths.sparse)
    spacing = np.where(all_solid, widths.solid, line)
    # Lines run across from a width of one on. What is solid gets strokes along it up to a width of two.
    reach = np.where(all_solid & variable, spacing, spacing / 2)
    some = np.flatnonzero(~shapely.is_empty(inside))
    light = simpler(inside[some])
    inner = grown(light, -reach[some])
    drop = shapely.length(light) - shapely.length(inner) + 2 * np.pi * reach[some] * _holes(light)
    suspect = (drop > _LONGER_THAN_CORNERS * reach[some]) | shapely.is_empty(inner)
    suspect |= shapely.get_num_geometries(inner) != shapely.get_num_geometries(light)
    # Ripples shorten an outline, too: what growing it again does not reach tells strips from them.
    again = grown(inner[suspect], reach[some[suspect]])
    missing = shapely.area(light[suspect]) - shapely.area(again)
    at = some[suspect][missing > 0.5 * _SPECK_LINES2 * spacing[some[suspect]] ** 2]
    if not len(at):
        return inside, strips
    s, region, radius = spacing[at], inside[at], reach[at]
    narrow = _areas_only(difference(region, grown(grown(region, -radius), radius + 0.02 * s)))
    narrow[shapely.area(narrow) < _SPECK_LINES2 * s**2] = _EMPTY
    result = inside.copy()
    result[at] = _difference(region, narrow)
    if variable:
        least = MIN_WIDTHS / 2 * np.minimum(s, widths.between[at])
        wide = _areas_only(intersection(grown(grown(narrow, -least), least + 0.05 * s), narrow))
        wide[~all_solid[at]] = _larger(wide[~all_solid[at]], (_SHORTEST_LINES2 * s**2)[~all_solid[at]])
        strips[at] = wide
    return result, strips


def _larger(regions: Objects, least_mm2: NDArray[np.float64]) -> Objects:
    """Those parts of regions that have at least an area."""
    parts, source = shapely.get_parts(regions, return_index=True)
    large = shapely.area(parts) >= least_mm2[source]
    result = np.full(len(regions), _EMPTY, dtype=object)
    for index in np.unique(source[large]).tolist():
        result[index] = shapely.multipolygons(list(parts[large & (source == index)]))
    return result


def _holes(regions: Objects) -> NDArray[np.int64]:
    parts, source = shapely.get_parts(regions, return_index=True)
    return np.bincount(source, weights=shapely.get_num_interior_rings(parts), minlength=len(regions)).astype(np.int64)


def _bare(
    inside: Objects, layer: NDArray[np.int64], sections: Objects, step: int, requested: NDArray[np.bool_]
) -> NDArray[np.bool_]:
    """True where the section ``step`` layers away leaves some of a wanted region bare; cheap on prepared sections."""
    near = layer + step
    bare: NDArray[np.bool_] = ~shapely.is_empty(inside) & requested
    exists = (near >= 0) & (near < len(sections)) & bare
    bounds, regions = sections[near[exists]], inside[exists]
    first, which = alike(bounds, regions)
    bare[exists] = ~shapely.covers(bounds[first], regions[first])[which]
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


def _busy(function: Callable[[Objects, Objects], Objects], first: Objects, second: Objects, result: Objects) -> Objects:
    """Run a binary operation only where both sides hold something; elsewhere ``result`` stands."""
    where = np.flatnonzero(~shapely.is_empty(first) & ~shapely.is_empty(second))
    if len(where):
        result[where] = function(first[where], second[where])
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


def _opened(regions: Objects, radius_mm: NDArray[np.float64], *, thin_only: bool = False) -> Objects:
    """Regions without the strips narrower than twice the radius (a morphological opening).

    With ``thin_only`` regions that are on average ten radii wide or more are left as they are.
    """
    result = regions.copy()
    requested = ~shapely.is_empty(regions)
    if thin_only:
        requested &= 2 * shapely.area(regions) < 10 * radius_mm * shapely.length(regions)
    where = np.flatnonzero(requested)
    if not len(where):
        return result
    kept = parallel_apply(_grown, regions[where], -radius_mm[where])
    left = np.flatnonzero(~shapely.is_empty(kept))
    opened = np.full(len(where), _EMPTY, dtype=object)
    opened[left] = parallel_apply(_grown, kept[left], radius_mm[where][left])
    result[where] = opened
    return _areas_only(result)


def _grown(regions: Objects, distance_mm: NDArray[np.float64]) -> Objects:
    return np.asarray(shapely.buffer(regions, distance_mm, join_style="mitre", mitre_limit=2.0), dtype=object)
