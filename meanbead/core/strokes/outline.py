"""First stage of planning: slices and walls, which depend only on the solid, the layers and the walls' choices."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from meanbead.core.errors import RecipeError
from meanbead.core.formulas.bead import SIDE_LOSS
from meanbead.core.part.heights import slope_layers
from meanbead.core.part.slices import Layers, layer_stack, slice_solid
from meanbead.core.part.solid import Solid
from meanbead.core.recipe.plan import Shape
from meanbead.core.runtime.parallel import Objects
from meanbead.core.strokes.choices import SOLID_DENSITY, LayerChoices, layer_choices
from meanbead.core.strokes.features import Feature
from meanbead.core.strokes.overlay import intersection
from meanbead.core.strokes.pieces import Curves, Islands, Pieces, curve_pieces, join_pieces, loop_pieces, no_pieces
from meanbead.core.strokes.thin import shared_mm, strips_of, thin_strokes
from meanbead.core.strokes.walls import grown, inset, loops_of, simpler, spacings

Floats = NDArray[np.float64]

MAX_LAYERS = 20_000
_SPECK_SPACINGS2 = 0.4
"""Strips smaller than this many squared spacings in all are corners, not thin walls."""

PHASES = {
    "inside_out": {Feature.INNER_WALL: 1, Feature.OUTER_WALL: 2, Feature.THIN_WALL: 3},
    "outside_in": {Feature.OUTER_WALL: 1, Feature.THIN_WALL: 2, Feature.INNER_WALL: 3},
}


@dataclass(frozen=True)
class Cut:
    """Sections of a solid, one a layer, and the layers that could not be cut and stand in from a neighbour."""

    layers: Layers
    sections: Objects
    substituted: tuple[int, ...]

    @property
    def nbytes(self) -> int:
        """Memory held, bytes, estimated from the coordinates."""
        return 32 * int(shapely.get_num_coordinates(self.sections).sum())


@dataclass(frozen=True)
class Outline:
    """``sections`` per layer; per island ``inside``, what the walls leave to be filled, ``asked_mm2``, the area that
    walls have to fill, and of it ``lost_mm2``; ``overfilled_mm2`` is laid beyond it. ``substituted`` are layers whose section could not be taken and
    stands in from a neighbour."""

    layers: Layers
    sections: Objects
    islands: Islands
    walls: Pieces
    inside: Objects
    asked_mm2: Floats
    lost_mm2: Floats
    overfilled_mm2: Floats
    substituted: tuple[int, ...]

    @property
    def nbytes(self) -> int:
        """Memory held, bytes, estimated from the coordinates (16 bytes each, and as much again for the library)."""
        corners = sum(
            int(shapely.get_num_coordinates(r).sum()) for r in (self.sections, self.islands.region, self.inside)
        )
        return corners * 32 + self.walls.points.nbytes * 2


def make_outline(cut: Cut, shape: Shape, chosen: NDArray[np.bool_] | None = None) -> Outline:
    """Lay the walls of sections, of all layers or of chosen ones, bool (layers,)."""
    layers, sections = cut.layers, cut.sections
    choices = layer_choices(shape, layers)
    region, layer = shapely.get_parts(sections, return_index=True)
    if chosen is not None:
        region, layer = region[chosen[layer]], layer[chosen[layer]]
    islands = Islands(np.asarray(region, dtype=object), layer.astype(np.int64), layers.height_mm[layer])
    if not len(islands):
        raise RecipeError(
            "No layer meets the part: the first layer is higher than the part.",
            field="first_layer_height_mm",
            remedy="Use a lower first layer.",
        )
    if shape.spiral:
        _refuse_several_rings(islands, shape, np.ones(len(layers), bool) if chosen is None else chosen)
    walls, inside, asked, lost, over = _walls(islands, choices, shape)
    return Outline(layers, sections, islands, walls, inside, asked, lost, over, cut.substituted)


def cut_solid(solid: Solid, shape: Shape) -> Cut:
    """Layers and sections of a solid. Raises :class:`RecipeError` where the layers would be absurdly many."""
    part_height = float(solid.vertices[:, 2].max())
    if shape.first_layer_height_mm / 2 >= part_height:
        raise RecipeError(
            f"No layer meets the part: it is {part_height:.3g} mm high, and the middle of a first layer of "
            f"{shape.first_layer_height_mm:g} mm lies above that.",
            field="first_layer_height_mm",
            remedy="Use a lower first layer.",
        )
    lowest = shape.slope_heights.min_mm if shape.slope_heights else shape.layer_height_mm
    if part_height / lowest > MAX_LAYERS:
        raise RecipeError(
            f"The part would have more than {MAX_LAYERS:,} layers.",
            field="layer_height_mm",
            remedy="Use a higher layer.",
        )
    if shape.slope_heights:
        layers = slope_layers(solid, shape.first_layer_height_mm, shape.slope_heights)
    else:
        layers = layer_stack(part_height, shape.layer_height_mm, shape.first_layer_height_mm)
    sections, substituted = slice_solid(solid, layers)
    return Cut(layers, sections, substituted)


def _refuse_several_rings(islands: Islands, shape: Shape, looked_at: NDArray[np.bool_]) -> None:
    rings = 1 + shapely.get_num_interior_rings(islands.region)
    per_layer = np.bincount(islands.layer, weights=rings, minlength=len(looked_at))
    above_floor = np.arange(len(looked_at)) >= shape.bottom_layers
    several = np.flatnonzero((per_layer != 1) & above_floor & looked_at)
    if len(several):
        raise RecipeError(
            f"Spiral mode needs a single outline on each layer above the floor; layer {several[0] + 1} has "
            f"{int(per_layer[several[0]])}.",
            field="spiral",
            remedy="Turn spiral mode off for this part, or model it as a solid body without its hollow.",
        )


def wall_widths_mm(islands: Islands, shape: Shape) -> tuple[Floats, Floats]:
    """Widths of the outer and the inner walls by island, mm."""
    first, widths = islands.layer == 0, shape.width_mm
    return (
        np.where(first, widths.first_layer, widths.outer_wall),
        np.where(first, widths.first_layer, widths.inner_wall),
    )


def _walls(islands: Islands, choices: LayerChoices, shape: Shape) -> tuple[Pieces, Objects, Floats, Floats, Floats]:
    """Pieces, the regions left inside, and by island the areas to fill, lost and laid twice.

    Each wall has a band of the region to fill: from where the wall outside it ends to one spacing deeper. Of the
    outermost bead the band begins where its rounded side is half full.
    """
    outer, inner = wall_widths_mm(islands, shape)
    loss = islands.height_mm * SIDE_LOSS
    region = inset(islands.region, loss / 2)
    count = choices.walls[islands.layer]
    solid = choices.density[islands.layer] >= SOLID_DENSITY
    whole_mm2 = shapely.area(region)
    most = int(count.max(initial=0))
    lost, over = np.zeros(len(islands)), np.zeros(len(islands))
    parts = [no_pieces()]
    phase = PHASES[shape.wall_order]
    for index in range(most):
        at = np.flatnonzero((count > index) & ~shapely.is_empty(region))
        if not len(at):
            break
        feature = Feature.OUTER_WALL if index == 0 else Feature.INNER_WALL
        width = outer if index == 0 else inner
        spacing = (width - loss)[at]
        # What two lines leave of a wall has to be wide enough for what comes next, or the two share it.
        follows = solid[at] | (count[at] > index + 1)
        depth = spacing + np.where(follows, shared_mm(spacing, (inner - loss)[at]) / 2, 0.0)
        band = region[at]
        made = _variable(band, spacing, depth) if shape.thin_walls == "variable" else _fixed(band, spacing)
        loops = loops_of(made.middle)
        loops.source[:] = at[loops.source]
        parts.append(loop_pieces(loops, islands, feature, phase[feature], width[loops.source]))
        balance = shapely.length(made.middle) * spacing - made.round_mm2
        lost[at] += made.lost_mm2 + np.maximum(-balance, 0.0)
        over[at] += np.maximum(balance, 0.0)
        if len(made.thin):
            piece = thin_pieces(
                made.strips[made.thin],
                band[made.thin],
                spacing[made.thin],
                depth[made.thin],
                at[made.thin],
                islands,
                Feature.THIN_WALL,
                phase[Feature.THIN_WALL],
            )
            parts.append(piece)
            laid = np.bincount(piece.island, weights=piece.area_mm2(SIDE_LOSS), minlength=len(islands))[at]
            balance = laid - np.where(np.isin(np.arange(len(at)), made.thin), shapely.area(made.strips), 0.0)
            lost[at] += np.maximum(-balance, 0.0)
            over[at] += np.maximum(balance, 0.0)
        region = region.copy()
        region[at] = made.deeper
    if not most:
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


def _fixed(band: Objects, spacing: Floats) -> _Round:
    """Whole loops or nothing. Where a loop's two sides are closer than a spacing they overlap."""
    middle, deeper = inset(band, spacing / 2), inset(band, spacing)
    reached = shapely.area(grown(middle, spacing / 2))
    nothing = np.full(len(band), shapely.MultiPolygon(), dtype=object)
    return _Round(
        middle,
        deeper,
        reached - shapely.area(deeper),
        np.maximum(0.0, shapely.area(band) - reached),
        nothing,
        np.empty(0, np.int64),
    )


def _variable(band: Objects, spacing: Floats, depth: Floats) -> _Round:
    """Loops where a wall is thicker than twice ``depth``; elsewhere one stroke or two take all of it."""
    deeper, middle = inset(band, spacing), inset(band, spacing / 2)
    speck = _SPECK_SPACINGS2 * depth**2
    band_mm2 = shapely.area(band)
    inner, shares = deeper.copy(), depth > spacing
    missing = np.zeros(len(band))
    missing[~shares] = band_mm2[~shares] - shapely.area(grown(deeper[~shares], spacing[~shares]))
    # Where two lines may share what is left, it is asked of simpler outlines first: few have any.
    light = simpler(band[shares])
    missing[shares] = shapely.area(light) - shapely.area(grown(inset(light, depth[shares]), depth[shares]))
    suspect = np.flatnonzero(missing > speck)
    again = suspect[shares[suspect]]
    inner[again] = inset(band[again], depth[again])
    strips = np.full(len(band), shapely.MultiPolygon(), dtype=object)
    strips[suspect] = strips_of(band[suspect], spacing[suspect], inner[suspect], depth[suspect])
    strips[suspect] = _without_stubs(strips[suspect], deeper[suspect], spacing[suspect], depth[suspect])
    thin = np.flatnonzero(shapely.area(strips) > speck)
    # Where strips get strokes of their own, loops go round the rest only.
    middle[thin] = grown(inner[thin], (depth - spacing / 2)[thin])
    deeper[thin] = grown(inner[thin], (depth - spacing)[thin])
    rest_mm2, lost = band_mm2.copy(), np.zeros(len(band))
    rest_mm2[thin] = shapely.area(grown(inner[thin], depth[thin]))
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
    of = source[short]
    room = intersection(parts[short], grown(deeper[of], spacing[of]))
    stub = short[shapely.area(room) > 0.8 * shapely.area(parts[short])]
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


def wall_depth_mm(islands: Islands, choices: LayerChoices, shape: Shape) -> Floats:
    """How deep the walls reach below the outline, mm, by island."""
    outer, inner = wall_widths_mm(islands, shape)
    outer_s, inner_s = spacings(outer, islands.height_mm), spacings(inner, islands.height_mm)
    count = choices.walls[islands.layer]
    depth: Floats = np.where(count > 0, outer_s + np.maximum(count - 1, 0) * inner_s, 0.0)
    return depth
