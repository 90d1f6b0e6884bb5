"""A plan as people read it: runs with their moments and changes, what found no place and why, what is late, what it comes to."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from meanbead.core.model.day import Change, DayPlan, Drying, LateRun, PlannedRun, PlanScore, Unplaced
from meanbead.core.schedule.day.bound import Bound
from meanbead.core.schedule.day.problem import FAR_S, Problem, fits
from meanbead.core.schedule.day.search import Arrays, Sequences, lay_out

__all__ = ["alone_s", "reported", "why_unplaced"]

_KINDS: tuple[Literal["plate", "nozzle", "spool"], ...] = ("plate", "nozzle", "spool")


def reported(problem: Problem, arrays: Arrays, plan: Sequences, gap: float, proven: bool, least: Bound) -> DayPlan:
    """A plan in words and moments."""
    runs: list[PlannedRun] = []
    late: list[LateRun] = []
    there = np.zeros(problem.runs, np.bool_)
    cap = max(1, problem.runs)
    start, swaps = np.zeros(cap), np.zeros((cap, 3), np.bool_)
    for machine in range(problem.machines):
        count = int(plan.length[machine])
        seq, way = plan.seq[machine], plan.way[machine]
        lay_out(arrays, machine, seq, way, count, start, swaps)
        nozzle, plastic = (problem.day.machines[machine].nozzle_mm, problem.day.machines[machine].material)
        for k in range(count):
            run = int(seq[k])
            there[run] = True
            one = _run(problem, machine, run, int(way[k]), float(start[k]), swaps[k], (nozzle, plastic))
            nozzle, plastic = one.nozzle_mm, one.material
            runs.append(one)
            over = float(start[k] + problem.high[run, way[k]] - problem.due[run])
            if over > 1e-6:
                late.append(
                    LateRun(
                        job=one.job,
                        copy_number=one.copy_number,
                        due=problem.day.moment(float(problem.due[run])),
                        end=one.end,
                        high_end=one.high_end,
                        by_s=over,
                        surely=bool(start[k] + problem.dur[run, way[k]] > problem.due[run] + 1e-6),
                    )
                )
    runs.sort(key=lambda one: (one.start, one.machine))
    unplaced = [
        Unplaced(job=problem.jobs[run].id, copy_number=problem.copies[run], why=why_unplaced(problem, run))
        for run in map(int, np.flatnonzero(~there))
    ]
    return DayPlan(
        runs=runs,
        unplaced=unplaced,
        late=late,
        gap=gap,
        bound_says=_bound_says(problem, runs, len(late), proven, least),
        proven=proven,
        score=_score(problem, runs, len(late)),
        drying=[
            Drying(
                material=one.material,
                start=problem.day.moment(one.start_s),
                end=problem.day.moment(one.end_s),
                temp_c=one.temp_c,
            )
            for one in problem.dried
        ],
    )


def _run(
    problem: Problem,
    machine: int,
    run: int,
    way: int,
    start: float,
    swaps: NDArray[np.bool_],
    was: tuple[float, str],
) -> PlannedRun:
    day, job = problem.day, problem.jobs[run]
    nozzle = was[0] if problem.nozzle[run, way] < 0 else problem.nozzles[int(problem.nozzle[run, way])]
    plastic = was[1] if problem.material[run] < 0 else problem.materials[int(problem.material[run])]
    kinds = [kind for place, kind in enumerate(_KINDS) if swaps[place]]
    says = {
        "plate": "clear the plate",
        "nozzle": f"{was[0]:g} to {nozzle:g} mm",
        "spool": f"{was[1] or 'no spool'} to {plastic}" if was[1] != plastic else f"a fresh spool of {plastic}",
    }
    length = {kind: float(problem.swap[place]) for place, kind in enumerate(_KINDS)}
    at = start - sum(length[kind] for kind in kinds)
    changes = []
    for kind in kinds:
        changes.append(Change(kind=kind, start=day.moment(at), end=day.moment(at + length[kind]), says=says[kind]))
        at += length[kind]
    end = start + float(problem.dur[run, way])
    return PlannedRun(
        job=job.id,
        copy_number=problem.copies[run],
        machine=day.machines[machine].id,
        start=day.moment(start),
        end=day.moment(end),
        low_end=day.moment(start + float(problem.low[run, way])),
        high_end=day.moment(start + float(problem.high[run, way])),
        swaps=kinds,
        changes=changes,
        choice=way,
        choice_name=job.ways[way].name,
        pieces=job.pieces,
        grams=float(problem.grams[run, way]),
        nozzle_mm=nozzle,
        material=plastic,
        pinned=bool(problem.pin_machine[run] >= 0),
        alone_s=alone_s(problem, start, end),
    )


def alone_s(problem: Problem, start: float, end: float) -> float:
    """Seconds of a span in which nobody is there."""
    there = np.minimum(problem.closes, end) - np.maximum(problem.opens, start)
    return float(end - start - np.maximum(there, 0.0).sum())


def why_unplaced(problem: Problem, run: int) -> str:
    """Why a run found no place: nothing fits it, nobody is there in time, or others went first."""
    job, day = problem.jobs[run], problem.day
    if not day.machines:
        return "There is no machine."
    if not problem.may[run].any():
        reasons = list(
            dict.fromkeys(why for machine in day.machines for way in job.ways if (why := fits(machine, job, way)))
        )
        if not reasons:
            return f"It takes more than a full spool holds ({day.spool_full_g:g} g)."
        more = f", and {len(reasons) - 3} more" if len(reasons) > 3 else ""
        return f"No machine can print it: {'; '.join(reasons[:3])}{more}."
    if not len(problem.opens):
        return "Nobody is there to start it."
    if problem.release[run] >= FAR_S:
        return f"{job.material} cannot be dried in time."
    shortest = float(problem.dur[run, : problem.ways[run]].min())
    if shortest > problem.horizon:
        return f"It takes {shortest / 3600:.1f} h, and the plan is for {day.horizon_h:g} h."
    if not any(
        max(problem.free[machine], problem.release[run], low) <= high
        and max(problem.free[machine], problem.release[run], low) + shortest <= problem.horizon
        for low, high in zip(problem.opens, problem.closes, strict=True)
        for machine in np.flatnonzero(problem.may[run].any(axis=0))
    ):
        return f"Started as soon as somebody is there, it would end after the {day.horizon_h:g} h of the plan."
    return f"There is no room left within {day.horizon_h:g} h: what is due sooner or goes first takes it."


def _bound_says(problem: Problem, runs: list[PlannedRun], late: int, proven: bool, least: Bound) -> str:
    """How much better a plan could be: late ones and missing ones by number, ends by their mean."""
    if not problem.runs:
        return "There is nothing to plan."
    if proven:
        return "There is no better plan by the house's order."
    said = []
    missing = problem.runs - len(runs)
    for count, bound, what in ((late, least.late, "late"), (missing, problem.runs - least.placed, "without a place")):
        if count:
            fewer = f"no plan has fewer than {bound}" if bound else "whether fewer is possible is not known"
            said.append(f"{count} {what} in every plan." if bound >= count else f"{count} {what}; {fewer}.")
    if not missing:
        weight = {job.id: float(w) for job, w in zip(problem.jobs, problem.weight, strict=True)}
        ends = sum(weight[run.job] * problem.day.at(run.end) for run in runs) * float(problem.weights[3]) / 60
        share = max(0.0, 1 - least.ends / ends) if ends > 0 else 0.0
        said.append(f"No plan's runs end more than {max(1, math.ceil(100 * share))} % sooner, all in all.")
    return " ".join(said)


def _score(problem: Problem, runs: list[PlannedRun], late: int) -> PlanScore:
    day = problem.day
    ends = [day.at(run.end) for run in runs]
    last = max(ends, default=0.0)
    pieces = sum(run.pieces for run in runs)
    minutes = {"plate": day.swap_min.plate, "nozzle": day.swap_min.nozzle, "spool": day.swap_min.spool}
    power = {machine.id: machine.power_w for machine in day.machines}
    return PlanScore(
        runs=len(runs),
        pieces=pieces,
        pieces_per_day=pieces / (last / 86400) if last > 0 else 0.0,
        late=late,
        nozzle_swaps=sum("nozzle" in run.swaps for run in runs),
        spool_swaps=sum("spool" in run.swaps for run in runs),
        swap_min=sum(minutes[kind] for run in runs for kind in run.swaps),
        mean_end_h=sum(ends) / len(ends) / 3600 if ends else 0.0,
        last_end_h=last / 3600,
        alone_h=sum(run.alone_s for run in runs if (run.end - run.start).total_seconds() > problem.long_s) / 3600,
        energy_cost=sum(_energy(problem, run, power[run.machine]) for run in runs),
    )


def _energy(problem: Problem, run: PlannedRun, power_w: float) -> float:
    start, end = problem.day.at(run.start), problem.day.at(run.end)
    told = 0.0
    cost = 0.0
    for low, high, price in problem.prices:
        inside = max(0.0, min(end, high) - max(start, low))
        told += inside
        cost += price * inside
    return float((cost + (end - start - told) * problem.day.price_per_kwh) * power_w / 3.6e6)
