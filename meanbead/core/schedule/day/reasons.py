"""Why a run stands where it stands, why not elsewhere, and what has moved between two plans."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

import numpy as np

from meanbead.core.errors import MeanBeadError
from meanbead.core.model.base import Result
from meanbead.core.model.day import Day, DayPlan, PlannedRun
from meanbead.core.schedule.day.problem import Problem, fits, make_problem
from meanbead.core.schedule.day.search import Arrays, Sequences, arrays_of, lay_out
from meanbead.core.text.durations import duration

__all__ = ["Elsewhere", "Moved", "Reasons", "moved", "reasons"]

_MOVED_S = 120.0
"""Shifts up to two minutes are not told."""


class Elsewhere(Result):
    """A machine where a run could stand instead, or not: ``says`` is the reason, or what it would cost. ``costs`` is the
    difference in the plan's cost, in minutes of one run's end; None where it cannot stand there."""

    machine: str
    possible: bool
    says: str
    costs: float | None = None


class Reasons(Result):
    """Why a run stands where it does, in sentences, and what every other machine would mean."""

    here: list[str]
    there: list[Elsewhere]


class Moved(Result):
    """A run that two plans have in different places."""

    job: str
    copy_number: int
    says: str


@dataclass
class _Laid:
    cost: float
    late: list[int]
    end: dict[int, float]
    swap_s: float


def reasons(day: Day, plan: DayPlan, job: str, copy_number: int) -> Reasons:
    """Why a run of a plan stands where it stands; every other machine is tried at every place of its sequence, the rest of the
    plan as it is. Raises :class:`MeanBeadError` where the plan has no such run."""
    run = next((one for one in plan.runs if (one.job, one.copy_number) == (job, copy_number)), None)
    if run is None:
        raise MeanBeadError(f"The plan has no run {copy_number} of {job}.", field="job")
    problem = make_problem(day.model_copy(update={"before": ()}))
    arrays = arrays_of(problem)
    sequences = _sequences(problem, plan)
    number = next(k for k in range(problem.runs) if (problem.jobs[k].id, problem.copies[k]) == (job, copy_number))
    return Reasons(here=_here(day, plan, run, problem, number), there=_there(problem, arrays, sequences, run, number))


def moved(before: DayPlan, after: DayPlan) -> list[Moved]:
    """What a new plan has elsewhere than the one before it, the earliest first."""
    was = {(run.job, run.copy_number): run for run in before.runs}
    found: list[tuple[datetime, Moved]] = []
    for run in after.runs:
        old = was.pop((run.job, run.copy_number), None)
        if old is None:
            says = f"new: {run.machine}, {_clock(run.start)}"
        elif old.machine != run.machine:
            says = f"from {old.machine}, {_clock(old.start)}, to {run.machine}, {_clock(run.start)}"
        else:
            shift = (run.start - old.start).total_seconds()
            if abs(shift) <= _MOVED_S:
                continue
            says = f"{duration(abs(shift))} {'later' if shift > 0 else 'earlier'} on {run.machine}: {_clock(run.start)}"
        found.append((run.start, Moved(job=run.job, copy_number=run.copy_number, says=says)))
    missing = {(one.job, one.copy_number) for one in after.unplaced}
    for key, old in was.items():
        if key in missing:
            says = f"no longer has a place; it was on {old.machine}, {_clock(old.start)}"
            found.append((old.start, Moved(job=key[0], copy_number=key[1], says=says)))
    return [one for _, one in sorted(found, key=lambda pair: pair[0])]


def _clock(moment: datetime) -> str:
    return f"{moment:%a} {moment.hour}:{moment.minute:02d}"


def _sequences(problem: Problem, plan: DayPlan) -> Sequences:
    numbers = {(problem.jobs[k].id, problem.copies[k]): k for k in range(problem.runs)}
    where = {machine.id: place for place, machine in enumerate(problem.day.machines)}
    cap = max(1, problem.runs)
    m = problem.machines
    found = Sequences(np.zeros((m, cap), np.int64), np.zeros((m, cap), np.int64), np.zeros(m, np.int64))
    for run in sorted(plan.runs, key=lambda one: one.start):
        number = numbers.get((run.job, run.copy_number))
        if number is None or run.machine not in where:
            continue
        machine = where[run.machine]
        found.seq[machine, found.length[machine]] = number
        found.way[machine, found.length[machine]] = run.choice
        found.length[machine] += 1
    return found


def _here(day: Day, plan: DayPlan, run: PlannedRun, problem: Problem, number: int) -> list[str]:
    said = []
    if run.pinned:
        said.append("You put it there; it stays until you let go of it.")
    row = sorted((one for one in plan.runs if one.machine == run.machine), key=lambda one: one.start)
    place = row.index(run)
    machine = next(one for one in day.machines if one.id == run.machine)
    has = "nozzle" not in run.swaps and "spool" not in run.swaps
    what = f"{run.nozzle_mm:g} mm" + (f" and {run.material}" if run.material else "")
    if has:
        since = "has" if place == 0 else f"still has from {row[place - 1].job}"
        said.append(f"{run.machine} {since} {what} on it: nothing but the plate has to be changed.")
    else:
        changes = " and ".join(change.says for change in run.changes if change.kind != "plate")
        said.append(f"{run.machine} is changed for it: {changes}.")
    begin = day.at(run.changes[0].start) if run.changes else day.at(run.start)
    free = (
        day.at(row[place - 1].end) if place else max(0.0, 0.0 if machine.free_at is None else day.at(machine.free_at))
    )
    by = row[place - 1].job if place else ("what stands on it" if free > 0 else "")
    waits = begin - free
    if waits > 60 and problem.release[number] > 0 and abs(day.at(run.start) - problem.release[number]) < 60:
        said.append(f"It waits until {run.material} is dry.")
    elif waits > 60:
        said.append(
            f"{run.machine} is free from {_clock(day.moment(free))}, but nobody is there to start it "
            f"before {_clock(run.start)}."
            if not run.pinned
            else f"{run.machine} stands idle for {duration(waits)} before it."
        )
    elif by:
        said.append(f"It starts as soon as {by} is off and the machine is changed.")
    else:
        said.append("It starts at once.")
    after = row[place + 1] if place + 1 < len(row) else None
    end = day.at(run.end)
    there = any(low <= end <= high for low, high in zip(problem.opens, problem.closes, strict=True))
    back = next((low for low in problem.opens if low > end), None)
    if there:
        said.append("Somebody is there when it ends.")
    elif back is not None:
        said.append(
            f"It ends {_clock(run.end)}, when nobody is there; the plate waits {duration(float(back) - end)}, "
            f"until {_clock(day.moment(float(back)))}."
        )
    job = problem.jobs[number]
    if job.due is not None:
        spare = day.at(job.due) - day.at(run.high_end)
        said.append(
            f"Due {_clock(job.due)}: it is there by then with 90 %, {duration(spare)} to spare."
            if spare >= 0
            else f"Due {_clock(job.due)}: at the worst it is {duration(-spare)} late."
        )
    if after is not None and after.job == run.job:
        said.append(f"{after.job} goes on after it without a change of plastic or nozzle.")
    return said


def _lay(problem: Problem, arrays: Arrays, machine: int, seq: Sequence[int], way: Sequence[int]) -> _Laid:
    cap = max(1, len(seq))
    begun, swaps = np.zeros(cap), np.zeros((cap, 3), np.bool_)
    runs, ways = np.array(seq, dtype=np.int64), np.array(way, dtype=np.int64)
    cost, _ = lay_out(arrays, machine, runs, ways, len(seq), begun, swaps)
    if not np.isfinite(cost):
        return _Laid(float("inf"), [], {}, 0.0)
    late = [
        run
        for k, (run, how) in enumerate(zip(seq, way, strict=True))
        if begun[k] + problem.high[run, how] > problem.due[run] + 1e-6
    ]
    ends = {run: float(begun[k] + problem.dur[run, how]) for k, (run, how) in enumerate(zip(seq, way, strict=True))}
    return _Laid(float(cost), late, ends, float((swaps[: len(seq), 1:] * problem.swap[1:]).sum()))


def _there(problem: Problem, arrays: Arrays, plan: Sequences, run: PlannedRun, number: int) -> list[Elsewhere]:
    day = problem.day
    here = next(place for place, one in enumerate(day.machines) if one.id == run.machine)
    own = list(map(int, plan.seq[here, : plan.length[here]]))
    own_ways = list(map(int, plan.way[here, : plan.length[here]]))
    at = own.index(number)
    rest = _lay(problem, arrays, here, own[:at] + own[at + 1 :], own_ways[:at] + own_ways[at + 1 :])
    now = _lay(problem, arrays, here, own, own_ways)
    free_of_pin = arrays
    if problem.pin_machine[number] >= 0:
        loose = problem.pin_machine.copy()
        loose[number] = -1
        free_of_pin = arrays._replace(pin_machine=loose)
    found = []
    for machine, described in enumerate(day.machines):
        if machine == here:
            continue
        job = problem.jobs[number]
        reasons_against = [fits(described, job, way) for way in job.ways]
        if all(reasons_against):
            found.append(Elsewhere(machine=described.id, possible=False, says=f"{_upper(reasons_against[0])}."))
            continue
        seq = list(map(int, plan.seq[machine, : plan.length[machine]]))
        ways = list(map(int, plan.way[machine, : plan.length[machine]]))
        before = _lay(problem, arrays, machine, seq, ways)
        tried = [
            _lay(problem, free_of_pin, machine, [*seq[:k], number, *seq[k:]], [*ways[:k], how, *ways[k:]])
            for k in range(len(seq) + 1)
            for how in range(int(problem.ways[number]))
        ]
        best = min(tried, key=lambda one: one.cost)
        if not np.isfinite(best.cost) or not np.isfinite(rest.cost):
            says = "There is no place for it there within the plan."
            if not np.isfinite(rest.cost):
                says = "What is pinned after it needs it where it is."
            found.append(Elsewhere(machine=described.id, possible=False, says=says))
            continue
        costs = best.cost + rest.cost - now.cost - before.cost
        found.append(
            Elsewhere(
                machine=described.id,
                possible=True,
                says=_difference(problem, number, now, rest, before, best),
                costs=float(costs),
            )
        )
    return found


def _difference(problem: Problem, number: int, now: _Laid, rest: _Laid, before: _Laid, best: _Laid) -> str:
    """What it would mean, the weightiest first."""
    said = []
    late = len(rest.late) + len(best.late) - len(now.late) - len(before.late)
    if late:
        said.append(f"{abs(late)} {'more' if late > 0 else 'fewer'} late")
    ends = best.end[number] - now.end[number]
    if abs(ends) > 60:
        said.append(f"it would end {duration(abs(ends))} {'later' if ends > 0 else 'sooner'}")
    swaps = rest.swap_s + best.swap_s - now.swap_s - before.swap_s
    if abs(swaps) > 1:
        said.append(f"{abs(swaps) / 60:.0f} min {'more' if swaps > 0 else 'less'} of changing")
    others = sum(best.end[run] - end for run, end in before.end.items())
    others += sum(rest.end[run] - now.end[run] for run in rest.end)
    if abs(others) > 60:
        said.append(f"the others would end {duration(abs(others))} {'later' if others > 0 else 'sooner'} in all")
    return f"{_upper('; '.join(said))}." if said else "It would be all the same."


def _upper(text: str) -> str:
    return text[:1].upper() + text[1:]
