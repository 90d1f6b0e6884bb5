"""The start on the bed: skirt, brim and raft."""

from __future__ import annotations

import math

import numpy as np
import shapely

from meanbead.core.formulas.bead import SIDE_LOSS, bead_spacing_mm
from meanbead.core.geometry.offsets import loops_of
from meanbead.core.geometry.overlay import without
from meanbead.core.geometry.scanlines import scan_lines
from meanbead.core.model.plan import Shape
from meanbead.core.part.slices import Layers
from meanbead.core.runtime.parallel import Objects
from meanbead.core.strokes.features import Feature
from meanbead.core.strokes.pieces import Islands, Pieces, join_pieces, line_pieces, start_pieces

__all__ = ["brim", "raft", "skirt", "with_raft"]

RAFT_BASE_OPENNESS = 2.0
"""Lines of a raft's lowest layer stand this many spacings apart, so that it comes off the bed; the others are dense."""


def skirt(on_bed: shapely.Geometry, shape: Shape) -> Pieces:
    """Loops around everything on the bed, the furthest first, so that the nozzle ends next to the part."""
    width = shape.width_mm.first_layer
    spacing = bead_spacing_mm(width, shape.first_layer_height_mm)
    distances = [shape.skirt_distance_mm + width / 2 + spacing * index for index in range(shape.skirt_loops)][::-1]
    return _rings(shapely.convex_hull(on_bed), distances, Feature.SKIRT, shape)


def brim(on_bed: shapely.Geometry, shape: Shape) -> Pieces:
    """Loops that touch the outlines on the bed, the furthest first; in holes, too, where the recipe asks for it."""
    width = shape.width_mm.first_layer
    spacing = bead_spacing_mm(width, shape.first_layer_height_mm)
    loops = round(shape.brim_width_mm / spacing)
    # The first loop touches the wall's outer edge: their centre lines are one spacing apart.
    distances = [spacing - width / 2 + spacing * index for index in range(loops)][::-1]
    bodies = shapely.get_parts(on_bed)
    filled = shapely.union_all(shapely.polygons(shapely.get_exterior_ring(bodies)))
    pieces = [_rings(filled, distances, Feature.BRIM, shape)]
    if shape.brim_holes:
        holes = [shapely.polygons(ring) for body in bodies for ring in body.interiors]
        room = without(shapely.union_all(holes), on_bed) if holes else shapely.MultiPolygon()
        pieces.append(_rings(room, [-distance for distance in distances], Feature.BRIM, shape))
    return join_pieces(pieces)


def _rings(around: shapely.Geometry, distances: list[float], feature: Feature, shape: Shape) -> Pieces:
    rings = np.array([shapely.buffer(around, distance, quad_segs=12) for distance in distances], dtype=object)
    loops = loops_of(rings)
    return start_pieces(
        loops,
        feature,
        loops.source - len(distances),
        shape.width_mm.first_layer,
        shape.first_layer_height_mm,
    )


def raft(on_bed: shapely.Geometry, shape: Shape) -> Pieces:
    """Full layers under everything that stands on the bed and a margin around, each across the one below."""
    count, height = shape.raft_layers, shape.raft_layer_mm
    width = max(shape.width_mm.first_layer, 1.5 * height)
    region = shapely.buffer(on_bed, shape.brim_width_mm, quad_segs=8)
    regions: Objects = np.full(count, region, dtype=object)
    # Each raft layer is an island of its own, before the part's.
    islands = Islands(regions, np.arange(count), np.full(count, height))
    angle = np.arange(count) * math.pi / 2
    pitch = np.full(count, width - height * SIDE_LOSS)
    pitch[0] *= RAFT_BASE_OPENNESS
    lines = scan_lines(regions, angle, pitch, fit=True)
    laid = np.where(lines.region == 0, width, lines.pitch_mm + height * SIDE_LOSS)
    return line_pieces(lines, islands, Feature.RAFT, 0, laid, angle)


def with_raft(layers: Layers, shape: Shape) -> Layers:
    """The part's layers raised onto a raft."""
    heights = np.full(shape.raft_layers, shape.raft_layer_mm)
    return Layers(
        np.concatenate([np.cumsum(heights), layers.top_mm + float(heights.sum())]),
        np.concatenate([heights, layers.height_mm]),
    )
