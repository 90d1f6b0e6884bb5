"""Ironing: a second pass over tops that smooths them and adds a little plastic."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray

from meanbead.core.formulas.bead import SIDE_LOSS
from meanbead.core.geometry.offsets import grown
from meanbead.core.geometry.scanlines import scan_lines
from meanbead.core.model.plan import Shape
from meanbead.core.runtime.parallel import Objects
from meanbead.core.strokes.features import Feature
from meanbead.core.strokes.patterns import concentric
from meanbead.core.strokes.pieces import Islands, Pieces, line_pieces, loop_pieces

__all__ = ["PHASE", "ironing_pieces"]

Floats = NDArray[np.float64]

PHASE = 20
"""Order within an island: after all else."""


def ironing_pieces(tops: Objects, islands: Islands, shape: Shape, angle_rad: Floats) -> Pieces:
    """A second pass over ``tops``, one region an island, whose strokes hold ``flow`` of the plastic that a layer of their
    spacing would; of the topmost layer only, if the recipe says so."""
    ironing = shape.ironing
    if ironing.kind == "topmost":
        tops = tops.copy()
        tops[islands.layer != islands.layer.max()] = shapely.MultiPolygon()
    regions = grown(tops, np.full(len(islands), -ironing.inset_mm))
    if ironing.pattern == "concentric":
        pitch = np.full(len(islands), ironing.spacing_mm)
        loops = concentric(regions, pitch, pitch, 1)
        thin = ironing.flow * islands.height_mm[loops.source]
        width = ironing.spacing_mm + thin * SIDE_LOSS
        return loop_pieces(loops, islands, Feature.IRONING, PHASE, width, height_mm=thin)
    lines = scan_lines(regions, angle_rad, np.full(len(islands), ironing.spacing_mm), fit=True)
    height = ironing.flow * islands.height_mm[lines.region]
    return line_pieces(
        lines,
        islands,
        Feature.IRONING,
        PHASE,
        lines.pitch_mm + height * SIDE_LOSS,
        angle_rad,
        height_mm=height,
        one_way=ironing.pattern == "one_way",
        swept=True,
    )
