"""Second stage of planning: the walls, which depend only on the sections and the walls' choices."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass, replace

import numpy as np
import shapely
from numpy.typing import NDArray

from meanbead.core.errors import RecipeError
from meanbead.core.formulas.bead import SIDE_LOSS
from meanbead.core.geometry.offsets import grown, inset, insets, loops_of, simpler, spacings
from meanbead.core.geometry.overlay import intersection, prepared_copies
from meanbead.core.model.plan import Shape
from meanbead.core.model.recipe import ThinWalls, WallOrder
from meanbead.core.part.slices import Layers
from meanbead.core.runtime.alike import names_of, places_of_new
from meanbead.core.runtime.cache import BoundedCache
from meanbead.core.runtime.elementwise import ElementMemory
from meanbead.core.runtime.parallel import Objects
from meanbead.core.strokes.choices import LayerChoices
from meanbead.core.strokes.cut import Cut
from meanbead.core.strokes.features import Feature
from meanbead.core.strokes.pieces import (
    Curves,
    Islands,
    Pieces,
    curve_pieces,
    join_islands,
    join_pieces,
    loop_pieces,
    no_pieces,
)
from meanbead.core.strokes.stage import Remembered, StageInputs, with_new
from meanbead.core.strokes.table import Ignored
from meanbead.core.strokes.thin import shared_mm, strips_of, thin_strokes

__all__ = ["LaidWalls", "Outline", "OutlineInputs", "WallWidths", "make_outline", "thin_pieces"]

Floats = NDArray[np.float64]

_SPECK_SPACINGS2 = 0.4
"""Strips smaller than this many squared spacings in all are corners, not thin walls."""

PHASES = {
    "inside_out": {Feature.INNER_WALL: 1, Feature.OUTER_WALL: 2, Feature.THIN_WALL: 3},
    "outside_in": {Feature.OUTER_WALL: 1, Feature.THIN_WALL: 2, Feature.INNER_WALL: 3},
}


@dataclass(frozen=True)
class WallWidths:
    """Bead width of walls, mm."""

    outer: float
    inner: float
    first_layer: float


@dataclass(frozen=True)
class OutlineInputs(StageInputs):
    """What walls depend on: the sections; ``chosen`` layers, bool (layers,), None for all; along all layers the count of
    ``walls``; widths, order, and how thin walls are laid.

    ``spiral_floor`` is the number of layers below which a spiral has not begun; None where there is none.
    """

    cut: Remembered[Cut]
    chosen: NDArray[np.bool_] | None
    walls: NDArray[np.int64]
    width_mm: WallWidths
    thin_walls: ThinWalls
    wall_order: WallOrder
    spiral_floor: int | None

    @classmethod
    def of(
        cls, cut: Remembered[Cut], chosen: NDArray[np.bool_] | None, choices: LayerChoices, shape: Shape
    ) -> OutlineInputs:
        """What walls read of a plan."""
        widths = shape.width_mm
        return cls(
            cut,
            chosen,
            choices.walls,
            WallWidths(widths.outer_wall, widths.inner_wall, widths.first_layer),
            shape.thin_walls,
            shape.wall_order,
            shape.bottom_layers if shape.spiral else None,
        )

    @property
    def shared_key(self) -> Hashable:
        """The key of the sections and of what is chosen alike for every layer."""
        return (self.cut.key, self.width_mm, self.thin_walls, self.wall_order, self.spiral_floor)


@dataclass(frozen=True)
class Outline:
    """``sections`` per layer; per island ``inside``, what the walls leave to be filled, ``depth_mm``, how deep they reach
    below the outline, ``asked_mm2``, the area that walls have to fill, and of it ``lost_mm2``; ``overfilled_mm2`` is laid beyond it. ``substituted`` are layers whose section could not be taken and
    stands in from a neighbour. ``ignored`` is the inside that a spiral does not follow. ``of`` is the key of the sections and of
    all that was chosen alike for every layer."""

    layers: Layers
    sections: Objects
    islands: Islands
    walls: Pieces
    inside: Objects
    depth_mm: Floats
    asked_mm2: Floats
    lost_mm2: Floats
    overfilled_mm2: Floats
    substituted: tuple[int, ...]
    ignored: Ignored | None
    of: Hashable

    @property
    def nbytes(self) -> int:
        """Memory held, bytes, estimated from the coordinates (16 bytes each, and as much again for the library)."""
        corners = sum(
            int(shapely.get_num_coordinates(r).sum()) for r in (self.sections, self.islands.region, self.inside)
        )
        return corners * 32 + self.walls.points.nbytes * 2


@dataclass(frozen=True)
class LaidWalls:
    """Walls of different islands, laid so far: ``names`` says which row an island's is. ``islands``, ``inside`` and the areas
    (n,) as in :class:`Outline`; the islands are held so that no other takes their names."""

    names: dict[Hashable, int]
    islands: Islands
    walls: Pieces
    inside: Objects
    asked_mm2: Floats
    lost_mm2: Floats
    overfilled_mm2: Floats

    @property
    def nbytes(self) -> int:
        """Memory held, bytes, estimated from the coordinates."""
        return 32 * int(shapely.get_num_coordinates(self.inside).sum()) + self.walls.nbytes

    def and_(self, other: LaidWalls) -> LaidWalls:
        """These and others, the others' rows after these."""
        count = len(self.islands)
        both = {
            name: np.concatenate([getattr(self, name), getattr(other, name)])
            for name in ("inside", "asked_mm2", "lost_mm2", "overfilled_mm2")
        }
        walls = join_pieces([self.walls, replace(other.walls, island=other.walls.island + count)])
        names = self.names | {name: row + count for name, row in other.names.items()}
        return LaidWalls(names, join_islands(self.islands, other.islands), walls, **both)


def make_outline(
    inputs: OutlineInputs, laid: BoundedCache[LaidWalls] | None = None, insets_known: ElementMemory | None = None
) -> Outline:
    """Lay the walls; a spiral follows the outside of a hollow part only. ``laid`` remembers them island by island: another sample of layers, or all of them, lays only what it
    does not share. ``insets_known`` remembers single insets: other counts and inner widths share the outer walls.

    Raises :class:`RecipeError` where no layer meets the part, or a spiral has several outlines.
    """
    cut, chosen = inputs.cut.value, inputs.chosen
    layers = cut.layers
    region, layer = cut.islands
    ignored = None
    if inputs.spiral_floor is not None:
        region, ignored = _outside_only(cut, inputs.spiral_floor)
    if chosen is not None:
        region, layer = region[chosen[layer]], layer[chosen[layer]]
    islands = Islands(region, layer, layers.height_mm[layer])
    if not len(islands):
        raise RecipeError(
            "No layer meets the part: the first layer is higher than the part.",
            field="first_layer_height_mm",
            remedy="Use a lower first layer.",
        )
    made, rows = _laid(islands, inputs, laid, insets_known)
    return Outline(
        layers,
        cut.sections,
        islands,
        made.walls.repeated(rows, islands),
        made.inside[rows],
        _depth_mm(islands, inputs),
        made.asked_mm2[rows],
        made.lost_mm2[rows],
        made.overfilled_mm2[rows],
        cut.substituted,
        ignored,
        inputs.shared_key,
    )


def _laid(
    islands: Islands,
    inputs: OutlineInputs,
    laid: BoundedCache[LaidWalls] | None,
    insets_known: ElementMemory | None,
) -> tuple[LaidWalls, NDArray[np.int64]]:
    """Walls of all different ones among the islands, and the row of each island, int64 (n,)."""
    layer = islands.layer
    count = inputs.walls[layer]
    # Where no layer has walls, none leaves room for their outermost bead's rounded side.
    bare = not count.any()
    climbs = _climbs(islands, inputs)
    names = names_of(islands.region, islands.height_mm, count, layer == 0, climbs, np.full(len(islands), bare))
    key = inputs.shared_key
    known = None if laid is None else laid.peek_small(key)
    new = places_of_new(names, () if known is None else known.names)
    if new or known is None:
        at = np.array(list(new.values()), dtype=np.int64)
        different = Islands(islands.region[at], layer[at], islands.height_mm[at])
        walls = _walls(different, inputs, insets_known, bare=bare)
        fresh = LaidWalls({name: row for row, name in enumerate(new)}, different, *walls)
        known = with_new(laid, key, known, fresh, names)
    return known, np.array([known.names[name] for name in names], dtype=np.int64)


def _climbs(islands: Islands, inputs: OutlineInputs) -> NDArray[np.bool_]:
    """Which islands a spiral goes round."""
    return np.zeros(len(islands), bool) if inputs.spiral_floor is None else islands.layer >= inputs.spiral_floor


def _outside_only(cut: Cut, spiral_floor: int) -> tuple[Objects, Ignored | None]:
    """The islands of all layers, those above a spiral's floor without their hollow; and that hollow's surface.

    Raises :class:`RecipeError` where a layer above the floor has more than one outline outside, or more than one inside.
    """
    region, layer = cut.islands
    above = layer >= spiral_floor
    outlines = np.bincount(layer[above], minlength=len(cut.layers))
    insides = np.bincount(layer[above], shapely.get_num_interior_rings(region[above]), minlength=len(cut.layers))
    several = np.flatnonzero((outlines > 1) | (insides > 1))
    if len(several):
        first = several[0]
        which, count = ("separate outlines", outlines) if outlines[first] > 1 else ("inner outlines", insides)
        raise RecipeError(
            f"Spiral mode follows a single outline on each layer above the floor; layer {first + 1} has "
            f"{int(count[first])} {which}.",
            field="spiral",
            remedy="Turn spiral mode off for this part, or model it as a solid body.",
        )
    hollow = above & (shapely.get_num_interior_rings(region) > 0)
    if not hollow.any():
        return region, None
    rings = shapely.get_exterior_ring(region[hollow])
    inside_mm = shapely.length(region[hollow]) - shapely.length(rings)
    height, top = cut.layers.height_mm[layer[hollow]], cut.layers.top_mm[layer[hollow]]
    region = region.copy()
    region[hollow] = cut.outsides[hollow]
    return region, Ignored(float(inside_mm @ height), float((top - height).min()), float(top.max()))


def _widths_mm(islands: Islands, widths: WallWidths) -> tuple[Floats, Floats]:
    """Widths of the outer and the inner walls by island, mm."""
    first = islands.layer == 0
    return (
        np.where(first, widths.first_layer, widths.outer),
        np.where(first, widths.first_layer, widths.inner),
    )


def _walls(
    islands: Islands, inputs: OutlineInputs, known: ElementMemory | None, *, bare: bool
) -> tuple[Pieces, Objects, Floats, Floats, Floats]:
    """Pieces, the regions left inside, and by island the areas to fill, lost and laid twice.

    Each wall has a band of the region to fill: from where the wall outside it ends to one spacing deeper. Of the
    outermost bead the band begins where its rounded side is half full.
    """
    outer, inner = _widths_mm(islands, inputs.width_mm)
    loss = islands.height_mm * SIDE_LOSS
    region = inset(islands.region, loss / 2, known)
    count = inputs.walls[islands.layer]
    whole_mm2 = shapely.area(region)
    climbs = _climbs(islands, inputs)
    most = int(count.max(initial=0))
    lost, over = np.zeros(len(islands)), np.zeros(len(islands))
    parts = [no_pieces()]
    phase = PHASES[inputs.wall_order]
    for index in range(most):
        at = np.flatnonzero((count > index) & ~shapely.is_empty(region))
        if not len(at):
            break
        feature = Feature.OUTER_WALL if index == 0 else Feature.INNER_WALL
        width = outer if index == 0 else inner
        spacing = (width - loss)[at]
        # What two lines leave of a wall has to be wide enough for one more, be it a wall or a line between the last two, or
        # the two share it.
        # A spiral follows its outline, whatever that leaves.
        depth = spacing + np.where(climbs[at], 0.0, shared_mm(spacing, (inner - loss)[at]) / 2)
        band = region[at]
        made = (
            _variable(band, spacing, depth, known) if inputs.thin_walls == "variable" else _fixed(band, spacing, known)
        )
        loops = loops_of(made.middle)
        loops.source[:] = at[loops.source]
        parts.append(loop_pieces(loops, islands, feature, phase[feature], width[loops.source]))
        balance = shapely.length(made.middle) * spacing - made.round_mm2
        lost[at] += made.lost_mm2 + np.maximum(-balance, 0.0)
        over[at] += np.maximum(balance, 0.0)
        if len(made.thin):
            # Between walls a strip is an inner wall, too.
            kind = Feature.THIN_WALL if index == 0 else Feature.INNER_WALL
            piece = thin_pieces(
                made.strips[made.thin],
                band[made.thin],
                spacing[made.thin],
                depth[made.thin],
                at[made.thin],
                islands,
                kind,
                phase[kind],
            )
            parts.append(piece)
            laid = np.bincount(piece.island, weights=piece.area_mm2(SIDE_LOSS), minlength=len(islands))[at]
            balance = laid - np.where(np.isin(np.arange(len(at)), made.thin), shapely.area(made.strips), 0.0)
            lost[at] += np.maximum(-balance, 0.0)
            over[at] += np.maximum(balance, 0.0)
        region = region.copy()
        region[at] = made.deeper
    if bare:
        region, whole_mm2 = islands.region, shapely.area(islands.region)
    return join_pieces(parts), region, whole_mm2 - shapely.area(region), lost, over


@dataclass(frozen=True)
class _Round:
    """One wall: the ``middle`` lines of its loops, what lies ``deeper``; ``round_mm2`` that the loops have to fill,
    ``lost_mm2`` that nothing fills; ``strips`` that get strokes of their own, and the indices of the regions that have
    any, ``thin``."""

    middle: Objects
    deeper: Objects
    round_mm2: Floats
    lost_mm2: Floats
    strips: Objects
    thin: NDArray[np.int64]


def _fixed(band: Objects, spacing: Floats, known: ElementMemory | None) -> _Round:
    """Whole loops or nothing. Where a loop's two sides are closer than a spacing they overlap."""
    middle, deeper = insets(band, spacing / 2, spacing, memory=known)
    reached = shapely.area(grown(middle, spacing / 2, known))
    nothing = np.full(len(band), shapely.MultiPolygon(), dtype=object)
    return _Round(
        middle,
        deeper,
        reached - shapely.area(deeper),
        np.maximum(0.0, shapely.area(band) - reached),
        nothing,
        np.empty(0, np.int64),
    )


def _variable(band: Objects, spacing: Floats, depth: Floats, known: ElementMemory | None) -> _Round:
    """Loops where a wall is thicker than twice ``depth``; elsewhere one stroke or two take all of it."""
    deeper, middle = insets(band, spacing, spacing / 2, memory=known)
    speck = _SPECK_SPACINGS2 * depth**2
    band_mm2 = shapely.area(band)
    inner, shares = deeper.copy(), depth > spacing
    missing = np.zeros(len(band))
    missing[~shares] = band_mm2[~shares] - shapely.area(grown(deeper[~shares], spacing[~shares], known))
    # Where two lines may share what is left, it is asked of simpler outlines first: few have any.
    light = simpler(band[shares], known)
    missing[shares] = shapely.area(light) - shapely.area(
        grown(inset(light, depth[shares], known), depth[shares], known)
    )
    suspect = np.flatnonzero(missing > speck)
    again = suspect[shares[suspect]]
    inner[again] = inset(band[again], depth[again], known)
    strips = np.full(len(band), shapely.MultiPolygon(), dtype=object)
    strips[suspect] = strips_of(band[suspect], spacing[suspect], inner[suspect], depth[suspect])
    strips[suspect] = _without_stubs(strips[suspect], deeper[suspect], spacing[suspect], depth[suspect])
    thin = np.flatnonzero(shapely.area(strips) > speck)
    # Where strips get strokes of their own, loops go round the rest only.
    middle[thin] = grown(inner[thin], (depth - spacing / 2)[thin], known)
    deeper[thin] = grown(inner[thin], (depth - spacing)[thin], known)
    rest_mm2, lost = band_mm2.copy(), np.zeros(len(band))
    rest_mm2[thin] = shapely.area(grown(inner[thin], depth[thin], known))
    lost[thin] = np.maximum(0.0, band_mm2[thin] - rest_mm2[thin] - shapely.area(strips[thin]))
    return _Round(middle, deeper, rest_mm2 - shapely.area(deeper), lost, strips, thin)


_STUB_DEPTHS2 = 3.0
"""A strip with less area than so many squared depths is hardly longer than wide."""


def _without_stubs(strips: Objects, deeper: Objects, spacing: Floats, depth: Floats) -> Objects:
    """Strips without those that are hardly longer than wide and that whole loops go round as well."""
    parts, source = shapely.get_parts(strips, return_index=True)
    short = np.flatnonzero(shapely.area(parts) < _STUB_DEPTHS2 * depth[source] ** 2)
    if not len(short):
        return strips
    used, of = np.unique(source[short], return_inverse=True)
    room = prepared_copies(grown(deeper[used], spacing[used]))
    # Most lie wholly inside or outside, which is told at once; the others are cut.
    inside = shapely.covers(room[of], parts[short])
    cut = np.flatnonzero(~inside & shapely.intersects(room[of], parts[short]))
    laid = shapely.area(intersection(parts[short[cut]], room[of[cut]]))
    inside[cut] = laid > 0.8 * shapely.area(parts[short[cut]])
    stub = short[inside]
    kept = strips.copy()
    for index in np.unique(source[stub]).tolist():
        rest = np.setdiff1d(np.flatnonzero(source == index), stub)
        kept[index] = shapely.multipolygons(list(parts[rest])) if len(rest) else shapely.MultiPolygon()
    return kept


def thin_pieces(
    strips: Objects,
    regions: Objects,
    spacing_mm: Floats,
    depth_mm: Floats,
    island: NDArray[np.int64],
    islands: Islands,
    feature: Feature,
    phase: int,
) -> Pieces:
    """Strips (n,) of regions (n,) of some islands (n,) as strokes of their own width."""
    made = thin_strokes(strips, regions, spacing_mm, depth_mm)
    source = island[made.source]
    of_point = np.repeat(source, np.diff(made.offsets))
    loss = islands.height_mm * SIDE_LOSS
    return curve_pieces(
        Curves(made.points, made.offsets, source),
        islands,
        feature,
        phase,
        np.maximum(made.width_mm + loss[of_point], islands.height_mm[of_point]),
        closed=made.closed,
    )


def _depth_mm(islands: Islands, inputs: OutlineInputs) -> Floats:
    """How deep the walls reach below the outline, mm, by island."""
    outer, inner = _widths_mm(islands, inputs.width_mm)
    outer_s, inner_s = spacings(outer, islands.height_mm), spacings(inner, islands.height_mm)
    count = inputs.walls[islands.layer]
    depth: Floats = np.where(count > 0, outer_s + np.maximum(count - 1, 0) * inner_s, 0.0)
    return depth
