"""What the API takes and gives: advice."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from meanbead.api.schema import Schema
from meanbead.core.advise.curve import Curve
from meanbead.core.advise.levers import Goal
from meanbead.core.advise.measures import Measures
from meanbead.core.advise.next_moves import NextMoves
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


class NextMovesOut(Schema):
    """The best changes so far; ``done`` when there is nothing more to find."""

    moves: NextMoves
    done: bool


class CurveAsk(Schema):
    """The number whose curve is wanted, by its dotted key."""

    key: Annotated[str, Field(max_length=80)]


class CurveOut(Schema):
    """A curve so far; ``done`` when all its points are there."""

    curve: Curve
    done: bool
