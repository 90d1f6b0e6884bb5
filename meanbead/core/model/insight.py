"""What of a part decides its settings, and where on the part it is."""

from __future__ import annotations

from typing import Literal

from meanbead.core.model.base import Result

__all__ = ["Bin", "DetailLoss", "PartInsight", "Spot", "SpotKind", "WallBand"]

SpotKind = Literal["thin_wall", "detail", "overhang", "slope", "flat_top", "bridge", "corner"]


class Spot(Result):
    """A place on the part that a fact speaks of, mm. ``value`` is in the fact's own unit."""

    kind: SpotKind
    x: float
    y: float
    z: float
    value: float
    sentence: str


class Bin(Result):
    """Part of a distribution: from, to, and the surface in between, mm2."""

    low: float
    high: float
    area_mm2: float


class DetailLoss(Result):
    """Area of sampled sections, as a share, that a bead so wide cannot enter or leaves unprinted."""

    width_mm: float
    lost_share: float


class WallBand(Result):
    """Surface of the part behind which it is about so thick: a wall that walls and filling have to share."""

    thickness_mm: float
    area_mm2: float


class PartInsight(Result):
    """Facts of a solid in its pose.

    ``walls`` are the thicknesses that much of the surface has in common, thinnest first, and ``surface_mm2`` all of it.
    ``thickness`` is surface by the way straight through the part behind it; ``overhang`` is surface that looks down, by
    angle from upright; ``slopes`` is surface that looks up and leans, by its slope from the horizontal, where layers
    show as steps. ``tip_angle_deg`` is by how much the part can lean before it falls; ``smallest_detail_mm`` is the
    narrowest width tried at which something in the sections is lost, None where nothing is.
    """

    bodies: int
    surface_mm2: float
    thickness: list[Bin]
    walls: list[WallBand]
    thinnest_mm: float
    typical_thickness_mm: float
    details: list[DetailLoss]
    smallest_detail_mm: float | None
    overhang: list[Bin]
    overhang_mm2: float
    slopes: list[Bin]
    slope_mm2: float
    flat_top_mm2: float
    bridge_mm2: float
    longest_bridge_mm: float
    footprint_mm2: float
    footprint_width_mm: float
    height_mm: float
    tip_angle_deg: float
    sharp_corners: int
    spots: list[Spot]
