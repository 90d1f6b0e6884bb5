"""The knowledge of faults and causes, as it stands in ``faults.toml``, held to a schema.

Causes and first looks follow what practitioners share of each fault; priors are judgements, which a workshop's own tries
overrule (:mod:`meanbead.core.faults.order`).
"""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from functools import cache
from importlib.resources import files
from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from meanbead.core.model.base import Model

__all__ = ["JOURNAL_KINDS", "Cause", "Change", "FaultKind", "JournalKind", "Knowledge", "Mistaken", "knowledge", "read"]

JournalKind = Literal[
    "nozzle_swapped",
    "nozzle_cleaned",
    "tightened",
    "limits_changed",
    "limits_corrected",
    "spool_changed",
    "spool_opened",
    "spool_dried",
    "bed_cleaned",
    "bed_levelled",
    "drive_cleaned",
    "fan_cleaned",
    "enclosed",
    "other",
]
JOURNAL_KINDS: dict[JournalKind, str] = {
    "nozzle_swapped": "Nozzle swapped",
    "nozzle_cleaned": "Nozzle cleaned",
    "tightened": "Belt or screws tightened",
    "limits_changed": "Firmware settings changed",
    "limits_corrected": "Description of its limits corrected",
    "spool_changed": "Spool changed",
    "spool_opened": "Spool opened",
    "spool_dried": "Spool dried",
    "bed_cleaned": "Bed cleaned",
    "bed_levelled": "Bed levelled",
    "drive_cleaned": "Drive cleaned",
    "fan_cleaned": "Fan cleaned",
    "enclosed": "Hood or chamber",
    "other": "Something else",
}
"""What a workshop's journal tells of, and its words."""

Text = Annotated[str, Field(min_length=1, max_length=300)]


class Change(Model):
    """A setting that is changed to try a cause: by adding, by a factor, or to a value."""

    key: Text
    add: float | None = None
    times: Annotated[float, Field(gt=0)] | None = None
    set: float | str | None = None

    @model_validator(mode="after")
    def _one_way(self) -> Change:
        if sum(way is not None for way in (self.add, self.times, self.set)) != 1:
            raise ValueError("a change adds, multiplies or sets: one of these")
        return self


class Cause(Model):
    """Something that may cause faults. A cause with ``change`` can be tried on the bench; one with ``journal`` is tried by
    doing that, and noting it."""

    key: Text
    name: Text
    kind: Literal["machine", "plastic", "recipe", "part"]
    why: Text
    test: Text
    cure: Text
    looks_at: str = ""
    limit: str = ""
    side: Literal["", "high", "low"] = ""
    rules: tuple[str, ...] = ()
    journal: JournalKind | None = None
    change: tuple[Change, ...] = ()
    caution: str = ""

    @model_validator(mode="after")
    def _complete(self) -> Cause:
        if bool(self.limit) != bool(self.side):
            raise ValueError(f"{self.key}: a limit needs a side, and a side a limit")
        return self


class Mistaken(Model):
    """Another fault that this one is taken for, and how to tell."""

    for_: Annotated[str, Field(alias="for")]
    tell: Text


class FaultKind(Model):
    """A fault in people's words. ``causes`` are in the order in which practitioners look, with their prior chance."""

    key: Text
    name: Text
    looks: Text
    mistaken: Annotated[tuple[Mistaken, ...], Field(min_length=1)]
    first: Annotated[tuple[Text, ...], Field(min_length=1)]
    causes: Mapping[str, Annotated[float, Field(gt=0, lt=1)]]
    caution: str = ""


class Knowledge(Model):
    """All of it. ``no_fault`` are rules of the engine that point at no fault, with the reason."""

    causes: Mapping[str, Cause]
    faults: Mapping[str, FaultKind]
    no_fault: Mapping[str, str]

    @model_validator(mode="after")
    def _whole(self) -> Knowledge:
        named = {cause for fault in self.faults.values() for cause in fault.causes}
        for missing in named - set(self.causes):
            raise ValueError(f"a fault names the cause {missing}, which is not described")
        for unused in set(self.causes) - named:
            raise ValueError(f"no fault names the cause {unused}")
        for fault in self.faults.values():
            for other in fault.mistaken:
                if other.for_ not in self.faults or other.for_ == fault.key:
                    raise ValueError(f"{fault.key} is mistaken for {other.for_}, which is no other fault")
        return self


def read(text: str) -> Knowledge:
    """Knowledge from the text of a TOML file. Raises :class:`pydantic.ValidationError` or :class:`tomllib.TOMLDecodeError`."""
    found = tomllib.loads(text)

    def keyed(rows: dict[str, Any]) -> dict[str, Any]:
        return {key: {"key": key, **row} for key, row in rows.items()}

    return Knowledge.model_validate(found | {name: keyed(found.get(name, {})) for name in ("causes", "faults")})


@cache
def knowledge() -> Knowledge:
    """The knowledge that ships with the application."""
    return read(files("meanbead.core.faults").joinpath("faults.toml").read_text("utf-8"))
