"""What the API takes and gives: advice."""

from __future__ import annotations

from meanbead.api.schema import Schema
from meanbead.core.advise.levers import Goal
from meanbead.core.advise.measures import Measures
from meanbead.core.model.finding import Finding


class FindingsOut(Schema):
    """Findings of a column, gravest first, and what it measures; wastes come with the remedies that confirm them.
    ``purpose`` names what sets its limits."""

    findings: list[Finding]
    measures: Measures | None
    purpose: str


class LeversAsk(Schema):
    """What the levers are ranked by."""

    goal: Goal = "minutes"
