"""A day to be planned: machines, jobs and the hours in which someone is there; and the plan that comes of it."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Annotated, Any, Literal

from pydantic import ConfigDict, Field, model_validator

from meanbead.core.model.base import Model, NonNegative, Positive, Result, Share

__all__ = [
    "GOALS",
    "AttendedSpan",
    "Change",
    "Day",
    "DayChoice",
    "DayJob",
    "DayMachine",
    "DayPlan",
    "Drying",
    "DryingNeed",
    "EnergySpan",
    "Goal",
    "LateRun",
    "Pin",
    "PlanScore",
    "PlannedRun",
    "SizeMm",
    "SwapMin",
    "Unplaced",
]

Id = Annotated[str, Field(min_length=1, max_length=80)]
Goal = Literal["due", "pieces", "swaps", "nights", "energy"]
GOALS: tuple[Goal, ...] = ("due", "pieces", "swaps", "nights", "energy")
"""What a plan is judged by, in the shipped order: due dates met with 90 %, pieces a day, few swaps, no long prints while
nobody is there, energy price."""

MOST_RUNS = 2000


class SizeMm(Model):
    """Room, mm: x, y, z. A list of three, or of two where height does not matter, is taken, too."""

    x: Annotated[float, Field(gt=0, le=5000)]
    y: Annotated[float, Field(gt=0, le=5000)]
    z: Annotated[float, Field(ge=0, le=5000)]

    @model_validator(mode="before")
    @classmethod
    def _of_list(cls, given: Any) -> Any:
        if isinstance(given, list | tuple):
            if len(given) not in (2, 3):
                raise ValueError("a size has two or three numbers, in mm")
            return dict(zip("xyz", [*given, 0][:3], strict=True))
        return given


def _bed(given: Any) -> Any:
    """A bed of two numbers has no limit in height that anybody told."""
    if isinstance(given, list | tuple) and len(given) == 2:
        return [*given, 5000]
    return given | {"z": given.get("z", 5000)} if isinstance(given, dict) else given


class AttendedSpan(Model):
    """Somebody is there from ``from`` to ``to``."""

    start: datetime = Field(alias="from")
    end: datetime = Field(alias="to")

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False, populate_by_name=True)


class EnergySpan(AttendedSpan):
    """A kilowatt-hour costs ``price`` from ``from`` to ``to``."""

    price: NonNegative


class DayMachine(Model):
    """A machine. ``nozzle_mm`` and ``material`` are on it now (no plastic where empty); its plate is clear at ``free_at``
    unless ``plate_clear`` says that something stands on it then.

    ``spool_g`` is what its spool still holds (None: enough). It takes any nozzle unless ``nozzles_mm`` lists them, and plastic
    up to ``max_temp_c`` (None: any). ``power_w`` is what it draws on average.
    """

    id: Id
    nozzle_mm: Annotated[float, Field(gt=0, le=5)] = 0.4
    material: Annotated[str, Field(max_length=80)] = ""
    bed_mm: SizeMm = SizeMm(x=220, y=220, z=250)
    free_at: datetime | None = None
    enclosed: bool = False
    plate_clear: bool = True
    spool_g: NonNegative | None = None
    nozzles_mm: tuple[Annotated[float, Field(gt=0, le=5)], ...] | None = None
    max_temp_c: Positive | None = None
    power_w: NonNegative = 120

    @model_validator(mode="before")
    @classmethod
    def _open_bed(cls, given: Any) -> Any:
        if isinstance(given, dict) and given.get("bed_mm") is not None:
            return given | {"bed_mm": _bed(given["bed_mm"])}
        return given


class DayChoice(Model):
    """One way to print a job's plate: seconds with their 90 % interval (the expected ones where none is given), grams, and the
    nozzle that it takes (None: any). ``machines`` are those for which it was computed (None: all of the job's)."""

    name: Annotated[str, Field(max_length=200)] = ""
    time_s: Annotated[float, Field(gt=0, le=5_000_000)]
    low_s: Positive | None = None
    high_s: Positive | None = None
    grams: NonNegative = 0
    nozzle_mm: Annotated[float, Field(gt=0, le=5)] | None = None
    machines: tuple[Id, ...] | None = None

    @model_validator(mode="after")
    def _in_order(self) -> DayChoice:
        if self.low_s is not None and self.low_s > self.time_s:
            raise ValueError(f"low_s {self.low_s:g} is more than time_s {self.time_s:g}")
        if self.high_s is not None and self.high_s < self.time_s:
            raise ValueError(f"high_s {self.high_s:g} is less than time_s {self.time_s:g}")
        return self


class DayJob(DayChoice):
    """A plate that is to be printed ``copies`` times. Higher ``priority`` goes first. ``machines`` may print it (None or empty:
    all); ``material`` None takes whatever is on the machine; ``size_mm`` may lie either way on the bed.

    ``choices``, where given, are the ways to print it among which the plan may pick, in place of its own figures.
    ``pieces`` is how many parts lie on a plate, ``fails_per_h`` how often such prints fail an hour.
    """

    id: Id
    material: Annotated[str, Field(max_length=80)] | None = None
    size_mm: SizeMm | None = None
    copies: Annotated[int, Field(ge=0, le=MOST_RUNS)] = 1
    due: datetime | None = None
    priority: Annotated[int, Field(ge=-1000, le=1000)] = 0
    temp_c: NonNegative = 0
    enclosed: bool = False
    pieces: Annotated[int, Field(ge=1, le=10_000)] = 1
    fails_per_h: NonNegative = 0.01
    choices: Annotated[tuple[DayChoice, ...], Field(max_length=20)] = ()

    @model_validator(mode="before")
    @classmethod
    def _any_machine(cls, given: Any) -> Any:
        return given | {"machines": None} if isinstance(given, dict) and given.get("machines") == [] else given

    @property
    def ways(self) -> tuple[DayChoice, ...]:
        """All ways to print it."""
        return self.choices or (self,)


class Pin(Model):
    """A run that stays where a person put it."""

    job: Id
    copy_number: Annotated[int, Field(ge=1)] = Field(1, alias="copy")
    machine: Id
    start: datetime
    choice: Annotated[int, Field(ge=0)] = 0

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False, populate_by_name=True)


class DryingNeed(Model):
    """A plastic that has to lie in the dryer for ``hours`` before it is printed."""

    material: Annotated[str, Field(min_length=1, max_length=80)]
    hours: Annotated[float, Field(gt=0, le=200)]
    temp_c: NonNegative = 0


class SwapMin(Model):
    """Minutes that changes take: taking a plate off and clearing it, another nozzle, another spool."""

    plate: Annotated[float, Field(ge=0, le=1440)] = 10
    nozzle: Annotated[float, Field(ge=0, le=1440)] = 15
    spool: Annotated[float, Field(ge=0, le=1440)] = 5


class Day(Model):
    """All that a plan is made of. Times are ISO 8601; those without a zone are in that of ``now``.

    ``attended`` None is from 8 to 22 o'clock every day. ``spool_full_g`` is what a fresh spool holds, where spools are
    watched. ``dry_first`` are plastics that have to be dried, in a dryer that takes ``dryer_spools`` at once. ``order`` is what
    matters more; ``long_print_h`` what counts as a long print. ``before`` is the plan that was there, of which as much as
    possible stays.
    """

    now: datetime = Field(default_factory=lambda: datetime.now(UTC).replace(microsecond=0))
    horizon_h: Annotated[float, Field(gt=0, le=24 * 60)] = 168
    attended: Annotated[tuple[AttendedSpan, ...], Field(max_length=1000)] | None = None
    machines: Annotated[tuple[DayMachine, ...], Field(max_length=200)] = ()
    jobs: Annotated[tuple[DayJob, ...], Field(max_length=MOST_RUNS)] = ()
    swap_min: SwapMin = SwapMin()
    pinned: tuple[Pin, ...] = ()
    spool_full_g: Positive = 1000
    dry_first: tuple[DryingNeed, ...] = ()
    dryer_spools: Annotated[int, Field(ge=1, le=50)] = 1
    order: Annotated[tuple[Goal, ...], Field(max_length=5)] = GOALS
    long_print_h: Positive = 8
    energy: Annotated[tuple[EnergySpan, ...], Field(max_length=1000)] = ()
    price_per_kwh: NonNegative = 0.3
    before: tuple[Pin, ...] = ()

    @model_validator(mode="after")
    def _agrees(self) -> Day:
        for kind, ids in (("machines", [one.id for one in self.machines]), ("jobs", [one.id for one in self.jobs])):
            twice = next((one for place, one in enumerate(ids) if one in ids[:place]), None)
            if twice is not None:
                raise ValueError(f"{kind}: {twice} is there twice")
        known = {machine.id for machine in self.machines}
        for job in self.jobs:
            for way in job.ways:
                unknown = [name for name in way.machines or () if name not in known]
                if unknown:
                    raise ValueError(f"jobs: {job.id} names the machine {unknown[0]}, which is not among machines")
        for spans in (self.attended or (), self.energy):
            for span in spans:
                if self.at(span.end) <= self.at(span.start):
                    raise ValueError(f"attended: {span.start.isoformat()} is not before {span.end.isoformat()}")
        if len(set(self.order)) != len(self.order):
            raise ValueError("order: a goal is there twice")
        if sum(job.copies for job in self.jobs) > MOST_RUNS:
            raise ValueError(f"jobs: more than {MOST_RUNS} runs")
        copies = {job.id: job for job in self.jobs}
        for pin in self.pinned:
            of = copies.get(pin.job)
            if of is None or pin.machine not in known or pin.copy_number > of.copies or pin.choice >= len(of.ways):
                raise ValueError(f"pinned: {pin.job} on {pin.machine} is not among jobs and machines")
        return self

    def at(self, moment: datetime) -> float:
        """Seconds from ``now`` to a moment."""
        if moment.tzinfo is None and self.now.tzinfo is not None:
            moment = moment.replace(tzinfo=self.now.tzinfo)
        elif moment.tzinfo is not None and self.now.tzinfo is None:
            moment = moment.astimezone(UTC).replace(tzinfo=None)
        return (moment - self.now).total_seconds()

    def moment(self, seconds: float) -> datetime:
        """The moment so many seconds after ``now``."""
        return self.now + timedelta(seconds=seconds)


class Change(Result):
    """A change right before a run: what becomes what, when."""

    kind: Literal["plate", "nozzle", "spool"]
    start: datetime
    end: datetime
    says: str = ""


class PlannedRun(Result):
    """A run in its place. ``low_end`` to ``high_end`` holds its end with 90 %; ``copy`` counts from 1. ``alone`` is how long
    it runs while nobody is there, s."""

    job: str
    copy_number: int = Field(alias="copy")
    machine: str
    start: datetime
    end: datetime
    low_end: datetime
    high_end: datetime
    swaps: list[Literal["plate", "nozzle", "spool"]]
    changes: list[Change]
    choice: int = 0
    choice_name: str = ""
    pieces: int = 1
    grams: float = 0
    nozzle_mm: float
    material: str
    pinned: bool = False
    alone_s: float = 0

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)


class Unplaced(Result):
    """A run that found no place, and why."""

    job: str
    copy_number: int = Field(alias="copy")
    why: str

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)


class LateRun(Result):
    """A run that is not there by its due moment with 90 %: by how much at the worst. ``surely`` where its expected end is
    late already."""

    job: str
    copy_number: int = Field(alias="copy")
    due: datetime
    end: datetime
    high_end: datetime
    by_s: float
    surely: bool

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)


class Drying(Result):
    """A plastic's time in the dryer."""

    material: str
    start: datetime
    end: datetime
    temp_c: float


class PlanScore(Result):
    """What a plan comes to: runs, pieces, pieces a day up to the last end, late runs, changes of nozzle and of spool, minutes
    of changing in all, the mean of all ends in hours from now, hours of long prints while nobody is there, energy."""

    runs: int
    pieces: int
    pieces_per_day: float
    late: int
    nozzle_swaps: int
    spool_swaps: int
    swap_min: float
    mean_end_h: float
    last_end_h: float
    alone_h: float
    energy_cost: float


class DayPlan(Result):
    """A plan. ``gap`` is by how large a share of its cost the best plan might still be better (0: none is), ``bound_says`` that in
    words."""

    runs: list[PlannedRun]
    unplaced: list[Unplaced]
    late: list[LateRun]
    gap: Share
    bound_says: str
    proven: bool
    score: PlanScore
    drying: list[Drying]
