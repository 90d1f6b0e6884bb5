"""What a recipe makes of the part's surface: ridges on slopes, the overhang that its bead can carry."""

from __future__ import annotations

import math

from meanbead.core.model.insight import PartInsight
from meanbead.core.model.plan import Plan
from meanbead.core.model.printer import Printer

__all__ = [
    "SHOWS_MM2",
    "clean_overhang_deg",
    "flattest_slope_deg",
    "hanging_level_mm2",
    "ridge_mm",
    "steepest_overhang_deg",
    "unsupported_share",
]

SHOWS_SHARE = 0.004
"""Slopes, or overhangs, on a smaller share of the surface are not what a recipe is chosen for."""

SHOWS_MM2 = 15.0
LEVEL_DEG = 85.0
"""What leans out further counts as level: it is bridged, or has to be held."""


def _area_that_shows(insight: PartInsight) -> float:
    return max(SHOWS_MM2, SHOWS_SHARE * insight.surface_mm2)


def flattest_slope_deg(insight: PartInsight) -> float | None:
    """The least slope from the horizontal on which enough surface shows its layers; None where nothing leans."""
    area = 0.0
    for slope in insight.slopes:
        area += slope.area_mm2
        if area >= _area_that_shows(insight):
            return (slope.low + slope.high) / 2
    return None


def ridge_mm(plan: Plan, insight: PartInsight) -> float:
    """Highest step that shows on slopes, mm: ``h cos(slope from horizontal)``, 0 where nothing leans.

    Heights that follow the slope keep their own bound where their range allows it.
    """
    slope = flattest_slope_deg(insight)
    if slope is None:
        return 0.0
    cosine = math.cos(math.radians(slope))
    heights = plan.shape.slope_heights
    if heights is None:
        return plan.shape.layer_height_mm * cosine
    return max(min(heights.ridge_mm, heights.max_mm * cosine), heights.min_mm * cosine)


def steepest_overhang_deg(insight: PartInsight) -> float:
    """The steepest overhang, from upright, of which there is enough to matter; level undersides left out; 0 if none."""
    area = 0.0
    for band in reversed(insight.overhang):
        if band.low >= LEVEL_DEG:
            continue
        area += band.area_mm2
        if area >= _area_that_shows(insight):
            return (band.low + band.high) / 2
    return 0.0


def hanging_level_mm2(insight: PartInsight) -> float:
    """Level undersides that are not held on two sides, mm2."""
    level = sum(band.area_mm2 for band in insight.overhang if band.low >= LEVEL_DEG)
    return max(0.0, level - insight.bridge_mm2)


def unsupported_share(plan: Plan, angle_deg: float) -> float:
    """Share of the outer bead that hangs in the air: ``h tan(angle from upright) / w``."""
    heights = plan.shape.slope_heights
    height = plan.shape.layer_height_mm if heights is None else heights.max_mm
    return height * math.tan(math.radians(min(angle_deg, 89.0))) / plan.shape.width_mm.outer_wall


def clean_overhang_deg(plan: Plan, printer: Printer) -> float:
    """Steepest overhang, from upright, that this bead prints clean on this machine.

    The machine's limit is told for beads half as high as wide; what hangs in the air may be the same share for others.
    """
    share = 0.5 * math.tan(math.radians(printer.overhang_limit_deg))
    return math.degrees(math.atan(share / max(unsupported_share(plan, 45.0), 1e-9)))
