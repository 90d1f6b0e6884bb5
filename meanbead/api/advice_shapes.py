"""What the API takes and gives around advice: findings, levers, searches, house rules, spools."""

from __future__ import annotations

from datetime import date
from typing import Annotated

from pydantic import Field

from meanbead.api.shape import Name, RowId, Shape, Version
from meanbead.core.advise.levers import Goal
from meanbead.core.advise.limits import SearchLimits
from meanbead.core.advise.measures import Measures
from meanbead.core.advise.search import USUAL_TIME_S, Against
from meanbead.core.advise.space import Vary
from meanbead.core.model.finding import Finding
from meanbead.core.model.house import HouseRules
from meanbead.core.model.shop import Shop
from meanbead.core.rules.conventions import Topic, topics
from meanbead.store.tables import House, Spool


class LeversAsk(Shape):
    """What the levers are ranked by."""

    goal: Goal = "minutes"


class SearchAsk(Shape):
    """What may vary and by which values, the limits, the second figure, how many recipes to look at, and how long, at most."""

    vary: Vary
    limits: SearchLimits = SearchLimits()
    against: Against = "filament_g"
    budget: Annotated[int, Field(ge=10, le=2000)] = 500
    time_s: Annotated[float, Field(ge=5, le=3600)] = USUAL_TIME_S


class SearchStart(Shape):
    """What the page offers to vary on this part, and the limits of its purpose."""

    vary: Vary
    limits: SearchLimits


class FindingsOut(Shape):
    """Findings of a column, gravest first, and what it measures; wastes come with the remedies that confirm them.
    ``purpose`` names what sets its limits."""

    findings: list[Finding]
    measures: Measures | None
    purpose: str


class SpoolOut(Shape):
    """A spool on the shelf."""

    id: int
    version: int
    name: str
    material_id: int
    left_g: float
    dried_on: date | None


class SpoolAdd(Shape):
    """A new spool."""

    name: Name
    material_id: RowId
    left_g: Annotated[float, Field(ge=0, le=50_000)]
    dried_on: date | None = None


class SpoolEdit(Shape):
    """A change of a spool; what is left out stays."""

    version: Version
    name: Name | None = None
    left_g: Annotated[float, Field(ge=0, le=50_000)] | None = None
    dried_on: date | None = None


class HouseRulesOut(Shape):
    """The workshop's own rules, with all matters and their schools."""

    version: int
    matters: list[Topic]
    rules: HouseRules
    shop: Shop


class HouseRulesEdit(Shape):
    """A change of the house's rules; what is left out stays."""

    version: Version
    rules: HouseRules | None = None
    shop: Shop | None = None


def spool_out(row: Spool) -> SpoolOut:
    """A spool's row as it is given out."""
    return SpoolOut(
        id=row.id,
        version=row.version,
        name=row.name,
        material_id=row.material_id,
        left_g=row.left_g,
        dried_on=row.dried_on,
    )


def house_rules_out(row: House) -> HouseRulesOut:
    """The house's row as it is given out."""
    return HouseRulesOut(
        version=row.version,
        matters=list(topics()),
        rules=HouseRules.model_validate(row.rules),
        shop=Shop.model_validate(row.shop),
    )
