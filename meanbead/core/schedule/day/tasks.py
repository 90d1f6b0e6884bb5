"""What to do now, next and later: take off, dry, fit, start, in order, with the time until it matters."""

from __future__ import annotations

import math
from collections.abc import Sequence
from datetime import datetime
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
    latest = {machine: _latest_begins(day, runs, due) for machine, runs in by_machine.items()}
    for one in running:
        after = by_machine.get(one.machine, [])
        found.append(
            Task(
                kind="take_off",
                machine=one.machine,
                at=one.ends_at,
                by=latest[one.machine][0] if after else None,
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
                    by=latest[machine][place],
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
        spare = [
            last - _begin(run)
            for machine, runs in by_machine.items()
            for run, last in zip(runs, latest[machine], strict=True)
            if run.material == drying.material
        ]
        found.append(
            Task(
                kind="dry",
                machine="",
                at=drying.start,
                by=drying.start + min(spare) if spare else None,
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


def _latest_begins(day: Day, runs: Sequence[PlannedRun], due: dict[str, datetime]) -> list[datetime]:
    """The latest beginning of each of a machine's runs, changes included, at which neither it nor one that follows gets late that
    is in time now, and somebody is still there; backwards from the last.

    A run has to start by ``due - (high_end - start)``, and so that the next one's changes fit before *its* latest start; of the
    attended moments until then the last counts. What waits past its evening would wait for the morning: that is why every
    following run's hours bear on the first.
    """
    windows = windows_of(day)
    found: list[datetime] = []
    bound_of_next = math.inf
    for run in reversed(runs):
        start, begin = day.at(run.start), day.at(_begin(run))
        bound = bound_of_next - (day.at(run.end) - start)
        by = due.get(run.job)
        if by is not None and run.high_end <= by:
            bound = min(bound, start + day.at(by) - day.at(run.high_end))
        if run.pinned:
            bound = start
        latest = _last_attended(windows, bound, start - begin) if bound < math.inf else math.inf
        latest = max(latest, start)
        bound_of_next = latest - (start - begin)
        close = next((end for low, end in windows if low - 1 <= begin and start <= end + 1), start)
        found.append(day.moment(min(latest, max(close, start)) - (start - begin)))
    return found[::-1]


def _last_attended(windows: Sequence[tuple[float, float]], bound: float, need: float) -> float:
    """The last start up to a bound whose changes before it, ``need`` s, lie in one attended span with it; -inf where none."""
    return max((min(bound, high) for low, high in windows if low + need <= min(bound, high)), default=-math.inf)
