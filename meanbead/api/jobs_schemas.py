"""What the API takes and gives: background work."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, Field

from meanbead.api.schema import Schema
from meanbead.api.uploads_schemas import ClosedUpload
from meanbead.core.advise.confirm import Remedies
from meanbead.core.advise.levers import Advice
from meanbead.core.advise.search_result import SearchResult
from meanbead.core.compare.machines import MachinesCompared
from meanbead.core.compare.waterfall import Waterfall
from meanbead.core.learn.calibration.design import TwoPrints
from meanbead.core.learn.calibration.limits import InferredLimits
from meanbead.core.learn.flow.asked_back import Fittings
from meanbead.core.model.base import Result
from meanbead.core.model.day import PlanScore
from meanbead.core.part.orientations import OrientationEstimates
from meanbead.core.plates.estimate import Filled, PlateEstimate
from meanbead.core.schedule.day.worth import Worth
from meanbead.store.tables import (
    JobRow,
)


class DayMade(Result):
    """How far a plan is: where it stands, what it comes to, how many times it was bettered."""

    plan_id: int
    score: PlanScore
    bound_says: str
    better: int


class WorthOut(Result):
    """What changes of the workshop would bring."""

    changes: list[Worth]


class FileMade(Result):
    """The file that was made, by its number."""

    file_id: int


class JobSeen(Schema):
    """Which revision of a job's findings is known already: with that one they are left out."""

    seen: int | None = Field(default=None, ge=0)


class JobOut(Schema):
    """A piece of background work; what it finds stands under its kind's name, and grows while it runs: ``revision`` counts
    how many times."""

    id: int
    kind: str
    state: Literal["waiting", "running", "done", "failed", "cancelled"]
    share: float
    doing: str
    problem: str
    revision: int
    stances: OrientationEstimates | None = None
    waterfall: Waterfall | None = None
    levers: Advice | None = None
    search: SearchResult | None = None
    remedies: Remedies | None = None
    close: ClosedUpload | None = None
    fitting: Fittings | None = None
    limits: InferredLimits | None = None
    test_prints: TwoPrints | None = None
    machines: MachinesCompared | None = None
    day: DayMade | None = None
    worth: WorthOut | None = None
    plate: PlateEstimate | None = None
    fill: Filled | None = None
    file: FileMade | None = None


def job_out(row: JobRow, seen: int | None = None) -> JobOut:
    """A job's row as it is given out, without its findings where these were ``seen``."""
    return JobOut(
        id=row.id,
        kind=row.kind,
        state=row.state,
        share=row.share,
        doing=row.doing,
        problem=row.problem,
        revision=row.revision,
        **({} if seen == row.revision else _result(row)),
    )


_RESULTS: dict[str, type[BaseModel]] = {
    "stances": OrientationEstimates,
    "waterfall": Waterfall,
    "levers": Advice,
    "search": SearchResult,
    "remedies": Remedies,
    "close": ClosedUpload,
    "fitting": Fittings,
    "limits": InferredLimits,
    "test_prints": TwoPrints,
    "machines": MachinesCompared,
    "day": DayMade,
    "worth": WorthOut,
    "plate": PlateEstimate,
    "fill": Filled,
    "file": FileMade,
}


def _result(row: JobRow) -> dict[str, Any]:
    """What a job has found, under its kind's name."""
    model = _RESULTS.get(row.kind)
    return {} if model is None or not row.result else {row.kind: model.model_validate(row.result)}
