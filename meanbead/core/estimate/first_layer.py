"""The first layer: what touches the bed, where it is thin, where it may lift, and what its start costs."""

from __future__ import annotations

import numpy as np
import shapely

from meanbead.core.model import Estimate
from meanbead.core.model.estimate import Result
from meanbead.core.model.insight import Spot
from meanbead.core.part.insight import sharp_corners
from meanbead.core.strokes.cut import Cut

__all__ = ["FirstLayer", "Island", "first_layer"]

START_FEATURES = ("skirt", "brim", "raft")
SMALL_ISLAND_MM2 = 25.0


class Island(Result):
    """A piece of the part that touches the bed by itself. ``width_mm`` is the widest circle that fits into it."""

    x: float
    y: float
    area_mm2: float
    width_mm: float


class FirstLayer(Result):
    """What lies on the bed. Costs are those of the start alone, before the part."""

    contact_mm2: float
    islands: list[Island]
    thinnest_mm: float
    small_islands: int
    corners: list[Spot]
    start_kind: str
    start_s: float
    start_g: float
    speed_mm_s: float
    height_mm: float


def first_layer(cut: Cut, estimate: Estimate, start_kind: str, speed_mm_s: float) -> FirstLayer:
    """Look at the lowest section of a part. Islands are listed the smallest first: they come off first."""
    pieces = shapely.get_parts(cut.sections[0])
    islands = []
    for piece in pieces:
        circle = shapely.maximum_inscribed_circle(piece, tolerance=0.02)
        place = shapely.get_coordinates(circle)[0]
        islands.append(
            Island(
                x=float(place[0]),
                y=float(place[1]),
                area_mm2=float(piece.area),
                width_mm=float(2 * shapely.length(circle)),
            )
        )
    islands.sort(key=lambda island: island.area_mm2)
    shares = [estimate.by_feature[name] for name in START_FEATURES if name in estimate.by_feature]
    return FirstLayer(
        contact_mm2=float(np.sum(shapely.area(pieces))),
        islands=islands[:50],
        thinnest_mm=min((island.width_mm for island in islands), default=0.0),
        small_islands=sum(island.area_mm2 < SMALL_ISLAND_MM2 for island in islands),
        corners=sharp_corners(cut.sections[0]),
        start_kind=start_kind,
        start_s=sum(share.time_s for share in shares),
        start_g=sum(share.filament_g for share in shares),
        speed_mm_s=speed_mm_s,
        height_mm=float(cut.layers.height_mm[0]),
    )
