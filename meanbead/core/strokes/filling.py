"""Second and third stage: what the walls leave is split into skins and sparse filling, and filled with strokes."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from meanbead.core.bead import SIDE_LOSS
from meanbead.core.errors import RecipeError
from meanbead.core.parallel import Objects
from meanbead.core.plan import Shape
from meanbead.core.strokes.choices import LayerChoices
from meanbead.core.strokes.features import Feature
from meanbead.core.strokes.outline import Outline, wall_depth_mm
from meanbead.core.strokes.overlay import intersection
from meanbead.core.strokes.patterns import concentric, sparse_strokes
from meanbead.core.strokes.pieces import Curves, Islands, Pieces, curve_pieces, line_pieces, loop_pieces
from meanbead.core.strokes.scanlines import Lines, scan_lines
from meanbead.core.strokes.skins import Fill, split_fill
from meanbead.core.strokes.walls import Loops, grown, spacings

Floats = NDArray[np.float64]

MAX_INFILL_MM = 2e7
"""Length of infill that is refused as a slip of the keyboard: 20 km would take days."""

_LEAST_DENSITY = 0.001
PHASES = {
    Feature.BOTTOM: 4,
    Feature.BRIDGE: 5,
    Feature.SOLID: 6,
    Feature.TOP: 7,
    Feature.INFILL: 8,
    Feature.IRONING: 20,
}
"""Order within an island, after the walls; straight infill takes one more phase for each direction."""


@dataclass(frozen=True)
class Filled:
    """Pieces, and per island the areas asked for and laid, mm2, of what has to be gapless: skins of all kinds."""

    pieces: list[Pieces]
    asked_mm2: Floats
    laid_mm2: Floats


def make_fill(outline: Outline, choices: LayerChoices, shape: Shape) -> Fill:
    """Split what the walls leave into skins and sparse filling."""
    islands = outline.islands
    width = solid_width_mm(islands, shape)
    reach = wall_depth_mm(islands, choices, shape) + width
    return split_fill(outline.inside, islands.layer, outline.sections, choices, width / 4, reach)


def solid_width_mm(islands: Islands, shape: Shape) -> Floats:
    """Width of solid strokes by island, mm."""
    return np.where(islands.layer == 0, shape.width_mm.first_layer, shape.width_mm.solid)


def lay_skins(fill: Fill, islands: Islands, shape: Shape) -> Filled:
    """Strokes of floors, tops and what is solid between, bridges, and the ironing pass."""
    skins, laid, asked = shape.skins, np.zeros(len(islands)), np.zeros(len(islands))
    angle = math.radians(skins.angle_deg) + (islands.layer % 2) * math.pi / 2
    pieces = []
    for feature, regions in ((Feature.BOTTOM, fill.bottom), (Feature.SOLID, fill.solid), (Feature.TOP, fill.top)):
        width = solid_width_mm(islands, shape)
        if feature == Feature.TOP:
            width = np.where(islands.layer == 0, shape.width_mm.first_layer, shape.width_mm.top)
        asked += shapely.area(regions)
        if skins.overlap_mm:
            regions = _within(grown(regions, np.full(len(regions), skins.overlap_mm)), islands.region)
        one_way = skins.one_way and feature == Feature.TOP
        if skins.pattern == "concentric":
            spacing = spacings(width, islands.height_mm)
            loops = concentric(regions, spacing, spacing, 1)
            piece = loop_pieces(loops, islands, feature, PHASES[feature], width[loops.source])
        else:
            lines = scan_lines(regions, angle, spacings(width, islands.height_mm), fit=True)
            fitted = lines.pitch_mm + islands.height_mm[lines.region] * SIDE_LOSS
            piece = line_pieces(lines, islands, feature, PHASES[feature], fitted, angle, one_way=one_way)
        laid += np.bincount(piece.island, weights=piece.area_mm2(SIDE_LOSS), minlength=len(islands))
        pieces.append(piece)
    pieces.append(_bridges(fill, islands, shape))
    if shape.ironing.kind != "none":
        pieces.append(_ironing(fill, islands, shape, angle))
    return Filled(pieces, asked, laid)


def _within(regions: Objects, bounds: Objects) -> Objects:
    return intersection(regions, bounds)


def _bridges(fill: Fill, islands: Islands, shape: Shape) -> Pieces:
    """Strands that hang free, side by side, as thick as the bore and the flow ratio make them."""
    strand = shape.bore_mm * math.sqrt(shape.bridge_flow_ratio)
    lines = scan_lines(fill.bridge, fill.bridge_angle_rad, np.full(len(islands), strand), fit=True)
    thick = np.full(len(lines), strand)
    return line_pieces(
        lines, islands, Feature.BRIDGE, PHASES[Feature.BRIDGE], thick, fill.bridge_angle_rad, height_mm=thick
    )


def _ironing(fill: Fill, islands: Islands, shape: Shape, angle: Floats) -> Pieces:
    """A second pass over tops, whose strokes hold ``flow`` of the plastic that a layer of their spacing would."""
    ironing = shape.ironing
    tops = fill.top
    if ironing.kind == "topmost":
        tops = tops.copy()
        tops[islands.layer != islands.layer.max()] = shapely.MultiPolygon()
    regions = grown(tops, np.full(len(islands), -ironing.inset_mm))
    lines = scan_lines(regions, angle, np.full(len(islands), ironing.spacing_mm), fit=True)
    height = ironing.flow * islands.height_mm[lines.region]
    return line_pieces(
        lines,
        islands,
        Feature.IRONING,
        PHASES[Feature.IRONING],
        lines.pitch_mm + height * SIDE_LOSS,
        angle,
        height_mm=height,
    )


def lay_sparse(fill: Fill, outline: Outline, choices: LayerChoices, shape: Shape) -> Filled:
    """Strokes of the sparse filling."""
    islands = outline.islands
    density = choices.density[islands.layer]
    regions = fill.sparse.copy()
    regions[density < _LEAST_DENSITY] = shapely.MultiPolygon()
    asked = shapely.area(regions) * density * shape.infill_line_multiplier
    density = np.maximum(density, _LEAST_DENSITY)
    width = np.where(islands.layer == 0, shape.width_mm.first_layer, shape.width_mm.infill)
    spacing = spacings(width, islands.height_mm)
    if float(np.sum(asked / spacing)) > MAX_INFILL_MM:
        raise RecipeError(
            "The infill would be more than 20 km of strokes.",
            field="infill.density",
            remedy="Use less infill, wider lines or higher layers.",
        )
    if shape.infill_overlap_mm:
        regions = _within(grown(regions, np.full(len(regions), shape.infill_overlap_mm)), islands.region)
    families = sparse_strokes(
        regions,
        islands.layer,
        outline.layers.middle_mm[islands.layer],
        spacing,
        shape.infill_pattern,
        density,
        math.radians(shape.infill_angle_deg),
        shape.infill_line_multiplier,
        outline.sections,
        outline.layers.middle_mm,
    )
    pieces = []
    for turn, family in enumerate(families):
        strokes, phase = family.strokes, PHASES[Feature.INFILL] + turn
        if isinstance(strokes, Lines):
            piece = line_pieces(strokes, islands, Feature.INFILL, phase, width[strokes.region], family.angle_rad)
        elif isinstance(strokes, Loops):
            piece = loop_pieces(strokes, islands, Feature.INFILL, phase, width[strokes.source])
        elif isinstance(strokes, Curves):
            of_point = np.repeat(strokes.region, np.diff(strokes.offsets))
            piece = curve_pieces(strokes, islands, Feature.INFILL, phase, width[of_point], spacing / density)
        pieces.append(piece)
    laid = sum(np.bincount(p.island, weights=p.area_mm2(SIDE_LOSS), minlength=len(islands)) for p in pieces)
    return Filled(pieces, asked, np.zeros(len(islands)) + laid)
