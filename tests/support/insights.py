"""Insights made up for tests of rules, without a part."""

from __future__ import annotations

from typing import Any

from meanbead.core.model.insight import Bin, PartInsight, WallBand

_NOTHING: dict[str, Any] = {
    "bodies": 1,
    "surface_mm2": 6000.0,
    "thickness": [],
    "walls": [],
    "thinnest_mm": 10.0,
    "typical_thickness_mm": 20.0,
    "details": [],
    "smallest_detail_mm": None,
    "overhang_mm2": 0.0,
    "slope_mm2": 0.0,
    "flat_top_mm2": 400.0,
    "bridge_mm2": 0.0,
    "longest_bridge_mm": 0.0,
    "footprint_mm2": 400.0,
    "footprint_width_mm": 20.0,
    "height_mm": 20.0,
    "tip_angle_deg": 45.0,
    "sharp_corners": 0,
    "spots": [],
}


def _bins(areas: dict[float, float]) -> list[Bin]:
    """Bins of five degrees, by the angle in their middle."""
    return [
        Bin(low=5.0 * k, high=5.0 * k + 5, area_mm2=sum(area for at, area in areas.items() if 5 * k <= at < 5 * k + 5))
        for k in range(18)
    ]


def insight(
    *,
    slopes: dict[float, float] | None = None,
    overhang: dict[float, float] | None = None,
    walls: dict[float, float] | None = None,
    **more: Any,
) -> PartInsight:
    """An upright block of 20 mm, with slopes, overhangs (mm2 by angle) and thin walls (mm2 by thickness) as wanted."""
    values = _NOTHING | {
        "slopes": _bins(slopes or {}),
        "slope_mm2": sum((slopes or {}).values()),
        "overhang": _bins(overhang or {}),
        "overhang_mm2": sum(area for angle, area in (overhang or {}).items() if angle > 45),
        "walls": [WallBand(thickness_mm=mm, area_mm2=area) for mm, area in sorted((walls or {}).items())],
    }
    return PartInsight.model_validate(values | more)
