"""A test's answer as estimates use it."""

from __future__ import annotations

from datetime import date

from meanbead.core.model.flow_test import FlowAtTemp, FlowFit
from meanbead.core.model.material import Material
from meanbead.core.model.measured import MeasuredAt, MeasuredMelt
from meanbead.core.model.nozzle import Nozzle
from meanbead.core.model.printer import Hotend

__all__ = ["measured_melt"]


def measured_melt(
    fit: FlowFit, hotend: Hotend, nozzle: Nozzle, material: Material, on: date, test_id: int | None = None
) -> MeasuredMelt | None:
    """What a fit says, for the temperatures at which it gives a limit; None where it gives none.

    Where it was tested both with and without the fan, the way in which the plastic is printed counts.
    """
    blows = material.fan_max > 0.05
    told = [entry for entry in fit.by_temp if entry.limit_mm3_s is not None]
    fan = blows if any(entry.fan is blows for entry in told) else not blows
    at = tuple(_at(entry) for entry in told if entry.fan is fan)
    if not at:
        return None
    return MeasuredMelt(
        nozzle=nozzle,
        material=material.name,
        colour=material.colour,
        melt_zone_mm=hotend.melt_zone_mm,
        channels=hotend.channels,
        on=on,
        fan=fan,
        at=at,
        test_id=test_id,
    )


def _at(entry: FlowAtTemp) -> MeasuredAt:
    limit = entry.limit_mm3_s or 0.0
    knee = entry.knee_mm3_s
    # Where no knee was seen, it is as far as the test shows: what lies beyond is not known to come out.
    seen = knee.value if knee is not None else max(entry.above_mm3_s or 0.0, limit)
    return MeasuredAt(
        temp_c=entry.temp_c,
        limit_mm3_s=limit,
        knee_mm3_s=seen,
        knee_low_mm3_s=knee.low if knee is not None else seen,
        knee_high_mm3_s=knee.high if knee is not None else None,
        skip_mm3_s=entry.skip_mm3_s,
        fall=entry.fall,
    )
