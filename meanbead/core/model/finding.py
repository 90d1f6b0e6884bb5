"""What a rule says of a recipe: the verdict, why, where, and what would clear it."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from meanbead.core.model.base import Result
from meanbead.core.model.insight import Spot

__all__ = ["Finding", "Remedy", "SetTo", "SettingValue", "Severity"]

Severity = Literal["stop", "risk", "caution", "waste", "note"]
"""``caution`` is about people, not about the recipe: no setting clears it."""

SettingValue = float | int | bool | str | None


class SetTo(Result):
    """A key of the recipe, by its dotted name, and a value for it; None leaves the key to its default."""

    key: str
    value: SettingValue


class Remedy(Result):
    """A change of the recipe that clears a finding, in words and as settings."""

    label: str
    settings: list[SetTo]


class Finding(Result):
    """A rule's verdict on a recipe.

    ``value`` stands against ``limit``, both in the unit that the sentence names. ``reason`` says why the limit is there
    and ``source`` where it comes from; ``school`` is the house rule that speaks, empty where all agree. ``where`` are
    places on the part. ``remedy`` is the way out in words; each of ``remedies`` is one that a click applies.
    """

    rule: str
    severity: Severity
    field: str
    sentence: str
    remedy: str
    value: float | None = None
    limit: float | None = None
    reason: str = ""
    source: str = ""
    school: str = ""
    where: list[Spot] = Field(default=[])
    remedies: list[Remedy] = Field(default=[])
