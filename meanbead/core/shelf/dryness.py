"""How dry a spool is, in words with the reason.

A typical figure, not a measurement: a plastic may lie open for its ``open_hours`` after it was dried or opened; sealed with
desiccant it drinks a tenth as fast, in a dry box a thirtieth. Within half of that it is dry, up to the whole doubtful, beyond
it damp. Weighing it before and after drying tells what it really holds.
"""

from __future__ import annotations

from datetime import date
from typing import Literal

from meanbead.core.model.base import Result
from meanbead.core.model.material import Material
from meanbead.core.model.spool import Keeping, Spool

__all__ = ["Dryness", "dryness"]

_SLOWER: dict[Keeping, float] = {"open": 1.0, "sealed": 10.0, "dry_box": 30.0}
_PLACE: dict[Keeping, str] = {
    "open": "in the open",
    "sealed": "sealed with desiccant",
    "dry_box": "in a dry box",
}
_USUAL_OPEN_H = 120.0
"""How long a damp-prone plastic may lie open where its description does not say."""
_DRYING_SHORT = 0.7
_DRYING_COOL_C = 8.0
_OTHER_ZONE_DAYS = 1
"""Days are those of whoever typed them: somewhere else it may be tomorrow already."""


class Dryness(Result):
    """``state`` and why, in a sentence."""

    state: Literal["dry", "doubtful", "damp", "unknown", "hardly_matters"]
    sentence: str


def dryness(material: Material, spool: Spool, today: date) -> Dryness:
    """What is known of a spool's dryness on a day: of what was done to it later, that day knew nothing."""
    name = material.name
    since, what = spool.dried_on, "dried"
    if since is None or (spool.opened_on is not None and spool.opened_on > since):
        since, what = spool.opened_on, "opened"
    if not material.damp_prone:
        return Dryness(state="hardly_matters", sentence=f"{name} drinks slowly: it hardly matters.")
    if since is None:
        return Dryness(state="unknown", sentence=f"{name} drinks, and nobody has said when it was opened or dried.")
    days = (today - since).days
    if days < -_OTHER_ZONE_DAYS:
        return Dryness(
            state="unknown",
            sentence=f"{name} drinks, and it was {what} only later, on {since}: how dry it was is not known.",
        )
    days = max(days, 0)
    when = "today" if days == 0 else "yesterday" if days == 1 else f"{days} days ago"
    place = _PLACE[spool.kept]
    weak = _weak_drying(material, spool) if what == "dried" else ""
    allowed = (material.open_hours or _USUAL_OPEN_H) * _SLOWER[spool.kept]
    hours = 24.0 * days
    if weak and hours <= allowed:
        return Dryness(state="doubtful", sentence=f"It was dried {when}, but {weak}.")
    may = f"{name} keeps for about {_span(allowed)} {place}"
    state: Literal["dry", "doubtful", "damp"] = (
        "dry" if hours <= allowed / 2 else "doubtful" if hours <= allowed else "damp"
    )
    says = {"dry": "dry", "doubtful": "may be damp by now", "damp": "damp by now, most likely"}[state]
    return Dryness(state=state, sentence=f"It was {what} {when} and is {says}: {may}.")


def _weak_drying(material: Material, spool: Spool) -> str:
    """Why a drying was too short or too cool; empty where it was not, or is not known."""
    if (
        spool.dried_h is not None
        and material.drying_h is not None
        and spool.dried_h < _DRYING_SHORT * material.drying_h
    ):
        return f"for {spool.dried_h:g} h only, and it takes about {material.drying_h:g} h"
    cool, usual = spool.dried_temp_c, material.drying_temp_c
    if cool is not None and usual is not None and cool < usual - _DRYING_COOL_C:
        return f"at {cool:g} °C only, and it takes about {usual:g} °C"
    return ""


def _span(hours: float) -> str:
    return f"{hours:.0f} hours" if hours < 48 else f"{hours / 24:.0f} days"
