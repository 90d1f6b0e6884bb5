"""Background work on what the log teaches: ledgers made again, limits inferred, test prints, two machines compared."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from meanbead import services, store
from meanbead.core.compare.machines import compare_machines
from meanbead.core.errors import MeanBeadError, RecipeError
from meanbead.core.learn.calibration.design import two_prints
from meanbead.core.learn.calibration.limits import LEAST_RUNS, LimitRun, infer_limits, limits_of
from meanbead.core.model import Estimate, Printer
from meanbead.jobs.work import Toolbox, Work
from meanbead.services.limit_runs import LoggedJob
from meanbead.store.tables import Machine

__all__ = ["KINDS"]

_LATEST = 60
"""So many of the last runs are asked for limits: an afternoon's difference is in them."""


def make_again(tools: Toolbox, arguments: dict[str, Any]) -> dict[str, Any]:
    """Compute the ledgers of runs that were predicted with other limits than are described now. Arguments: ``machine_id``."""
    machine_id = arguments["machine_id"]
    jobs = _jobs(tools, machine_id)
    stale = [one for one in jobs if one.timed is None]
    _again(tools, machine_id, stale, 1.0)
    with tools.database.session.begin() as session:
        machine = store.rows.get(session, Machine, machine_id)
        limits = limits_of(Printer.model_validate(machine.printer))
        for row in services.calibrations.machine_runs(session, machine).stale:
            # Its part is gone or stands otherwise: it is not asked for again.
            store.timed_runs.remember_again(session, row.id, {"limits": limits, "by_cause": None})
        store.timed_runs.tell_pages(session)
    return {"made": len(stale)}


def _jobs(tools: Toolbox, machine_id: int) -> list[LoggedJob]:
    with tools.database.session.begin() as session:
        machine = store.rows.get(session, Machine, machine_id)
        runs = services.calibrations.machine_runs(session, machine)
        return services.limit_runs.logged_jobs(session, machine, runs)


def _again(tools: Toolbox, machine_id: int, stale: Sequence[LoggedJob], share: float) -> None:
    """Ledgers of runs as their machine is described now, kept with them; equal jobs are computed once."""
    with tools.database.session.begin() as session:
        machine = store.rows.get(session, Machine, machine_id)
        limits = limits_of(Printer.model_validate(machine.printer))
    known: dict[object, Estimate | None] = {}
    for number, one in enumerate(stale):
        job = one.job
        key = (job.solid.digest, job.recipe, job.printer, job.nozzle, job.material, job.standards)
        tools.progress(
            share * number / max(len(stale), 1), f"run {number + 1} of {len(stale)} with the limits as described"
        )
        if key not in known:
            try:
                known[key] = tools.engine.sampled(job, None).estimate
            except RecipeError:
                known[key] = None
        made = known[key]
        if made is None:
            continue
        with tools.database.session.begin() as session:
            causes = made.by_cause.model_dump()
            again = {
                "limits": limits,
                "print_time_s": made.print_time_s,
                "by_cause": causes,
                "filament_g": made.filament_g,
            }
            store.timed_runs.remember_again(session, one.run_id, again)


def find_limits(tools: Toolbox, arguments: dict[str, Any]) -> dict[str, Any]:
    """Which limits of a machine explain its runs best. Arguments: ``machine_id``, ``version`` of the machine, and the state
    of its log."""
    machine_id = arguments["machine_id"]
    jobs = _jobs(tools, machine_id)[-_LATEST:]
    stale = [one for one in jobs if one.timed is None]
    if stale:
        _again(tools, machine_id, stale, 0.4)
        jobs = _jobs(tools, machine_id)[-_LATEST:]
    runs = [LimitRun(one.job, one.timed) for one in jobs if one.timed is not None]
    begun = 0.4 if stale else 0.0
    found = infer_limits(tools.engine, runs, lambda share, doing: tools.progress(begun + (1 - begun) * share, doing))
    if found is None:
        raise MeanBeadError(
            f"It takes at least {LEAST_RUNS} timed runs of parts that are still here; there are {len(runs)}.",
            remedy="Log a few more, with the time from the panel.",
        )
    return found.model_dump(mode="json")


def find_test_prints(tools: Toolbox, arguments: dict[str, Any]) -> dict[str, Any]:
    """The two short prints that would tell a machine's acceleration best. Arguments: ``machine_id`` and ``recipe_id``, the
    column whose nozzle and plastic they take."""
    with tools.database.session.begin() as session:
        job = services.estimates.job_of(session, store.recipes.get_recipe(session, arguments["recipe_id"]))
    runs = [one.job for one in _jobs(tools, arguments["machine_id"])[-_LATEST:]]
    return two_prints(tools.engine, job, runs, progress=tools.progress).model_dump(mode="json")


def compare_two(tools: Toolbox, arguments: dict[str, Any]) -> dict[str, Any]:
    """One column on its own and on another machine. Arguments: ``recipe_id``, and ``here`` and ``there``, machines as plain
    values."""
    with tools.database.session.begin() as session:
        job = services.estimates.job_of(session, store.recipes.get_recipe(session, arguments["recipe_id"]))
    here, there = (Printer.model_validate(arguments[name]) for name in ("here", "there"))
    return compare_machines(tools.engine, replace(job, printer=here), there, tools.progress).model_dump(mode="json")


KINDS: dict[str, Work] = {
    "again": make_again,
    "limits": find_limits,
    "test_prints": find_test_prints,
    "machines": compare_two,
}
"""This room's kinds of work, by name."""
