"""What a recipe makes of the part's surface: ridges on slopes, the overhang that its bead can carry."""

from __future__ import annotations

import math

import numpy as np

from meanbead.core.model.insight import PartInsight
from meanbead.core.model.plan import Plan
from meanbead.core.model.printer import Printer

__all__ = [
    "DROOP_AT_QUARTER",
    "SHOWS_MM2",
    "clean_angle_deg",
    "clean_overhang_deg",
    "flattest_slope_deg",
    "hanging_level_mm2",
    "height_for_ridge_mm",
    "ridge_mm",
    "steepest_overhang_deg",
    "unsupported_share",
]

SHOWS_SHARE = 0.004
"""Slopes, or overhangs, on a smaller share of the surface are not what a recipe is chosen for."""

SHOWS_MM2 = 15.0
DROOP_AT_QUARTER = 0.65
"""How much of the share that may hang is left for layers a quarter of the bore high. Typical."""

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


def height_for_ridge_mm(allowed_mm: float, insight: PartInsight) -> float | None:
    """The layer height, the same everywhere, whose highest step on slopes is just what is allowed: ``a / cos(slope)``,
    the inverse of :func:`ridge_mm`. None where nothing leans, and any height will do."""
    slope = flattest_slope_deg(insight)
    return None if slope is None else allowed_mm / math.cos(math.radians(slope))


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
    return _highest_mm(plan) * math.tan(math.radians(min(angle_deg, 89.0))) / plan.shape.width_mm.outer_wall


def _highest_mm(plan: Plan) -> float:
    heights = plan.shape.slope_heights
    return plan.shape.layer_height_mm if heights is None else heights.max_mm


def clean_overhang_deg(plan: Plan, printer: Printer) -> float:
    """Steepest overhang, from upright, that this bead prints clean on this machine; see :func:`clean_angle_deg`."""
    return clean_angle_deg(plan.shape.bore_mm, _highest_mm(plan), plan.shape.width_mm.outer_wall, printer)


def clean_angle_deg(bore_mm: float, height_mm: float, width_mm: float, printer: Printer) -> float:
    """Steepest overhang, from upright, that a bead prints clean on a machine, degrees.

    Of the bead the share ``h tan(angle) / w`` hangs in the air. How much may is what a printed fan of overhangs has shown
    for this bore, in between by height. Without one it is the share that the machine's limit means for beads half as high
    as wide, less for low layers: plastic from a wide bore pressed low is pushed out sideways and stays soft, and droops
    more than its share says. That factor, 1 from half the bore on and :data:`DROOP_AT_QUARTER` at a quarter, is typical.
    """
    share = _measured_share(bore_mm, height_mm, printer)
    if share is None:
        low = min(max((0.5 - height_mm / bore_mm) / 0.25, 0.0), 1.5)
        share = 0.5 * math.tan(math.radians(printer.overhang_limit_deg)) * (1 - (1 - DROOP_AT_QUARTER) * low)
    return math.degrees(math.atan(share * width_mm / max(height_mm, 1e-9)))


def _measured_share(bore_mm: float, height_mm: float, printer: Printer) -> float | None:
    """The share that may hang by this bore's own tests; None where there is none. Beyond them the nearest one's holds."""
    tests = sorted(
        (test.layer_height_mm, test.layer_height_mm * math.tan(math.radians(test.angle_deg)) / test.line_width_mm)
        for test in printer.measured_overhangs
        if abs(test.bore_mm - bore_mm) < 0.03
    )
    if not tests:
        return None
    return float(np.interp(height_mm, [height for height, _ in tests], [share for _, share in tests]))
