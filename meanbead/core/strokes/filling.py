"""Third and fourth stage: what the walls leave is split into skins and sparse filling, and filled with strokes."""

from __future__ import annotations

import math
from collections.abc import Hashable
from dataclasses import dataclass, replace

import numpy as np
import shapely
from numpy.typing import NDArray

from meanbead.core.errors import RecipeError
from meanbead.core.formulas.bead import SIDE_LOSS
from meanbead.core.geometry.offsets import Loops, grown, spacings
from meanbead.core.geometry.overlay import intersection
from meanbead.core.geometry.scanlines import Lines, scan_lines
from meanbead.core.model.plan import Shape
from meanbead.core.model.recipe import SkinPattern, ThinWalls
from meanbead.core.runtime.alike import names_of, places_of_new
from meanbead.core.runtime.cache import BoundedCache
from meanbead.core.runtime.parallel import Objects
from meanbead.core.strokes.choices import LayerChoices
from meanbead.core.strokes.features import Feature
from meanbead.core.strokes.ironing import ironing_pieces
from meanbead.core.strokes.joined import join_along_wall
from meanbead.core.strokes.outline import Outline, thin_pieces
from meanbead.core.strokes.patterns import concentric, sparse_strokes
from meanbead.core.strokes.pieces import (
    HOP_PITCHES,
    Curves,
    Islands,
    Pieces,
    curve_pieces,
    join_pieces,
    line_pieces,
    loop_pieces,
    no_pieces,
)
from meanbead.core.strokes.skins import Fill, FillSpacings, SkinLayers, sections_near, split_fill
from meanbead.core.strokes.stage import Remembered, StageInputs, with_new

__all__ = [
    "FillInputs",
    "FillWidths",
    "Filled",
    "Filling",
    "SplitRegions",
    "angles_rad",
    "bridges_over_sparse",
    "first_over_mm",
    "lay_skins",
    "lay_sparse",
    "make_fill",
    "skin_patterns",
]

Floats = NDArray[np.float64]

MAX_INFILL_MM = 2e7
"""Length of infill that is refused as a slip of the keyboard: 20 km would take days."""

MIN_DENSITY = 0.001
"""Under this density nothing is laid."""

GAP_WIDTHS = 2.0
"""Over gaps of more than so many of its widths a strand hangs."""

PHASES = {
    Feature.BOTTOM: 4,
    Feature.BRIDGE: 5,
    Feature.SOLID: 6,
    Feature.TOP: 7,
    Feature.INFILL: 8,
}
"""Order within an island, after the walls."""


@dataclass(frozen=True)
class Filled:
    """Pieces, and per island the areas asked for, laid, laid on what is filled already, and of that what reaches into the
    walls as asked, mm2."""

    pieces: list[Pieces]
    asked_mm2: Floats
    laid_mm2: Floats
    twice_mm2: Floats
    overlap_mm2: Floats


@dataclass(frozen=True)
class Filling:
    """What the walls leave, split into regions, and the strokes of its solid ``strips``."""

    fill: Fill
    strips: Pieces

    @property
    def nbytes(self) -> int:
        """Memory held, bytes, estimated from the coordinates."""
        return self.fill.nbytes + 2 * self.strips.points.nbytes


@dataclass(frozen=True)
class FillWidths(StageInputs):
    """Bead width of what fills, mm."""

    solid: float
    infill: float
    inner_wall: float
    first_layer: float

    @classmethod
    def of(cls, shape: Shape) -> FillWidths:
        """The widths of a plan."""
        widths = shape.width_mm
        return cls(widths.solid, widths.infill, widths.inner_wall, widths.first_layer)

    def solid_mm(self, islands: Islands) -> Floats:
        """Width of solid strokes by island, mm."""
        return np.where(islands.layer == 0, self.first_layer, self.solid)

    def between_mm(self, islands: Islands) -> Floats:
        """Usual width of strokes in strips between walls, by island, mm: the walls leave room for another of their own."""
        return np.where(islands.layer == 0, self.first_layer, min(self.solid, self.inner_wall))

    def sparse_mm(self, islands: Islands) -> Floats:
        """Width of sparse strokes by island, mm."""
        return np.where(islands.layer == 0, self.first_layer, self.infill)


@dataclass(frozen=True)
class FillInputs(StageInputs):
    """What the split into skins and filling depends on: the outline; along all layers the counts of ``top`` and ``bottom``
    layers, whether all is filled ``solid``, and whether the first solid layer over sparse filling is laid as bridges;
    widths; ``unheld`` says that no supports stand under floors over air."""

    outline: Remembered[Outline]
    top: NDArray[np.int64]
    bottom: NDArray[np.int64]
    solid: NDArray[np.bool_]
    bridges_over: NDArray[np.bool_]
    width_mm: FillWidths
    thin_walls: ThinWalls
    spiral_floor: int | None
    unheld: bool
    drop_narrow_mm: float
    grow_mm: float

    @classmethod
    def of(cls, outline: Remembered[Outline], choices: LayerChoices, shape: Shape) -> FillInputs:
        """What filling reads of a plan."""
        return cls(
            outline,
            choices.top,
            choices.bottom,
            choices.solid,
            bridges_over_sparse(choices, shape),
            FillWidths.of(shape),
            shape.thin_walls,
            shape.bottom_layers if shape.spiral else None,
            shape.supports.kind == "none",
            shape.skins.drop_narrow_mm,
            shape.skins.grow_mm,
        )


@dataclass(frozen=True)
class SplitRegions:
    """Different regions that were split so far: ``names`` says which row of ``fill`` a region's is. The regions themselves are
    held so that no other takes their names."""

    names: dict[Hashable, int]
    inside: Objects
    fill: Fill

    def and_(self, other: SplitRegions) -> SplitRegions:
        """These and others, the others' rows after these."""
        count = len(self.inside)
        names = self.names | {name: row + count for name, row in other.names.items()}
        return SplitRegions(names, np.concatenate([self.inside, other.inside]), self.fill.and_(other.fill))

    @property
    def nbytes(self) -> int:
        """Memory held, bytes, estimated from the coordinates."""
        return self.fill.nbytes


def make_fill(inputs: FillInputs, split: BoundedCache[SplitRegions] | None = None) -> Filling:
    """Split what the walls leave into skins and sparse filling. ``split`` remembers it region by region: another sample of
    layers, or all of them, splits only what it does not share."""
    outline = inputs.outline.value
    islands, layer = outline.islands, outline.islands.layer
    width = inputs.width_mm.solid_mm(islands)
    solid = spacings(width, islands.height_mm)
    sparse = spacings(inputs.width_mm.sparse_mm(islands), islands.height_mm)
    skins = SkinLayers(inputs.top[layer], inputs.bottom[layer], inputs.solid[layer])
    between = spacings(inputs.width_mm.between_mm(islands), islands.height_mm)
    widths = FillSpacings(solid, sparse, between, outline.depth_mm + width)
    known, rows = _split(inputs, skins, widths, split)
    fill = known.fill.of_rows(rows)
    kept = ~shapely.is_empty(fill.strips)
    if inputs.spiral_floor is not None:
        kept &= layer < inputs.spiral_floor
    at = np.flatnonzero(kept)
    strips = no_pieces()
    if len(at):
        phase, widest = PHASES[Feature.SOLID], np.maximum(solid, sparse)[at]
        strips = thin_pieces(
            fill.strips[at], outline.inside[at], between[at], widest, at, islands, Feature.SOLID, phase
        )
    return Filling(fill, strips)


def _split(
    inputs: FillInputs, skins: SkinLayers, widths: FillSpacings, split: BoundedCache[SplitRegions] | None
) -> tuple[SplitRegions, NDArray[np.int64]]:
    """All different ones among the regions split, and the row of each region, int64 (n,)."""
    outline = inputs.outline.value
    inside, layer = outline.inside, outline.islands.layer
    # Regions that are alike between sections that are alike are split alike.
    near, below = sections_near(outline.sections, layer, skins)
    over = inputs.bridges_over[layer]
    names = names_of(
        inside,
        near,
        skins.top,
        skins.bottom,
        skins.solid,
        over,
        widths.solid,
        widths.sparse,
        widths.between,
        widths.reach,
    )
    # Rows of sections mean the same only where they reach equally far down and up.
    key = (outline.of, below, near.shape[1], inputs.thin_walls, inputs.unheld, inputs.drop_narrow_mm, inputs.grow_mm)
    known = None if split is None else split.peek_small(key)
    new = places_of_new(names, () if known is None else known.names)
    if new or known is None:
        at = np.array(list(new.values()), dtype=np.int64)
        fill = split_fill(
            inside[at],
            layer[at],
            outline.sections,
            SkinLayers(skins.top[at], skins.bottom[at], skins.solid[at]),
            widths.of_rows(at),
            variable=inputs.thin_walls == "variable",
            unheld=inputs.unheld,
            bridges_over=inputs.bridges_over,
            drop_narrow_mm=inputs.drop_narrow_mm,
            grow_mm=inputs.grow_mm,
        )
        fresh = SplitRegions({name: row for row, name in enumerate(new)}, inside[at], fill)
        known = with_new(split, key, known, fresh, names)
    return known, np.array([known.names[name] for name in names], dtype=np.int64)


def bridges_over_sparse(choices: LayerChoices, shape: Shape) -> NDArray[np.bool_]:
    """On which layers the first solid one over sparse filling is laid as bridges, bool (layers,).

    By the gap: where lines of the filling below stand further apart (width over density) than twice the solid line's
    width, strands hang from line to line.
    """
    if shape.skins.over_sparse != "by_gap":
        return np.full(len(choices.density), shape.skins.over_sparse == "bridge")
    below = np.concatenate([choices.density[:1], choices.density[:-1]])
    wide: NDArray[np.bool_] = shape.width_mm.infill > GAP_WIDTHS * shape.width_mm.solid * below
    return wide


def lay_skins(filling: Filling, islands: Islands, shape: Shape) -> Filled:
    """Strokes of floors, tops and what is solid between, bridges, and the ironing pass."""
    skins, fill = shape.skins, filling.fill
    asked, laid = shapely.area(fill.strips), _laid_mm2(filling.strips, islands)
    angle = angles_rad(islands.layer, skins.angle_deg, skins.angles_deg, crossing=True)
    pieces = [filling.strips]
    for feature, regions in ((Feature.BOTTOM, fill.bottom), (Feature.SOLID, fill.solid), (Feature.TOP, fill.top)):
        width = FillWidths.of(shape).solid_mm(islands)
        if feature == Feature.TOP:
            width = np.where(islands.layer == 0, shape.width_mm.first_layer, shape.width_mm.top)
        asked += shapely.area(regions)
        if skins.overlap_mm:
            regions = _within(grown(regions, np.full(len(regions), skins.overlap_mm)), islands.region)
        swept = skins.order != "nearest"
        one_way = skins.order == "one_way" and feature == Feature.TOP and skins.top_pattern == "lines"
        spacing, around = spacings(width, islands.height_mm), np.zeros(len(islands), dtype=bool)
        for pattern, where in skin_patterns(shape, feature, islands.layer):
            around |= where & (pattern == "concentric")
        if around.any():
            loops = concentric(_only(regions, around), spacing, spacing, 1)
            made = [loop_pieces(loops, islands, feature, PHASES[feature], width[loops.source])]
        else:
            made = []
        if not around.all():
            lines = scan_lines(_only(regions, ~around), angle, spacing, fit=True)
            fitted = lines.pitch_mm + islands.height_mm[lines.region] * SIDE_LOSS
            piece = line_pieces(lines, islands, feature, PHASES[feature], fitted, angle, one_way=one_way, swept=swept)
            made.append(piece)
        laid += sum((_laid_mm2(piece, islands) for piece in made), np.zeros(len(islands)))
        pieces.extend(made)
    pieces.append(_bridges(fill.bridge, fill.bridge_angle_rad, islands, shape))
    pieces.append(_bridges(fill.over_sparse, angle, islands, shape, first_over_mm(islands.height_mm, shape)))
    if shape.ironing.kind != "none":
        pieces.append(ironing_pieces(fill.top, islands, shape, angle))
    over = laid - asked
    return Filled(pieces, asked, laid, np.maximum(over, 0.0), np.zeros(len(islands)))


def angles_rad(layer: NDArray[np.int64], angle_deg: float, angles_deg: tuple[float, ...], *, crossing: bool) -> Floats:
    """Angle of straight strokes by region, rad: the list's one after the other by layer, else one angle, each layer's
    ``crossing`` the one below if so asked."""
    if angles_deg:
        return np.radians(np.asarray(angles_deg, dtype=np.float64))[layer % len(angles_deg)]
    return np.asarray(math.radians(angle_deg) + (layer % 2) * (math.pi / 2 if crossing else 0.0), dtype=np.float64)


def skin_patterns(
    shape: Shape, feature: Feature, layer: NDArray[np.int64]
) -> list[tuple[SkinPattern, NDArray[np.bool_]]]:
    """Which pattern a feature of skin has on which of the layers (numbered from the part's first)."""
    skins = shape.skins
    first = layer == 0
    above = skins.top_pattern if feature == Feature.TOP else skins.pattern
    return [(skins.first_layer_pattern, first), (above, ~first)]


def _only(regions: Objects, where: NDArray[np.bool_]) -> Objects:
    kept = regions.copy()
    kept[~where] = shapely.MultiPolygon()
    return kept


def _laid_mm2(pieces: Pieces, islands: Islands) -> Floats:
    """Area that pieces fill, by island, mm2."""
    laid: Floats = np.bincount(pieces.island, weights=pieces.area_mm2(SIDE_LOSS), minlength=len(islands)).astype(float)
    return laid


def _within(regions: Objects, bounds: Objects) -> Objects:
    return intersection(regions, bounds)


SAG_SHARE = 0.05
"""How deep a strand sags between the lines that hold it, as a share of the gap. Typical."""


def first_over_mm(height_mm: Floats, shape: Shape) -> Floats:
    """Diameter of the strands that are laid first over sparse filling, mm, by the height of their layer.

    Side by side they fill ``pi d / 4`` of height, and there is room for the layer and for how deep they sag between the lines
    below: thicker ones would heap up under the nozzle. At most what the bore and the flow ratio make.
    """
    gap = max(0.0, shape.width_mm.infill * (1 / max(shape.infill_density, MIN_DENSITY) - 1))
    room = height_mm + SAG_SHARE * min(gap, MOST_GAP_MM)
    return np.minimum(shape.bore_mm * math.sqrt(shape.bridge_flow_ratio), room * 4 / math.pi)


MOST_GAP_MM = 10.0
"""Over wider gaps than that no strand is held; it sags as over this."""


def _bridges(
    regions: Objects, angle_rad: Floats, islands: Islands, shape: Shape, strand_mm: Floats | None = None
) -> Pieces:
    """Strands that hang free, side by side, ``strand_mm`` thick by island, else as the bore and the flow ratio make them."""
    if strand_mm is None:
        strand_mm = np.full(len(islands), shape.bore_mm * math.sqrt(shape.bridge_flow_ratio))
    lines = scan_lines(regions, angle_rad, strand_mm, fit=True)
    thick = strand_mm[lines.region]
    return line_pieces(
        lines, islands, Feature.BRIDGE, PHASES[Feature.BRIDGE], thick, angle_rad, height_mm=thick, swept=True
    )


def lay_sparse(filling: Filling, outline: Outline, choices: LayerChoices, shape: Shape) -> Filled:
    """Strokes of the sparse filling."""
    islands, fill = outline.islands, filling.fill
    density = choices.density[islands.layer]
    regions = fill.sparse.copy()
    regions[density < MIN_DENSITY] = shapely.MultiPolygon()
    asked = shapely.area(regions) * density * shape.infill_lines_side_by_side
    density = np.maximum(density, MIN_DENSITY)
    width = FillWidths.of(shape).sparse_mm(islands)
    spacing = spacings(width, islands.height_mm)
    if float(np.sum(asked / spacing)) > MAX_INFILL_MM:
        raise RecipeError(
            "The infill would be more than 20 km of strokes.",
            field="infill.density",
            remedy="Use less infill, wider lines or higher layers.",
            code="over_limit",
        )
    twice = np.zeros(len(islands))
    if shape.infill_overlap_mm:
        before_mm2 = shapely.area(regions)
        regions = _within(grown(regions, np.full(len(regions), shape.infill_overlap_mm)), islands.region)
        twice = np.maximum(0.0, shapely.area(regions) - before_mm2) * density * shape.infill_lines_side_by_side
    families = sparse_strokes(
        regions,
        outline.layers.middle_mm[islands.layer],
        spacing,
        shape.infill_pattern,
        density,
        angles_rad(
            islands.layer,
            shape.infill_angle_deg,
            shape.infill_angles_deg,
            crossing=shape.infill_pattern == "lines",
        ),
        shape.infill_lines_side_by_side,
        outline.sections,
        outline.layers.middle_mm,
    )
    overlap = twice.copy()
    pieces, phase = [], PHASES[Feature.INFILL]
    for family in families:
        strokes = family.strokes
        if isinstance(strokes, Lines):
            piece = line_pieces(strokes, islands, Feature.INFILL, phase, width[strokes.region], family.angle_rad)
            # From one side of a cell to the other plastic may hang down: the recipe's least travel decides.
            piece = replace(piece, reach_mm=HOP_PITCHES * spacing[strokes.region])
        elif isinstance(strokes, Loops):
            piece = loop_pieces(strokes, islands, Feature.INFILL, phase, width[strokes.source])
        elif isinstance(strokes, Curves):
            of_point = np.repeat(strokes.region, np.diff(strokes.offsets))
            piece = curve_pieces(strokes, islands, Feature.INFILL, phase, width[of_point], spacing)
        pieces.append(piece)
    if shape.infill_join:
        made = join_along_wall(join_pieces(pieces), regions, islands, len(families) * spacing / density, spacing)
        pieces = [made.pieces]
        twice += made.links_mm * spacing
    laid = sum((_laid_mm2(piece, islands) for piece in pieces), np.zeros(len(islands)))
    return Filled(pieces, asked, laid, twice, overlap)
