"""The topics on which good practitioners disagree, each convention with its reason; people read *school* on the page."""

from __future__ import annotations

import tomllib
from functools import cache
from importlib.resources import files

from meanbead.core.model.base import Result
from meanbead.core.model.house import HouseRules

__all__ = ["Convention", "Topic", "convention_label", "topics"]


class Convention(Result):
    """One way that good practitioners follow, and why."""

    value: str
    label: str
    reason: str


class Topic(Result):
    """A question with several good answers, the usual one first."""

    key: str
    label: str
    question: str
    schools: list[Convention]


@cache
def topics() -> tuple[Topic, ...]:
    """All matters, in the order in which people decide them."""
    catalogue = tomllib.loads(files("meanbead.core.rules").joinpath("conventions.toml").read_text("utf-8"))
    return tuple(
        Topic(
            key=key,
            label=row["label"],
            question=row["question"],
            schools=[
                Convention(value=value, label=label, reason=why) for value, (label, why) in row["schools"].items()
            ],
        )
        for key, row in catalogue.items()
    )


def convention_label(house: HouseRules, key: str) -> str:
    """How a finding names the school that speaks, such as ``Highest layer: three quarters of the bore``."""
    topic = next(entry for entry in topics() if entry.key == key)
    school = next(convention for convention in topic.schools if convention.value == getattr(house, key))
    return f"{topic.label}: {school.label[0].lower()}{school.label[1:]}"
