"""What the API takes and gives: the board, what to do now, spools ahead, hours."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import Field, model_validator

from meanbead.api.queue_schemas import Key
from meanbead.api.schema import Name, RowId, Schema, Version
from meanbead.core.model.day import Change, Drying, PlanScore
from meanbead.core.model.shop import DayRules
from meanbead.core.schedule.day.reasons import Moved, Reasons
from meanbead.core.schedule.day.spools import Shopping, SpoolAhead
from meanbead.core.schedule.day.tasks import Task
from meanbead.store.tables import HoursException

Plate = Annotated[int, Field(ge=1, le=10_000)]


class SpanOut(Schema):
    """From a moment to another."""

    start: datetime
    end: datetime


class HoursOut(Schema):
    """Hours that are not as every week: somebody is away, or there."""

    id: int
    version: int
    name: str
    from_at: datetime
    to_at: datetime
    there: bool
    source: str


class HoursAdd(Schema):
    """Somebody is away for a while, or there all the same."""

    name: Name
    from_at: datetime
    to_at: datetime
    there: bool = False

    @model_validator(mode="after")
    def _forward(self) -> HoursAdd:
        if self.to_at <= self.from_at:
            raise ValueError("to_at has to be later than from_at")
        return self


class CalendarFile(Schema):
    """A calendar as iCalendar text. Its entries are times when nobody is there, or with ``there`` when somebody is."""

    text: Annotated[str, Field(min_length=1, max_length=2_000_000)]
    there: bool = False


class CalendarTaken(Schema):
    """What a calendar brought: entries that are new, that changed, that were known, and that could not be read."""

    added: int
    changed: int
    known: int
    left_out: list[str]


class HoursListOut(Schema):
    """All hours that are not as every week and have not passed."""

    exceptions: list[HoursOut]


class OnMachineOut(Schema):
    """What runs on a machine, or stands finished on it, with its end and when that may be with 90 %. ``live`` is the state of the
    print that its machine tells of, empty where nobody listens to it."""

    run_id: int
    name: str
    started_at: datetime
    ends_at: datetime
    low_end: datetime
    high_end: datetime
    over: bool
    delay_s: float
    queue_id: int | None
    live: str
    print_id: int | None


class BoardMachine(Schema):
    """A machine on the board; ``holds`` are the nozzle and plastic on it now."""

    id: int
    name: str
    holds: str
    running: OnMachineOut | None


class BoardRun(Schema):
    """A planned run, of which plate of which item of the queue. ``alone_end`` is when somebody next is there, where it ends with
    nobody there."""

    queue_id: int
    plate: int
    plates: int
    name: str
    part_id: int
    recipe_id: int | None
    recipe: str
    pieces: int
    machine_id: int
    machine: str
    start: datetime
    end: datetime
    low_end: datetime
    high_end: datetime
    changes: list[Change]
    material: str
    nozzle_mm: float
    grams: float
    pinned: bool
    due_at: datetime | None
    late_s: float
    alone_s: float
    alone_end: datetime | None
    spool: str


class GapOut(Schema):
    """Time in which a machine stands still before somebody comes or the next run starts: ``fits_s`` is how long a print may take
    that is started while somebody is there, and is done before the machine is needed."""

    machine_id: int
    start: datetime
    end: datetime
    fits_s: float


class UnplacedOut(Schema):
    """A plate without a place, and why."""

    queue_id: int
    plate: int
    name: str
    why: str


class DayOut(Schema):
    """The board. ``stale`` where the queue, the shelf or what runs has changed since the plan was made, or a planned moment has
    passed; ``job_id`` is the planning under way."""

    now: datetime
    until: datetime
    attended: list[SpanOut]
    machines: list[BoardMachine]
    runs: list[BoardRun]
    gaps: list[GapOut]
    unplaced: list[UnplacedOut]
    tasks: list[Task]
    drying: list[Drying]
    moved: list[Moved]
    notes: list[str]
    score: PlanScore | None
    gap: float
    bound_says: str
    made_at: datetime | None
    stale: bool
    queued: int
    job_id: int | None
    rules: DayRules
    house_version: int


class SpoolsOut(Schema):
    """Spools with what is planned on them, and what has to be bought. ``currency`` is the house's."""

    spools: list[SpoolAhead]
    shopping: list[Shopping]
    currency: str


class PlanAsk(Schema):
    """How long the plan may be bettered, s."""

    seconds: Annotated[float, Field(ge=0, le=120)] = 30


class PinAsk(Schema):
    """Where somebody puts a plate: on which machine, not before when. What is in the way waits."""

    queue_id: RowId
    plate: Plate
    version: Version
    machine_id: RowId
    start: datetime


class PinRelease(Schema):
    """Let the plan place a plate again."""

    queue_id: RowId
    plate: Plate
    version: Version


class PinOut(Schema):
    """Where a plate was put; ``says`` where that is another moment than asked for, and why."""

    queue_id: int
    version: int
    machine_id: int | None
    start: datetime | None
    says: str


class ReasonsAsk(Schema):
    """Of which plate of which item."""

    queue_id: RowId
    plate: Plate


class DayStart(Schema):
    """A planned run is started now; ``key`` is made in the page: sent twice it is started once. ``machine_id`` where it is another
    than planned."""

    key: Key
    queue_id: RowId
    plate: Plate
    machine_id: RowId | None = None


class Started(Schema):
    """The run that was started."""

    run_id: int
    name: str


class DelayAsk(Schema):
    """By how much longer a running print takes than was said before, s; less than nothing where it is sooner."""

    run_id: RowId
    version: Version | None = None
    more_s: Annotated[float, Field(ge=-500_000, le=500_000)]


class TakeOff(Schema):
    """A print is taken off: it came out well, or it did not."""

    run_id: RowId
    state: Literal["kept", "scrapped"]
    again_key: Key | None = None


class RulesEdit(Schema):
    """How the house plans its days."""

    version: Version
    rules: DayRules


class WorthAsk(Schema):
    """How long each plan may take, s."""

    seconds: Annotated[float, Field(ge=0.5, le=20)] = 3


class ReasonsOut(Reasons):
    """Why a run stands where it stands, and why not elsewhere."""


def hours_out(row: HoursException) -> HoursOut:
    """Hours that are not as every week, as they are given out."""
    return HoursOut(
        id=row.id,
        version=row.version,
        name=row.name,
        from_at=row.from_at,
        to_at=row.to_at,
        there=row.there,
        source=row.source,
    )
