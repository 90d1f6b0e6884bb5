"""What a run itself says for or against a cause: its value against a limit, and what the rules found on its part."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal

from pydantic import Field

from meanbead.core.faults.knowledge import Cause
from meanbead.core.model.base import Result
from meanbead.core.model.estimate import Estimate
from meanbead.core.model.finding import Finding
from meanbead.core.model.insight import Spot
from meanbead.core.recipe.choices import value_at
from meanbead.core.rules.rule_input import RuleInput

__all__ = ["LIMITS", "NEAR", "Evidence", "Standing", "evidence"]

Standing = Literal["beyond", "near", "within", "unknown"]
NEAR = 0.1
"""Within a tenth of its limit a value is near it; of what is *usual* nothing is near: at the usual value nothing is suspect."""


class Evidence(Result):
    """How a run stands to a cause. ``value`` and ``limit`` are in ``unit``; ``says`` are sentences of the rules that found
    something, ``where`` their places on the part."""

    standing: Standing
    value: float | str | None = None
    limit: float | None = None
    limit_name: str = ""
    says: list[str] = Field(default=[])
    where: list[Spot] = Field(default=[])


def _estimate(s: RuleInput, read: Callable[[Estimate], float]) -> float | None:
    return None if s.estimate is None else read(s.estimate)


def _usual_temp(s: RuleInput) -> float:
    return s.material.nozzle_temp_c


def _usual_bed(s: RuleInput) -> float:
    return s.material.bed_temp_c


def _usual_outer(s: RuleInput) -> float:
    return s.limits.outer_speed_mm_s or USUAL_OUTER_MM_S


def _usual_top(s: RuleInput) -> float:
    return s.material.top_speed_mm_s or USUAL_TOP_MM_S


def _usual_bridge(s: RuleInput) -> float:
    return s.material.bridge_speed_mm_s or USUAL_BRIDGE_MM_S


def _needed_pull(s: RuleInput) -> float:
    return s.printer.pull_length_mm or (4.0 if s.printer.drive == "long_tube" else 0.8)


USUAL_OUTER_MM_S, USUAL_TOP_MM_S, USUAL_BRIDGE_MM_S = 60.0, 60.0, 30.0
USUAL_TRAVEL_MM_S, USUAL_FIRST_MM_S = 150.0, 30.0
"""Where practitioners begin to look at speeds; plastic and purpose say better where they are known. Judgements."""

LIMITS: dict[str, tuple[str, Callable[[RuleInput], float | None]]] = {
    "usual_nozzle_temp_c": ("usual for this plastic, °C", _usual_temp),
    "usual_bed_temp_c": ("usual for this plastic, °C", _usual_bed),
    "melt_ceiling_mm3_s": ("what the hot end melts, mm³/s", lambda s: s.ceiling.plan_mm3_s),
    "clean_acceleration_mm_s2": ("clean on this machine, mm/s²", lambda s: s.printer.clean_acceleration),
    "travel_acceleration_mm_s2": ("the machine's limit, mm/s²", lambda s: s.printer.acceleration_mm_s2.travel),
    "usual_outer_speed_mm_s": ("where ripple begins to show, mm/s", _usual_outer),
    "usual_top_speed_mm_s": ("suits this plastic's tops, mm/s", _usual_top),
    "usual_bridge_speed_mm_s": ("suits this plastic's bridges, mm/s", _usual_bridge),
    "usual_travel_mm_s": ("usual for travel, mm/s", lambda s: USUAL_TRAVEL_MM_S),
    "usual_first_speed_mm_s": ("usual for a first layer, mm/s", lambda s: USUAL_FIRST_MM_S),
    "needed_pull_mm": ("needed on this drive, mm", _needed_pull),
    "usual_min_travel_mm": ("usual least way with a pull, mm", lambda s: 2.0),
    "fan_max": ("the most that suits this plastic", lambda s: s.material.fan_max),
    "shortest_layer_s": ("its shortest layer, s", lambda s: _estimate(s, lambda e: e.shortest_layer_s)),
    "high_layer_mm": ("three quarters of the bore, mm", lambda s: 0.75 * s.nozzle.bore_mm),
    "low_layer_mm": ("a quarter of the bore, mm", lambda s: 0.25 * s.nozzle.bore_mm),
    "bore_mm": ("the bore, mm", lambda s: s.nozzle.bore_mm),
    "usual_overlap": ("usual share of a line", lambda s: 0.15),
    "one": ("as calibrated", lambda s: 1.0),
    "least_density": ("where tops begin to hang", lambda s: s.limits.infill_density or 0.1),
}
"""What values are held against, by the name that ``faults.toml`` uses: in words with the unit, and how it is found."""


def evidence(cause: Cause, s: RuleInput, findings: Sequence[Finding]) -> Evidence:
    """What a run says of a cause. A rule of its that found something counts as *beyond*; else the value against the limit
    does: *near* within a tenth, but for what is usual. Where there is neither limit nor rule, nothing is known."""
    found = [finding for finding in findings if finding.rule in cause.rules]
    value = _value(cause, s)
    limit_name, limit = "", None
    if cause.limit:
        limit_name, read = LIMITS[cause.limit]
        limit = read(s)
    standing: Standing = "unknown"
    if isinstance(value, float) and limit is not None and cause.side:
        standing = _standing(value, limit, cause.side, 0.0 if cause.limit.startswith("usual_") else NEAR)
    elif cause.rules and cause.kind != "machine" and s.estimate is not None:  # no record tells a draught
        standing = "within"
    if found:
        standing = "beyond"
    where = [spot for finding in found for spot in finding.where][:6]
    return Evidence(
        standing=standing,
        value=value,
        limit=limit,
        limit_name=limit_name,
        says=[finding.sentence for finding in found],
        where=where,
    )


def _value(cause: Cause, s: RuleInput) -> float | str | None:
    if cause.looks_at == "flow":
        return _estimate(s, lambda estimate: estimate.asked_flow_mm3_s)
    if not cause.looks_at:
        return None
    value = value_at(s.plan.as_recipe(), cause.looks_at)
    if isinstance(value, bool) or value is None:
        return None if value is None else str(value)
    return float(value) if isinstance(value, int | float) else str(value)


def _standing(value: float, limit: float, side: str, near: float) -> Standing:
    margin = near * abs(limit)
    over = value - limit if side == "high" else limit - value
    if over > 1e-9:
        return "beyond"
    return "near" if margin > 0 and over >= -margin else "within"
