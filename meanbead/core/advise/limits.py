"""Limits, and which of them a recipe breaks."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from meanbead.core.advise.measures import Measures, PlanMeasures
from meanbead.core.model.base import NonNegative, Result, Share
from meanbead.core.model.material import Gloss
from meanbead.core.model.purpose import Limits
from meanbead.core.rules.looks import ridge_limit_mm
from meanbead.core.text.durations import duration

__all__ = ["Breach", "SearchLimits", "allowed_ridge_mm", "breaches", "plan_breaches"]


class SearchLimits(Limits):
    """The purpose's limits and those of one search. None means that it does not care.

    ``bond``, ``crush``, ``sideways`` and ``bend`` are the least strength indices, usually those of a column; ``lost_share`` is the most
    that may be lost to lines that are too wide; ``fault_risk`` the most likely to fail; ``time_s`` the longest whole time
    (finish by); ``plates_per_day`` the least within attended hours. ``ridge_mm`` is meant as it stands: what somebody typed
    is kept to, where a purpose's own figure is for satin plastic.
    """

    bond: NonNegative | None = None
    crush: NonNegative | None = None
    sideways: NonNegative | None = None
    bend: NonNegative | None = None
    lost_share: Share | None = None
    filament_g: Annotated[float, Field(gt=0)] | None = None
    cost: Annotated[float, Field(gt=0)] | None = None
    fault_risk: Share | None = None
    time_s: Annotated[float, Field(gt=0)] | None = None
    plates_per_day: Annotated[float, Field(gt=0)] | None = None


def allowed_ridge_mm(limits: Limits, gloss: Gloss) -> float | None:
    """How high steps on slopes may be, mm: a purpose's figure by the plastic's gloss, a search's as it stands."""
    return limits.ridge_mm if isinstance(limits, SearchLimits) else ridge_limit_mm(limits, gloss)


class Breach(Result):
    """A limit that is broken: by its name, with both figures and a sentence."""

    limit: str
    value: float
    allowed: float
    sentence: str


_SLACK = 1e-9
_MAX = {
    "ridge_mm": ("ridge_mm", "steps of {v:.2f} mm on slopes, {a:g} mm allowed"),
    "detail_mm": ("detail_mm", "details under {v:.2f} mm lost, {a:g} mm wanted"),
    "outer_speed_mm_s": ("outer_speed_mm_s", "outer wall at {v:.0f} mm/s, {a:g} allowed"),
}
_MIN = {
    "shell_mm": ("shell_mm", "a shell of {v:.2f} mm, {a:.2f} mm wanted"),
    "infill_density": ("density", "filled to {v:.0%}, {a:.0%} wanted"),
    "bond": ("bond", "bond index {v:.2f}, {a:.2f} wanted"),
    "crush": ("crush", "index pressed from above {v:.2f}, {a:.2f} wanted"),
    "sideways": ("sideways", "index pressed from the side {v:.2f}, {a:.2f} wanted"),
    "bend": ("bend", "bend index {v:.2f}, {a:.2f} wanted"),
}
_MAX_COMPUTED = {
    "lost_share": ("lost_share", "{v:.1%} too thin to be laid, {a:.1%} allowed"),
    "filament_g": ("filament_g", "{v:.1f} g, {a:.1f} g allowed"),
    "cost": ("cost", "costs {v:.2f}, {a:.2f} allowed"),
}
_MIN_COMPUTED = {
    "flow_margin": ("flow_margin", "{v:.0%} of the melt ceiling free, {a:.0%} wanted"),
    "plates_per_day": ("plates_per_day", "{v:.1f} plates a day, {a:.1f} wanted"),
}


def plan_breaches(limits: Limits, found: PlanMeasures) -> list[Breach]:
    """Limits that are broken whatever the engine would say."""
    return _over(limits, found, _MAX) + _under(limits, found, _MIN)


def breaches(limits: Limits, found: Measures) -> list[Breach]:
    """All limits that a computed recipe breaks."""
    broken = plan_breaches(limits, found) + _over(limits, found, _MAX_COMPUTED)
    broken += _under(limits, found, _MIN_COMPUTED)
    if isinstance(limits, SearchLimits):
        risk = 1 - found.success
        if limits.fault_risk is not None and risk > limits.fault_risk + _SLACK:
            says = f"fails {risk:.0%} of the time, {limits.fault_risk:.0%} allowed"
            broken.append(Breach(limit="fault_risk", value=risk, allowed=limits.fault_risk, sentence=says))
        if limits.time_s is not None and found.whole_time_s > limits.time_s + 0.5:
            says = f"takes {duration(found.whole_time_s)}, {duration(limits.time_s)} are left"
            broken.append(Breach(limit="time_s", value=found.whole_time_s, allowed=limits.time_s, sentence=says))
    return broken


def _over(limits: Limits, found: PlanMeasures, table: dict[str, tuple[str, str]]) -> list[Breach]:
    return [compared for compared in _compared(limits, found, table) if compared.value > compared.allowed + _SLACK]


def _under(limits: Limits, found: PlanMeasures, table: dict[str, tuple[str, str]]) -> list[Breach]:
    return [compared for compared in _compared(limits, found, table) if compared.value < compared.allowed - _SLACK]


def _compared(limits: Limits, found: PlanMeasures, table: dict[str, tuple[str, str]]) -> list[Breach]:
    pairs = []
    for name, (measure, words) in table.items():
        allowed, value = getattr(limits, name, None), getattr(found, measure, None)
        if name == "ridge_mm":
            allowed = allowed_ridge_mm(limits, found.gloss)
        if allowed is not None and value is not None:
            says = words.format(v=value, a=allowed)
            pairs.append(Breach(limit=name, value=value, allowed=allowed, sentence=says))
    return pairs
