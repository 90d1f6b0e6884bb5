"""What a recipe makes of the part's surface: ridges on slopes, the overhang that its bead can carry."""

from __future__ import annotations

import math
from typing import Protocol

import numpy as np

from meanbead.core.model.insight import PartInsight
from meanbead.core.model.plan import Plan, SlopeHeights
from meanbead.core.model.printer import Printer

__all__ = [
    "SHOWS_MM2",
    "clean_angle_deg",
    "clean_overhang_deg",
    "cooled_share",
    "flattest_slope_deg",
    "hanging_level_mm2",
    "height_for_ridge_mm",
    "lean_factor",
    "overhang_height_mm",
    "ridge_mm",
    "steepest_clean_deg",
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
    leans = math.tan(math.radians(min(angle_deg, 89.0)))
    return overhang_height_mm(plan.shape, angle_deg) * leans / plan.shape.width_mm.outer_wall


class _Heights(Protocol):
    """What says how high layers are: a plan's shape."""

    @property
    def layer_height_mm(self) -> float: ...

    @property
    def slope_heights(self) -> SlopeHeights | None: ...


def overhang_height_mm(layers: _Heights, angle_deg: float) -> float:
    """Height of the layers where the part leans out by an angle from upright, mm: heights by slope are laid no higher there than
    ``ridge / sin(angle)``, within their range (:func:`~meanbead.core.part.heights.slope_layers`)."""
    heights = layers.slope_heights
    if heights is None:
        return layers.layer_height_mm
    upright = math.sin(math.radians(max(angle_deg, 1e-6)))
    return min(max(heights.ridge_mm / upright, heights.min_mm), heights.max_mm)


def clean_overhang_deg(plan: Plan, printer: Printer) -> float:
    """Steepest overhang, from upright, that this recipe prints clean on this machine, degrees; see :func:`clean_angle_deg`."""
    shape = plan.shape
    cooled = cooled_share(plan.fan, plan.min_layer_time_s)
    return steepest_clean_deg(shape.bore_mm, shape.width_mm.outer_wall, shape, printer, cooled)


def steepest_clean_deg(
    bore_mm: float, width_mm: float, layers: _Heights, printer: Printer, cooled: float = 1.0
) -> float:
    """Steepest overhang, from upright, up to which every overhang is clean, degrees: with heights by slope each is held
    against the height that is laid there."""
    if layers.slope_heights is None:
        return clean_angle_deg(bore_mm, layers.layer_height_mm, width_mm, printer, cooled)
    for angle in range(1, 90):
        there = clean_angle_deg(bore_mm, overhang_height_mm(layers, angle), width_mm, printer, cooled)
        if there < angle:
            return max(there, angle - 1.0)
    return 89.0


USUAL_LAYER_S = 8.0
"""A layer that takes so long lets the one below set before it is laid upon."""

_STILL_AIR = 0.7
"""What is left of an overhang's lean without a fan. Typical."""

_SHORT_LAYER_POWER = 0.15


def cooled_share(fan: float, min_layer_time_s: float) -> float:
    """How much of an overhang's lean the cooling leaves, 1 with the whole fan (0 to 1) and a least layer time of
    :data:`USUAL_LAYER_S`: a lip that is still soft curls and droops. Typical; the order is what practice finds."""
    blown = _STILL_AIR + (1 - _STILL_AIR) * min(max(fan, 0.0), 1.0)
    waits = min(max(min_layer_time_s, 1.0) / USUAL_LAYER_S, 1.0)
    return float(blown * waits**_SHORT_LAYER_POWER)


def clean_angle_deg(bore_mm: float, height_mm: float, width_mm: float, printer: Printer, cooled: float = 1.0) -> float:
    """Steepest overhang, from upright, that a bead prints clean on a machine, degrees.

    What leans out is a lip as thick as the layer and as long as ``h tan(angle)``: its slenderness is the angle's tangent,
    whatever the bore. The machine's limit is that of a bead of 0.44 x 0.2 mm. From there two things take away (see
    :func:`lean_factor`): thick layers set slowly and droop, and thin layers of wide lines are pushed out sideways and curl. So
    at one height a wider line leans out no further, and each bore has a height at which it leans out furthest, near a
    third of its line's width. ``cooled`` is :func:`cooled_share`.

    A printed fan of overhangs replaces all of it for that bore: at the heights that were tested what was seen holds, cooling
    included; in between and beyond, the nearest tests' proportion to the model. How sure: the order of bores and heights is
    that of practice, the degrees are typical, some five either way.
    """
    usual = math.tan(math.radians(printer.overhang_limit_deg)) * lean_factor(height_mm, width_mm)
    tests = sorted(
        (
            test.layer_height_mm,
            math.tan(math.radians(test.angle_deg)) / lean_factor(test.layer_height_mm, test.line_width_mm),
        )
        for test in printer.measured_overhangs
        if abs(test.bore_mm - bore_mm) < 0.03
    )
    if not tests:
        return math.degrees(math.atan(usual * cooled))
    leans = float(np.interp(height_mm, [height for height, _ in tests], [lean for _, lean in tests]))
    return math.degrees(math.atan(leans * lean_factor(height_mm, width_mm)))


FLAT = 0.33
"""Height over width under which a bead is pushed out sideways and curls. Typical."""

CURL = 0.6
"""How much of the lean is lost towards a height of nothing. Typical."""

_SLOW_MM = 0.6
_USUAL_BEAD_MM = (0.2, 0.44)


def lean_factor(height_mm: float, width_mm: float) -> float:
    """How much further or less far a bead leans out than one of 0.44 x 0.2 mm, as a ratio of tangents.

    ``a(h / w) b(h)``: ``a`` falls linearly below :data:`FLAT`, by :data:`CURL` towards nothing; ``b = 1 / (1 + (h / 0.6)^2)``, for
    the time in which a lip sets goes as its thickness squared. Both are typical, chosen so that the order of bores and heights
    is that of practice. Validity: bores of 0.2 to 1.2 mm.
    """

    def raw(height: float, width: float) -> float:
        flat = min(max(1 - height / max(width, 1e-9) / FLAT, 0.0), 1.0)
        return (1 - CURL * flat) / (1 + (height / _SLOW_MM) ** 2)

    return raw(height_mm, width_mm) / raw(*_USUAL_BEAD_MM)
