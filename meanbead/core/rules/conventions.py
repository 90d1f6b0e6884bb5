"""The matters on which good practitioners disagree, each school with its reason."""

from __future__ import annotations

import tomllib
from functools import cache
from importlib.resources import files

from meanbead.core.model.base import Result
from meanbead.core.model.house import HouseRules


class School(Result):
    """One way that good practitioners follow, and why."""

    value: str
    label: str
    reason: str


class Matter(Result):
    """A question with several good answers, the usual one first."""

    key: str
    label: str
    question: str
    schools: list[School]


@cache
def matters() -> tuple[Matter, ...]:
    """All matters, in the order in which people decide them."""
    catalogue = tomllib.loads(files("meanbead.core.rules").joinpath("conventions.toml").read_text("utf-8"))
    return tuple(
        Matter(
            key=key,
            label=row["label"],
            question=row["question"],
            schools=[School(value=value, label=label, reason=why) for value, (label, why) in row["schools"].items()],
        )
        for key, row in catalogue.items()
    )


def school_label(house: HouseRules, key: str) -> str:
    """How a finding names the school that speaks, such as ``Highest layer: three quarters of the bore``."""
    matter = next(one for one in matters() if one.key == key)
    school = next(one for one in matter.schools if one.value == getattr(house, key))
    return f"{matter.label}: {school.label[0].lower()}{school.label[1:]}"
