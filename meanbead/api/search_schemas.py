"""What the API takes and gives: the search."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from meanbead.api.schema import Schema
from meanbead.core.advise.limits import SearchLimits
from meanbead.core.advise.search import USUAL_TIME_S
from meanbead.core.advise.search_result import Against
from meanbead.core.advise.space import Vary


class SearchAsk(Schema):
    """What may vary and by which values, the limits, the second figure, how many recipes to look at, and how long, at most."""

    vary: Vary
    limits: SearchLimits = SearchLimits()
    against: Against = "filament_g"
    budget: Annotated[int, Field(ge=10, le=2000)] = 500
    time_s: Annotated[float, Field(ge=5, le=3600)] = USUAL_TIME_S


class SearchStart(Schema):
    """What the page offers to vary on this part, and the limits of its purpose."""

    vary: Vary
    limits: SearchLimits
