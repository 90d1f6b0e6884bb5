"""What to do now, next and later: take off, dry, fit, start, in order, with the time until it matters."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from itertools import pairwise
from typing import Literal

from meanbead.core.model.base import Model, Result
from meanbead.core.model.day import Day, DayPlan, PlannedRun
from meanbead.core.schedule.day.problem import windows_of

__all__ = ["OnMachine", "Task", "tasks"]


class OnMachine(Model):
    """What runs on a machine, or stands finished on it: ``ends_at`` is when it ends, ``over`` that it has."""

    machine: str
    name: str
    run_id: int
    ends_at: datetime
    over: bool = False


class Task(Result):
    """Something to be done at a machine or the dryer. ``at`` is when it is planned, ``by`` the latest moment at which nothing
    that is due gets late and somebody is still there (None where nothing depends on it). ``steps`` are what belongs to a start."""

    kind: Literal["take_off", "start", "dry", "take_out"]
    machine: str
    at: datetime
    by: datetime | None
    says: str
    steps: list[str]
    job: str = ""
    copy_number: int = 0
    run_id: int | None = None
    waits: bool = False


def tasks(day: Day, plan: DayPlan, running: Sequence[OnMachine], due: dict[str, datetime]) -> list[Task]:
    """Tasks in the order of their moments. ``due`` are due moments by job.

    Of each machine: what stands on it is taken off, and its runs are started one after the other; those that wait for
    another one say so. A start may be put off until a run that follows on the machine would be late with 90 %, or nobody
    is there any more.
    """
    found: list[Task] = []
    by_machine: dict[str, list[PlannedRun]] = {}
    for run in sorted(plan.runs, key=lambda one: one.start):
        by_machine.setdefault(run.machine, []).append(run)
    occupied = {one.machine: one for one in running}
    for one in running:
        after = by_machine.get(one.machine, [])
        begin = _begin(after[0]) if after else None
        found.append(
            Task(
                kind="take_off",
                machine=one.machine,
                at=one.ends_at,
                by=None if begin is None else _latest(day, after, due),
                says=f"Take {one.name} off",
                steps=[],
                run_id=one.run_id,
                waits=not one.over,
            )
        )
    for machine, runs in by_machine.items():
        for place, run in enumerate(runs):
            found.append(
                Task(
                    kind="start",
                    machine=machine,
                    at=_begin(run),
                    by=_latest(day, runs[place:], due),
                    says=f"Start {run.job}",
                    steps=[_step(change.kind, change.says) for change in run.changes],
                    job=run.job,
                    copy_number=run.copy_number,
                    waits=place > 0 or machine in occupied,
                )
            )
    for drying in plan.drying:
        temp = f" at {drying.temp_c:g} °C" if drying.temp_c else ""
        hours = (drying.end - drying.start).total_seconds() / 3600
        uses = [run for run in plan.runs if run.material == drying.material]
        by = min((_slack(day, run, due) for run in uses), default=None)
        latest = None if by is None else drying.start + (by - min(_begin(run) for run in uses))
        found.append(
            Task(
                kind="dry",
                machine="",
                at=drying.start,
                by=latest,
                says=f"Dry {drying.material}{temp} for {hours:.0f} h",
                steps=[],
            )
        )
        found.append(
            Task(
                kind="take_out",
                machine="",
                at=drying.end,
                by=None,
                says=f"{drying.material} is dry",
                steps=[],
                waits=True,
            )
        )
    order = {"take_off": 0, "take_out": 1, "dry": 2, "start": 3}
    return sorted(found, key=lambda task: (task.at, order[task.kind], task.machine))


def _begin(run: PlannedRun) -> datetime:
    return run.changes[0].start if run.changes else run.start


def _step(kind: str, says: str) -> str:
    return {"plate": "Clear the plate", "nozzle": f"Nozzle {says}", "spool": f"Spool: {says}"}[kind]


def _slack(day: Day, run: PlannedRun, due: dict[str, datetime]) -> datetime:
    """The latest beginning of a run: not late, and while somebody is there."""
    begin = _begin(run)
    low, high = day.at(begin), day.at(run.start)
    close = next((end for start, end in windows_of(day) if start - 1 <= low and high <= end + 1), high)
    latest = day.moment(low + close - high)
    by = due.get(run.job)
    if by is not None:
        spare = day.at(by) - day.at(run.high_end)
        latest = min(latest, day.moment(low + max(0.0, spare)))
    return max(begin, latest)


def _latest(day: Day, runs: Sequence[PlannedRun], due: dict[str, datetime]) -> datetime:
    """The latest beginning of the first of a machine's runs at which none that follows at once gets late."""
    first = _begin(runs[0])
    latest = _slack(day, runs[0], due)
    waited = 0.0
    for before, run in pairwise(runs):
        waited += (_begin(run) - before.end).total_seconds()
        by = due.get(run.job)
        if by is not None:
            spare = max(0.0, day.at(by) - day.at(run.high_end)) + waited
            latest = min(latest, day.moment(day.at(first) + spare))
    return max(first, latest)
