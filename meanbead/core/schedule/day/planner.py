"""The day's plan: at once by simple rules, then better and better, with a bound that says how much better one could be."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from meanbead.core.errors import MeanBeadError
from meanbead.core.model.day import Day, DayPlan
from meanbead.core.schedule.day.bound import Bound, bound_of
from meanbead.core.schedule.day.problem import Problem, fits, make_problem
from meanbead.core.schedule.day.report import reported
from meanbead.core.schedule.day.search import Arrays, Sequences, anneal, arrays_of, by_rule, lay_out

__all__ = ["SECONDS", "Solved", "check_pins", "first_come", "longest_first", "plan_day", "plans", "solve", "told"]

SECONDS = 10.0
"""How long a plan is bettered, unless it is proven best before."""

_ROUNDS = 60_000
"""Tries a leg of the search; then the plan so far is told."""

_HOT, _COLD = 600.0, 1.0
_SMALL_RUNS = 12
"""Days up to so many runs are put to the solver whole: larger ones it does not prove in seconds."""

_PROOF_S = 4.0
_GROUP_RUNS, _GROUP_S = 9, 0.5
_STALE_LEGS = 12
"""After so many legs without anything better, it is as good as it gets here."""


@dataclass(frozen=True)
class Solved:
    """A plan as sequences, with its problem, what it weighs, and the bound."""

    problem: Problem
    arrays: Arrays
    plan: Sequences
    cost: float
    bound: float
    proven: bool
    least: Bound

    @property
    def gap(self) -> float:
        """By how large a share of its cost the best plan might still be better."""
        if self.proven or self.cost <= 0:
            return 0.0
        return float(np.clip((self.cost - self.bound) / self.cost, 0.0, 1.0))


def plan_day(day: Day, seconds: float = SECONDS) -> DayPlan:
    """The best plan found for a day within about so many seconds. Raises :class:`MeanBeadError` where pinned runs contradict
    each other or the machines."""
    return told(solve(day, seconds))


def told(solved: Solved) -> DayPlan:
    """A plan as people read it."""
    return reported(solved.problem, solved.arrays, solved.plan, solved.gap, solved.proven, solved.least)


def first_come(day: Day) -> DayPlan:
    """First come, first served: jobs in their order, each where it ends first. What a plan is never worse than, in runs
    placed and runs late."""
    problem = make_problem(day)
    return told(_by(problem, arrays_of(problem), np.arange(problem.runs)))


def longest_first(day: Day) -> DayPlan:
    """The longest first, each where it ends first (Graham 1969)."""
    problem = make_problem(day)
    return told(_by(problem, arrays_of(problem), np.argsort(-problem.dur[:, 0], kind="stable")))


def solve(day: Day, seconds: float = SECONDS) -> Solved:
    """The last of :func:`plans`."""
    *_, last = plans(day, seconds)
    return last


def check_pins(day: Day) -> None:
    """Raises :class:`MeanBeadError` where a pinned run cannot stand where it is pinned."""
    problem = make_problem(day)
    _pins_hold(problem, arrays_of(problem))


def plans(day: Day, seconds: float = SECONDS, stop: Callable[[], bool] | None = None) -> Iterator[Solved]:
    """Plans for a day, each better than the one before; the first at once. The last may be the same as the one before it, with a
    better bound."""
    began = time.monotonic()
    problem = make_problem(day)
    arrays = arrays_of(problem)
    _pins_hold(problem, arrays)
    least = bound_of(problem, arrays)
    orders = _orders(problem)
    usual = _by(problem, arrays, orders[0], least)
    guard = _late(usual), _placed(usual)
    candidates = [usual, *(_by(problem, arrays, order, least) for order in orders[1:])]
    candidates += [_by(problem, arrays, orders[0], least, by_end=False)]
    kept = _as_before(problem, arrays, least)
    if kept is not None:
        candidates.append(kept)
    best = min((one for one in candidates if _late(one) <= guard[0] and _placed(one) >= guard[1]), key=lambda s: s.cost)
    yield best
    if problem.runs == 0 or problem.machines == 0:
        return

    def over() -> bool:
        return time.monotonic() - began > seconds or (stop is not None and stop())

    stale = 0
    for leg in range(10_000):
        if over() or stale >= _STALE_LEGS:
            break
        before = best.cost
        best = _better(best, _annealed(best, leg, guard, _HOT if leg % 3 == 0 else _HOT / 30), guard)
        if leg % 4 == 3 and problem.runs > _SMALL_RUNS and not over():
            best = _some_machines(best, leg, guard, stop)
        stale = 0 if best.cost < before - 1e-6 else stale + 1
        if best.cost < before - 1e-6:
            yield best
    left = seconds - (time.monotonic() - began)
    if problem.runs <= _SMALL_RUNS and left > 0.1 and not best.proven:
        best = _whole(best, guard, min(_PROOF_S, left), stop)
    yield best


def _by(
    problem: Problem,
    arrays: Arrays,
    order: NDArray[np.int64],
    least: Bound | None = None,
    *,
    by_end: bool = True,
) -> Solved:
    least = least or bound_of(problem, arrays)
    plan = Sequences(*by_rule(arrays, np.ascontiguousarray(order, dtype=np.int64), by_end))
    return _solved(problem, arrays, plan, least)


def _solved(problem: Problem, arrays: Arrays, plan: Sequences, least: Bound) -> Solved:
    cost = _cost(problem, arrays, plan)
    return Solved(problem, arrays, plan, cost, least.cost, cost <= least.cost + 1e-6, least)


def _cost(problem: Problem, arrays: Arrays, plan: Sequences) -> float:
    """What a whole plan weighs; infinite where it breaks a rule."""
    cap = max(1, problem.runs)
    start, swaps = np.zeros(cap), np.zeros((cap, 3), np.bool_)
    cost = 0.0
    there = np.zeros(problem.runs, np.bool_)
    for machine in range(problem.machines):
        count = int(plan.length[machine])
        cost += lay_out(arrays, machine, plan.seq[machine], plan.way[machine], count, start, swaps)[0]
        there[plan.seq[machine, :count]] = True
    absent = problem.weights[2] * problem.weight * problem.pieces
    absent = absent + np.where(problem.due < 1e11, problem.weights[0] * problem.weight, 0.0)
    return float(cost + absent[~there].sum())


def _placed(solved: Solved) -> int:
    return int(solved.plan.length.sum())


def _late(solved: Solved) -> int:
    cap = max(1, solved.problem.runs)
    start, swaps = np.zeros(cap), np.zeros((cap, 3), np.bool_)
    plan, late = solved.plan, 0
    for machine in range(solved.problem.machines):
        count = int(plan.length[machine])
        late += lay_out(solved.arrays, machine, plan.seq[machine], plan.way[machine], count, start, swaps)[1]
    return late


def _orders(problem: Problem) -> list[NDArray[np.int64]]:
    """Orders in which simple rules take runs: as they come, longest, due, shortest first; by priority; alike ones together."""
    p = problem
    shortest = p.dur[:, 0] if p.runs else np.zeros(0)
    keys = [
        np.arange(p.runs),
        -shortest,
        p.due,
        shortest,
        p.due - p.dur[:, 0],
    ]
    found = [np.argsort(key, kind="stable") for key in keys]
    found.append(np.lexsort((shortest, p.due, -p.weight)))
    found.append(np.lexsort((shortest, p.material, p.nozzle[:, 0], -p.weight)))
    found.append(np.lexsort((shortest, p.material, p.nozzle[:, 0], p.due)))
    return found


def _as_before(problem: Problem, arrays: Arrays, least: Bound) -> Solved | None:
    """The plan that was there, what is new put where it fits; None where there was none."""
    known = np.flatnonzero(problem.was_machine >= 0)
    if not len(known):
        return None
    told_before = np.where(problem.was_machine >= 0, problem.was_start, np.inf)
    own = problem.may & (np.arange(problem.machines) == problem.was_machine[:, None, None])
    loose = problem.was_machine < 0
    own[loose] = problem.may[loose]
    plan = by_rule(arrays._replace(may=own), np.argsort(told_before, kind="stable"), True)
    return _solved(problem, arrays, Sequences(*plan), least)


def _better(best: Solved, found: Solved, guard: tuple[int, int]) -> Solved:
    if found.cost >= best.cost - 1e-6 or _late(found) > guard[0] or _placed(found) < guard[1]:
        return best
    return found


def _annealed(best: Solved, leg: int, guard: tuple[int, int], hot: float) -> Solved:
    plan = best.plan
    seq, way, length, cost = anneal(
        best.arrays,
        plan.seq,
        plan.way,
        plan.length,
        _ROUNDS,
        hot,
        _COLD,
        np.random.default_rng(leg),
        guard[0],
        guard[1],
    )
    if not np.isfinite(cost):
        return best
    found = _solved(best.problem, best.arrays, Sequences(seq, way, length), best.least)
    return Solved(found.problem, found.arrays, found.plan, found.cost, best.bound, found.proven, found.least)


def _whole(best: Solved, guard: tuple[int, int], seconds: float, stop: Callable[[], bool] | None) -> Solved:
    """A small day, put to the solver whole: better, or proven best, or with a better bound."""
    from meanbead.core.schedule.day.exact import rearrange  # its solver takes half a second to load

    problem, arrays = best.problem, best.arrays
    bank = _bank(best)
    found = rearrange(
        problem,
        arrays,
        best.plan,
        list(range(problem.machines)),
        bank,
        seconds,
        least_placed=guard[1],
        most_late=guard[0],
        stop=stop,
    )
    bound = max(best.bound, found.bound)
    plan, cost = best.plan, best.cost
    if found.plan is not None:
        new = _cost(problem, arrays, found.plan)
        again = Solved(problem, arrays, found.plan, new, bound, False, best.least)
        if new < cost - 1e-6 and _late(again) <= guard[0] and _placed(again) >= guard[1]:
            plan, cost = found.plan, new
    # Lengths are rounded up to seconds in the model, each of which weighs a sixtieth.
    loose = 0.05 * problem.runs * float(problem.weight.max(initial=1.0)) + 1e-4 * cost
    return Solved(problem, arrays, plan, cost, min(bound, cost), cost <= bound + loose, best.least)


def _some_machines(best: Solved, leg: int, guard: tuple[int, int], stop: Callable[[], bool] | None) -> Solved:
    """Have the solver rearrange the runs of a few machines of a large day."""
    from meanbead.core.schedule.day.exact import rearrange  # its solver takes half a second to load

    problem = best.problem
    rng = np.random.default_rng(leg)
    chosen: list[int] = []
    runs = 0
    for machine in rng.permutation(problem.machines):
        count = int(best.plan.length[machine])
        if count and runs + count <= _GROUP_RUNS:
            chosen.append(int(machine))
            runs += count
        if len(chosen) >= 3:
            break
    if len(chosen) < 2:
        return best
    bank = _bank(best)
    some = [int(run) for run in rng.permutation(bank)[:3]]
    found = rearrange(problem, best.arrays, best.plan, chosen, some, _GROUP_S, least_placed=runs, stop=stop)
    if found.plan is None:
        return best
    again = _solved(problem, best.arrays, found.plan, best.least)
    return _better(best, again, guard)


def _bank(solved: Solved) -> list[int]:
    there = np.zeros(solved.problem.runs, np.bool_)
    for machine in range(solved.problem.machines):
        there[solved.plan.seq[machine, : solved.plan.length[machine]]] = True
    return [int(run) for run in np.flatnonzero(~there)]


def _pins_hold(problem: Problem, arrays: Arrays) -> None:
    """Raises :class:`MeanBeadError` where a pinned run cannot stand where it is pinned."""
    day = problem.day
    by_id = {machine.id: machine for machine in day.machines}
    jobs = {job.id: job for job in day.jobs}
    for place, pin in enumerate(day.pinned):
        why = fits(by_id[pin.machine], jobs[pin.job], jobs[pin.job].ways[pin.choice])
        if why:
            raise MeanBeadError(f"{pin.job} is pinned to {pin.machine}, but {why}.", field=f"pinned[{place}]")
    plan = Sequences(*by_rule(arrays, np.zeros(0, np.int64), True)) if not problem.runs else None
    if plan is None:
        plan = Sequences(*by_rule(arrays, np.flatnonzero(problem.pin_machine >= 0), True))
    cap = max(1, problem.runs)
    start, swaps = np.zeros(cap), np.zeros((cap, 3), np.bool_)
    for machine in range(problem.machines):
        for count in range(1, int(plan.length[machine]) + 1):
            cost, _ = lay_out(arrays, machine, plan.seq[machine], plan.way[machine], count, start, swaps)
            if not np.isfinite(cost):
                job = problem.jobs[int(plan.seq[machine, count - 1])]
                raise MeanBeadError(
                    f"{job.id} cannot start on {day.machines[machine].id} at the moment where it is pinned: "
                    "the machine is not free by then, or nobody is there to start it and to change what has to be changed.",
                    field="pinned",
                    remedy="Move it to attended hours, after what is pinned before it.",
                )
