"""The one change that tries a cause, within what recipe, plastic and hot end allow."""

from __future__ import annotations

from collections.abc import Sequence

from meanbead.core.faults.knowledge import Cause, Change
from meanbead.core.model.finding import Finding, SettingValue, SetTo
from meanbead.core.model.material import Material
from meanbead.core.model.printer import Printer
from meanbead.core.model.recipe import Recipe
from meanbead.core.recipe.choices import Choice, choices, value_at

__all__ = ["changed_settings"]

_WHOLE = ("walls", "top_layers", "supports.gap_layers")
_DIGITS = 3


def changed_settings(
    cause: Cause, resolved: Recipe, printer: Printer, material: Material, findings: Sequence[Finding] = ()
) -> list[SetTo]:
    """Settings that try a cause on a recipe that is resolved; empty where there are none, or they are at their bounds.

    Where a rule of the cause found something with a remedy that a click applies, that is the change: it is worked out
    from the very part. Temperatures stay within the plastic's window and what hot end and lining bear, the fan within what
    suits the plastic.
    """
    for finding in findings:
        if finding.rule in cause.rules and finding.remedies and cause.change:
            wanted = {change.key.split(".")[0] for change in cause.change}
            for remedy in finding.remedies:
                if {setting.key.split(".")[0] for setting in remedy.settings} <= wanted:
                    return list(remedy.settings)
    by_key = {choice.key: choice for choice in choices()}
    found = []
    for change in cause.change:
        now = value_at(resolved, change.key)
        asked = _new(change, now)
        new = _bounded(change.key, asked, by_key.get(change.key), printer, material)
        if new is not None and new != now and not _turned_round(now, asked, new):
            found.append(SetTo(key=change.key, value=new))
    return found


def _turned_round(now: object, asked: SettingValue, new: SettingValue) -> bool:
    """Whether the bounds lead the other way than the cause asks: a nozzle that is hotter than the plastic's window cannot be
    tried hotter, and to go down into the window would try the opposite."""
    if isinstance(now, int | float) and isinstance(asked, int | float) and isinstance(new, int | float):
        return (asked - now) * (new - now) < 0
    return False


def _new(change: Change, now: object) -> SettingValue:
    if change.set is not None:
        return change.set
    if not isinstance(now, int | float) or isinstance(now, bool):
        return None
    value = now + change.add if change.add is not None else now * (change.times or 1.0)
    return round(value) if change.key in _WHOLE else round(value, _DIGITS)


def _bounded(
    key: str, value: SettingValue, choice: Choice | None, printer: Printer, material: Material
) -> SettingValue:
    if not isinstance(value, int | float) or isinstance(value, bool):
        return value
    low, high = (choice.low, choice.high) if choice is not None else (0.0, None)
    if key == "nozzle_temp_c":
        low, high = material.nozzle_temp_min_c, min(material.nozzle_temp_max_c, printer.highest_nozzle_c)
    elif key == "cooling.fan":
        low, high = material.fan_min, material.fan_max
    if low is not None and value < low:
        value = low
    if high is not None and value > high:
        value = high
    return value
