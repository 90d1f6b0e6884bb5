"""Plan all strokes of a part: slices, walls, skins, infill, skirt, order."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from meanbead.core.bead import SIDE_LOSS, bead_spacing_mm
from meanbead.core.cache import BoundedCache
from meanbead.core.errors import RecipeError
from meanbead.core.parallel import Objects
from meanbead.core.part.slices import Layers, layer_stack, slice_solid
from meanbead.core.part.sound import Solid
from meanbead.core.resolve import Shape
from meanbead.core.strokes.features import Feature
from meanbead.core.strokes.order import Pieces, join_pieces, order_pieces
from meanbead.core.strokes.patterns import Curves, sparse_strokes
from meanbead.core.strokes.scanlines import Lines, scan_lines
from meanbead.core.strokes.skins import Fill, split_fill
from meanbead.core.strokes.table import Strokes
from meanbead.core.strokes.walls import Loops, inset, loops_of, wall_depths_mm

MAX_LAYERS = 20_000
MAX_INFILL_MM = 2e7
"""Length of infill that is refused as a slip of the keyboard: 20 km would take days."""

_PHASE = {
    Feature.INNER_WALL: 1,
    Feature.OUTER_WALL: 2,
    Feature.BOTTOM: 3,
    Feature.SOLID: 4,
    Feature.TOP: 5,
    Feature.INFILL: 6,
}
_SOLID_DENSITY = 0.99
_LEAST_DENSITY = 0.001
_HOP_PITCHES = 2.5


@dataclass(frozen=True)
class Islands:
    """The separate outlines of all layers: ``region`` polygons, ``layer`` int64, ``height_mm`` float64, each (n,)."""

    region: Objects
    layer: NDArray[np.int64]
    height_mm: NDArray[np.float64]


@dataclass(frozen=True)
class Outline:
    """First stage: everything that depends only on the solid, the layers and the walls.

    ``sections`` per layer; ``inside`` per island, the region that the walls leave to be filled.
    """

    layers: Layers
    sections: Objects
    islands: Islands
    walls: Pieces
    inside: Objects

    @property
    def nbytes(self) -> int:
        """Memory held, bytes, estimated from the coordinates (16 bytes each, and as much again for the library)."""
        corners = sum(
            int(shapely.get_num_coordinates(r).sum()) for r in (self.sections, self.islands.region, self.inside)
        )
        return corners * 32 + self.walls.points.nbytes


class StrokePlanner:
    """Plans strokes, and remembers each stage by just the inputs that it reads: a changed infill reruns no walls."""

    def __init__(self, cache_bytes: int = 512 * 1024 * 1024) -> None:
        share = cache_bytes // 4
        self._outlines: BoundedCache[Outline] = BoundedCache(share, lambda outline: outline.nbytes)
        self._fills: BoundedCache[Fill] = BoundedCache(share, lambda fill: fill.nbytes)
        self._strokes: BoundedCache[Strokes] = BoundedCache(2 * share, lambda strokes: strokes.nbytes)

    def plan(self, solid: Solid, shape: Shape) -> Strokes:
        """Strokes of every layer of a solid.

        Raises :class:`RecipeError` where the layers or the infill would be absurdly many.
        """
        return self._strokes.get((solid.digest, shape), lambda: self._make(solid, shape))

    def _make(self, solid: Solid, shape: Shape) -> Strokes:
        widths, all_solid = shape.width_mm, shape.infill_density >= _SOLID_DENSITY
        outline_key = (
            solid.digest,
            shape.layer_height_mm,
            shape.first_layer_height_mm,
            shape.walls,
            (widths.outer_wall, widths.inner_wall, widths.first_layer),
        )
        outline = self._outlines.get(outline_key, lambda: make_outline(solid, shape))
        fill_key = (outline_key, shape.top_layers, shape.bottom_layers, widths.solid, all_solid)
        fill = self._fills.get(fill_key, lambda: make_fill(outline, shape))
        return lay_strokes(outline, fill, shape)


def plan_strokes(solid: Solid, shape: Shape) -> Strokes:
    """Strokes of every layer of a solid, without memory; see :class:`StrokePlanner`."""
    outline = make_outline(solid, shape)
    return lay_strokes(outline, make_fill(outline, shape), shape)


def make_outline(solid: Solid, shape: Shape) -> Outline:
    """Slice a solid and lay its walls."""
    part_height = float(solid.vertices[:, 2].max())
    if part_height / shape.layer_height_mm > MAX_LAYERS:
        raise RecipeError(
            f"The part would have more than {MAX_LAYERS:,} layers.",
            field="layer_height_mm",
            remedy="Use a higher layer.",
        )
    layers = layer_stack(part_height, shape.layer_height_mm, shape.first_layer_height_mm)
    sections = slice_solid(solid, layers)
    region, layer = shapely.get_parts(sections, return_index=True)
    islands = Islands(np.asarray(region, dtype=object), layer.astype(np.int64), layers.height_mm[layer])
    if not len(islands.layer):
        raise RecipeError(
            "No layer meets the part: the first layer is higher than the part.",
            field="first_layer_height_mm",
            remedy="Use a lower first layer.",
        )
    walls, inside = _walls(islands, shape)
    return Outline(layers, sections, islands, walls, inside)


def make_fill(outline: Outline, shape: Shape) -> Fill:
    """Split what the walls leave into skins and sparse filling."""
    first = outline.islands.layer == 0
    solid_width = np.where(first, shape.width_mm.first_layer, shape.width_mm.solid)
    return split_fill(
        outline.inside,
        outline.islands.layer,
        outline.sections,
        shape.top_layers,
        shape.bottom_layers,
        solid_width / 4,
        shape.infill_density >= _SOLID_DENSITY,
    )


def lay_strokes(outline: Outline, fill: Fill, shape: Shape) -> Strokes:
    """Lay lines into the filling and put everything in order."""
    islands = outline.islands
    pieces = [outline.walls, *_skins(fill, islands, shape)]
    if _LEAST_DENSITY <= shape.infill_density < _SOLID_DENSITY:
        pieces.extend(_sparse(fill.sparse, islands, outline.layers.middle_mm, shape))
    if shape.adhesion == "skirt" and shape.skirt_loops:
        pieces.append(_skirt(outline.sections, shape))
    if shape.adhesion == "brim" and shape.brim_width_mm:
        pieces.append(_brim(outline.sections, shape))
    joined = join_pieces(pieces)
    if not np.any((joined.feature != Feature.SKIRT) & (joined.feature != Feature.BRIM)):
        raise RecipeError(
            "Nothing would be laid: the part is thinner than one line everywhere, or has neither walls nor filling.",
            field="line_width_mm.outer_wall",
            remedy="Use a narrower line or a smaller nozzle, or give it walls.",
        )
    ordered = order_pieces(joined, shape.seam == "back")
    height = np.where(ordered.feature == Feature.TRAVEL, 0.0, outline.layers.height_mm[ordered.layer])
    return Strokes(
        start_xy=ordered.xy[:, 0:2],
        end_xy=ordered.xy[:, 2:4],
        width_mm=ordered.width_mm,
        height_mm=height,
        feature=ordered.feature,
        layer=ordered.layer,
        inside=ordered.inside,
        layers=outline.layers,
    )


def _walls(islands: Islands, shape: Shape) -> tuple[Pieces, Objects]:
    first = islands.layer == 0
    widths, height = shape.width_mm, islands.height_mm
    outer = np.where(first, widths.first_layer, widths.outer_wall)
    inner = np.where(first, widths.first_layer, widths.inner_wall)
    depths = wall_depths_mm(shape.walls, _spacing(outer, height), _spacing(inner, height), outer)
    if not shape.walls:
        return _loop_pieces(loops_of(islands.region[:0]), islands, Feature.OUTER_WALL, np.empty(0)), islands.region
    pieces = []
    for index, depth in enumerate(depths[:-1]):
        feature = Feature.OUTER_WALL if index == 0 else Feature.INNER_WALL
        loops = loops_of(inset(islands.region, depth))
        pieces.append(_loop_pieces(loops, islands, feature, (outer if index == 0 else inner)[loops.source]))
    return join_pieces(pieces), inset(islands.region, depths[-1])


def _spacing(width_mm: NDArray[np.float64], height_mm: NDArray[np.float64]) -> NDArray[np.float64]:
    return width_mm - height_mm * SIDE_LOSS


def _skins(fill: Fill, islands: Islands, shape: Shape) -> list[Pieces]:
    solid_width = np.where(islands.layer == 0, shape.width_mm.first_layer, shape.width_mm.solid)
    angle = math.radians(shape.infill_angle_deg) + (islands.layer % 2) * math.pi / 2
    pieces = []
    for feature, regions in ((Feature.BOTTOM, fill.bottom), (Feature.SOLID, fill.solid), (Feature.TOP, fill.top)):
        width = solid_width
        if feature == Feature.TOP:
            width = np.where(islands.layer == 0, shape.width_mm.first_layer, shape.width_mm.top)
        lines = scan_lines(regions, angle, _spacing(width, islands.height_mm), fit=True)
        laid = lines.pitch_mm + islands.height_mm[lines.region] * SIDE_LOSS
        pieces.append(_line_pieces(lines, islands, feature, laid, angle))
    return pieces


def _sparse(regions: Objects, islands: Islands, middle_mm: NDArray[np.float64], shape: Shape) -> list[Pieces]:
    width = np.where(islands.layer == 0, shape.width_mm.first_layer, shape.width_mm.infill)
    spacing = _spacing(width, islands.height_mm)
    strokes_mm = shapely.area(regions) / spacing * shape.infill_density * shape.infill_line_multiplier
    if float(np.sum(strokes_mm)) > MAX_INFILL_MM:
        raise RecipeError(
            "The infill would be more than 20 km of strokes.",
            field="infill.density",
            remedy="Use less infill, wider lines or higher layers.",
        )
    families = sparse_strokes(
        regions,
        islands.layer,
        middle_mm[islands.layer],
        spacing,
        shape.infill_pattern,
        shape.infill_density,
        math.radians(shape.infill_angle_deg),
        shape.infill_line_multiplier,
    )
    pieces = []
    for turn, family in enumerate(families):
        strokes = family.strokes
        if isinstance(strokes, Lines):
            piece = _line_pieces(strokes, islands, Feature.INFILL, width[strokes.region], family.angle_rad, turn)
        elif isinstance(strokes, Loops):
            piece = _loop_pieces(strokes, islands, Feature.INFILL, width[strokes.source])
        else:
            piece = _curve_pieces(strokes, islands, width[strokes.region], spacing / shape.infill_density)
        pieces.append(piece)
    return pieces


def _curve_pieces(
    curves: Curves, islands: Islands, width_mm: NDArray[np.float64], pitch_mm: NDArray[np.float64]
) -> Pieces:
    count = len(curves.region)
    return Pieces(
        points=curves.points,
        offsets=curves.offsets,
        closed=np.zeros(count, dtype=bool),
        layer=islands.layer[curves.region],
        island=curves.region,
        phase=np.full(count, _PHASE[Feature.INFILL]),
        feature=np.full(count, Feature.INFILL, dtype=np.uint8),
        width_mm=width_mm,
        across_mm=np.zeros(count),
        angle_rad=np.zeros(count),
        reach_mm=_HOP_PITCHES * pitch_mm[curves.region],
    )


def _loop_pieces(loops: Loops, islands: Islands, feature: Feature, width_mm: NDArray[np.float64]) -> Pieces:
    count = len(loops.source)
    return Pieces(
        points=loops.points,
        offsets=loops.offsets,
        closed=np.ones(count, dtype=bool),
        layer=islands.layer[loops.source],
        island=loops.source,
        phase=np.full(count, _PHASE[feature]),
        feature=np.full(count, feature, dtype=np.uint8),
        width_mm=width_mm,
        across_mm=np.zeros(count),
        angle_rad=np.zeros(count),
        reach_mm=np.zeros(count),
    )


def _line_pieces(
    lines: Lines,
    islands: Islands,
    feature: Feature,
    width_mm: NDArray[np.float64],
    angle_rad: NDArray[np.float64],
    turn: int = 0,
) -> Pieces:
    count = len(lines)
    return Pieces(
        points=np.stack([lines.start, lines.end], axis=1).reshape(-1, 2),
        offsets=np.arange(count + 1, dtype=np.int64) * 2,
        closed=np.zeros(count, dtype=bool),
        layer=islands.layer[lines.region],
        island=lines.region,
        phase=np.full(count, _PHASE[feature] + turn),
        feature=np.full(count, feature, dtype=np.uint8),
        width_mm=width_mm,
        across_mm=lines.offset_mm,
        angle_rad=angle_rad[lines.region],
        reach_mm=_HOP_PITCHES * lines.pitch_mm,
    )


def _skirt(sections: Objects, shape: Shape) -> Pieces:
    """Loops around everything on the bed, the furthest first, so that the nozzle ends next to the part."""
    width, height = shape.width_mm.first_layer, shape.first_layer_height_mm
    hull = shapely.convex_hull(sections[0])
    spacing = bead_spacing_mm(width, height)
    distances = [shape.skirt_distance_mm + width / 2 + spacing * index for index in range(shape.skirt_loops)][::-1]
    return _start_pieces(hull, distances, Feature.SKIRT, width)


def _brim(sections: Objects, shape: Shape) -> Pieces:
    """Loops that touch the outer outlines on the bed, the furthest first. Holes are left free."""
    width, height = shape.width_mm.first_layer, shape.first_layer_height_mm
    outlines = shapely.polygons(shapely.get_exterior_ring(shapely.get_parts(sections[0])))
    spacing = bead_spacing_mm(width, height)
    loops = round(shape.brim_width_mm / spacing)
    # The first loop touches the wall's outer edge: their centre lines are one spacing apart.
    distances = [spacing - width / 2 + spacing * index for index in range(loops)][::-1]
    return _start_pieces(shapely.union_all(outlines), distances, Feature.BRIM, width)


def _start_pieces(around: shapely.Geometry, distances: list[float], feature: Feature, width_mm: float) -> Pieces:
    rings = np.array([shapely.buffer(around, distance, quad_segs=12) for distance in distances], dtype=object)
    loops = loops_of(rings)
    count = len(loops.source)
    return Pieces(
        points=loops.points,
        offsets=loops.offsets,
        closed=np.ones(count, dtype=bool),
        layer=np.zeros(count, dtype=np.int64),
        island=np.full(count, -1, dtype=np.int64),
        phase=loops.source - len(distances),
        feature=np.full(count, feature, dtype=np.uint8),
        width_mm=np.full(count, width_mm),
        across_mm=np.zeros(count),
        angle_rad=np.zeros(count),
        reach_mm=np.zeros(count),
    )
