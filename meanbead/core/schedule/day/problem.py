"""A day as numbers: seconds from now, runs by number, flat arrays for the compiled search."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, time, timedelta

import numpy as np
from numpy.typing import NDArray

from meanbead.core.model.day import GOALS, Day, DayChoice, DayJob, DayMachine, Goal
from meanbead.core.schedule.day.drying import Dried, dry

__all__ = ["FAR_S", "Problem", "fits", "make_problem", "merged", "windows_of"]

FAR_S = 1e12
"""Later than anything."""

NONE = -1
"""No nozzle, plastic or machine in particular."""

_DAY_FROM, _DAY_TO = time(8), time(22)

_WEIGHTS: dict[Goal, float] = {"due": 1e7, "pieces": 1e5, "swaps": 3.0, "nights": 0.2, "energy": 10.0}
"""What one late run, one run without a place, one minute of changing, one minute of a long print alone, one unit of money
weigh against one minute by which one run ends later. A judgement of the shipped order."""

_RANK = 100.0
"""A goal that a house moves up by one place weighs so much more, one that it moves down so much less."""


@dataclass(frozen=True)
class Problem:
    """A day in flat arrays. Runs n, ways to print one k, machines m, windows w; seconds from now.

    ``dur``, ``high``, ``low`` float64 (n, k); ``grams`` float64 (n, k); ``nozzle`` int64 (n, k), ``material`` int64 (n,),
    -1 where any will do; ``ways`` int64 (n,), how many there are; ``may`` bool (n, k, m); ``release``, ``due``, ``weight``,
    ``fail`` float64 (n,); ``pin_machine``, ``pin_way`` int64 (n,) and ``pin_start`` float64 (n,); ``was_machine`` int64 and
    ``was_start`` float64 (n,), of the plan before. ``free``, ``left`` float64 (m,), ``has_nozzle``, ``has_material`` int64
    (m,), ``clear`` bool (m,), ``power`` float64 (m,). ``opens``, ``closes`` float64 (w,): hours in which someone is there, apart
    and in order. ``swap`` float64 (3,): plate, nozzle, spool. ``weights`` float64 (7,): late, late by a minute, unplaced, a
    minute later, a minute of changing, a minute alone, money. ``prices`` float64 (p, 3): from, to, per kWh.
    """

    day: Day
    jobs: list[DayJob]
    copies: list[int]
    dur: NDArray[np.float64]
    low: NDArray[np.float64]
    high: NDArray[np.float64]
    grams: NDArray[np.float64]
    nozzle: NDArray[np.int64]
    material: NDArray[np.int64]
    ways: NDArray[np.int64]
    may: NDArray[np.bool_]
    release: NDArray[np.float64]
    due: NDArray[np.float64]
    weight: NDArray[np.float64]
    pieces: NDArray[np.float64]
    fail: NDArray[np.float64]
    pin_machine: NDArray[np.int64]
    pin_way: NDArray[np.int64]
    pin_start: NDArray[np.float64]
    was_machine: NDArray[np.int64]
    was_start: NDArray[np.float64]
    free: NDArray[np.float64]
    left: NDArray[np.float64]
    has_nozzle: NDArray[np.int64]
    has_material: NDArray[np.int64]
    clear: NDArray[np.bool_]
    power: NDArray[np.float64]
    opens: NDArray[np.float64]
    closes: NDArray[np.float64]
    swap: NDArray[np.float64]
    weights: NDArray[np.float64]
    prices: NDArray[np.float64]
    horizon: float
    full_g: float
    long_s: float
    nozzles: list[float]
    materials: list[str]
    dried: list[Dried]

    @property
    def runs(self) -> int:
        """How many runs there are."""
        return len(self.jobs)

    @property
    def machines(self) -> int:
        """How many machines there are."""
        return len(self.free)

    def job_of(self, run: int) -> DayJob:
        """A run's job."""
        return self.jobs[run]


def fits(machine: DayMachine, job: DayJob, way: DayChoice) -> str:
    """Why a machine cannot print a job this way; empty where it can. The bed may be taken either way round."""
    if job.machines is not None and machine.id not in job.machines:
        return f"{machine.id} is not among the machines that may print it"
    if way.machines is not None and machine.id not in way.machines:
        return f"{way.name or 'this recipe'} is not for {machine.id}"
    size, bed = job.size_mm, machine.bed_mm
    if size is not None:
        lies = (size.x <= bed.x and size.y <= bed.y) or (size.y <= bed.x and size.x <= bed.y)
        if not lies or size.z > bed.z:
            return f"{size.x:g} x {size.y:g} x {size.z:g} mm do not fit on {machine.id}"
    if way.nozzle_mm is not None and machine.nozzles_mm is not None:
        has = (machine.nozzle_mm, *machine.nozzles_mm)
        if not any(abs(way.nozzle_mm - bore) < 1e-6 for bore in has):
            return f"there is no {way.nozzle_mm:g} mm nozzle for {machine.id}"
    if machine.max_temp_c is not None and job.temp_c > machine.max_temp_c:
        return f"{machine.id} goes up to {machine.max_temp_c:g} °C, and it takes {job.temp_c:g} °C"
    if job.enclosed and not machine.enclosed:
        return f"{machine.id} has no enclosure"
    return ""


def windows_of(day: Day) -> list[tuple[float, float]]:
    """Hours in which someone is there, s from now: apart, in order, from now to the horizon."""
    horizon = day.horizon_h * 3600
    if day.attended is None:
        spans = []
        first = datetime.combine(day.now.date(), time(0), tzinfo=day.now.tzinfo) - timedelta(days=1)
        for number in range(int(day.horizon_h // 24) + 3):
            date = (first + timedelta(days=number)).date()
            opens, closes = (datetime.combine(date, at, tzinfo=day.now.tzinfo) for at in (_DAY_FROM, _DAY_TO))
            spans.append((day.at(opens), day.at(closes)))
    else:
        spans = [(day.at(span.start), day.at(span.end)) for span in day.attended]
    return merged([(max(0.0, low), min(horizon, high)) for low, high in spans])


def merged(spans: list[tuple[float, float]]) -> list[tuple[float, float]]:
    """Spans in order, those that touch as one; empty ones are left out."""
    found: list[tuple[float, float]] = []
    for low, high in sorted(span for span in spans if span[1] > span[0]):
        if found and low <= found[-1][1]:
            found[-1] = (found[-1][0], max(found[-1][1], high))
        else:
            found.append((low, high))
    return found


def make_problem(day: Day) -> Problem:
    """A day in flat arrays; what is dried when is settled here, because it depends on no machine."""
    runs = [(job, copy) for job in day.jobs for copy in range(1, job.copies + 1)]
    jobs = [job for job, _ in runs]
    most = max((len(job.ways) for job in jobs), default=1)
    n, m = len(runs), len(day.machines)
    nozzles = sorted(
        {machine.nozzle_mm for machine in day.machines}
        | {way.nozzle_mm for job in day.jobs for way in job.ways if way.nozzle_mm is not None}
    )
    materials = sorted(
        {machine.material for machine in day.machines if machine.material}
        | {job.material for job in jobs if job.material}
    )
    windows = windows_of(day)
    dur, low, high, grams = (np.zeros((n, most)) for _ in range(4))
    nozzle = np.full((n, most), NONE, dtype=np.int64)
    may = np.zeros((n, most, m), dtype=np.bool_)
    known: dict[str, NDArray[np.bool_]] = {}
    for run, job in enumerate(jobs):
        for place, way in enumerate(job.ways):
            dur[run, place] = way.time_s
            low[run, place] = way.low_s or way.time_s
            high[run, place] = way.high_s or way.time_s
            grams[run, place] = way.grams
            nozzle[run, place] = NONE if way.nozzle_mm is None else nozzles.index(way.nozzle_mm)
        if job.id not in known:
            asked = [[not fits(machine, job, way) for machine in day.machines] for way in job.ways]
            known[job.id] = np.array(asked, dtype=np.bool_).reshape(len(job.ways), m)
        may[run, : len(job.ways)] = known[job.id]
    watched = np.array([machine.spool_g is not None for machine in day.machines], dtype=np.bool_)
    # Where spools are watched, no spool holds what needs more than a full one.
    may &= ~(watched[None, None, :] & (grams[:, :, None] > day.spool_full_g))
    due = np.array([FAR_S if job.due is None else day.at(job.due) for job in jobs])
    dried = dry(day, jobs, due, windows)
    ready = {one.material: one.end_s for one in dried}
    dry_first = {need.material for need in day.dry_first}
    release = [
        ready.get(job.material, FAR_S) if job.material in dry_first and job.material is not None else 0.0
        for job in jobs
    ]
    levels = sorted({job.priority for job in jobs})
    where = {machine.id: place for place, machine in enumerate(day.machines)}
    numbers = {(job.id, copy): run for run, (job, copy) in enumerate(runs)}
    pin_machine, pin_way, was_machine = (np.full(n, NONE, dtype=np.int64) for _ in range(3))
    pin_start, was_start = np.zeros(n), np.zeros(n)
    for pin in day.pinned:
        run = numbers[pin.job, pin.copy_number]
        pin_machine[run], pin_way[run], pin_start[run] = where[pin.machine], pin.choice, day.at(pin.start)
    for was in day.before:
        found = numbers.get((was.job, was.copy_number))
        if found is not None and was.machine in where:
            was_machine[found], was_start[found] = where[was.machine], day.at(was.start)
    prices = [(day.at(span.start), day.at(span.end), span.price) for span in day.energy]
    return Problem(
        day=day,
        jobs=jobs,
        copies=[copy for _, copy in runs],
        dur=dur,
        low=low,
        high=high,
        grams=grams,
        nozzle=nozzle,
        material=np.array(
            [NONE if job.material is None else materials.index(job.material) if job.material else NONE for job in jobs],
            dtype=np.int64,
        ),
        ways=np.array([len(job.ways) for job in jobs], dtype=np.int64),
        may=may,
        release=np.array(release, dtype=np.float64),
        due=due,
        weight=np.array([1.0 + 2.0 * levels.index(job.priority) for job in jobs]),
        pieces=np.array([float(job.pieces) for job in jobs]),
        fail=np.array([job.fails_per_h for job in jobs]),
        pin_machine=pin_machine,
        pin_way=pin_way,
        pin_start=pin_start,
        was_machine=was_machine,
        was_start=was_start,
        free=np.array(
            [0.0 if machine.free_at is None else max(0.0, day.at(machine.free_at)) for machine in day.machines]
        ),
        left=np.array([np.inf if machine.spool_g is None else machine.spool_g for machine in day.machines]),
        has_nozzle=np.array([nozzles.index(machine.nozzle_mm) for machine in day.machines], dtype=np.int64),
        has_material=np.array(
            [materials.index(machine.material) if machine.material else NONE for machine in day.machines],
            dtype=np.int64,
        ),
        clear=np.array([machine.plate_clear for machine in day.machines], dtype=np.bool_),
        power=np.array([machine.power_w for machine in day.machines]),
        opens=np.array([low for low, _ in windows]),
        closes=np.array([high for _, high in windows]),
        swap=np.array([day.swap_min.plate, day.swap_min.nozzle, day.swap_min.spool]) * 60.0,
        weights=_weights(day.order),
        prices=np.array(prices, dtype=np.float64).reshape(-1, 3),
        horizon=day.horizon_h * 3600,
        full_g=day.spool_full_g,
        long_s=day.long_print_h * 3600,
        nozzles=list(nozzles),
        materials=list(materials),
        dried=dried,
    )


def _weights(order: tuple[Goal, ...]) -> NDArray[np.float64]:
    """Weights by the house's order; a goal that it leaves out counts last."""
    full = [*order, *(goal for goal in GOALS if goal not in order)]
    weigh = {goal: _WEIGHTS[goal] * _RANK ** (GOALS.index(goal) - full.index(goal)) for goal in GOALS}
    sooner = min(1.0, weigh["pieces"] / _WEIGHTS["pieces"])
    return np.array(
        [
            weigh["due"],
            weigh["due"] / 1e5,
            weigh["pieces"],
            sooner,
            weigh["swaps"],
            weigh["nights"],
            weigh["energy"],
        ]
    )
