"""What no plan can beat: bounds that hold whatever is tried, in closed form."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from meanbead.core.schedule.day.problem import Problem
from meanbead.core.schedule.day.search import Arrays

__all__ = ["Bound", "bound_of"]


@dataclass(frozen=True)
class Bound:
    """At least so many runs late, at most so many placed, a cost below which no plan's can lie, and what ends alone weigh at least
    where all runs are placed."""

    late: int
    placed: int
    cost: float
    ends: float


def bound_of(problem: Problem, arrays: Arrays) -> Bound:
    """Bounds from two relaxations, of which the better counts.

    Alone: each run has all machines for itself, as early as hours and changes allow; one that is late then is late in every
    plan. Together: machines that never rest nor change and take the shortest first, which for equal machines gives the
    least sum of ends (Conway, Maxwell and Miller, *Theory of Scheduling*, 1967); here with their free moments, which only
    makes the sum smaller than it can be, weighed with the least priority; and, with priorities, the bound of Eastman, Even and
    Isaacs (Management Science 11, 1964): ``C(1) / m + (m - 1) / (2 m) sum w p``, ``C(1)`` being the best sum of one machine.
    """
    p = problem
    n, m = p.runs, p.machines
    if n == 0:
        return Bound(0, 0, 0.0, 0.0)
    alone = np.full(n, np.inf)
    surely_late = np.zeros(n, np.bool_)
    for run in range(n):
        least_over = np.inf
        for machine in range(m):
            for way in range(int(p.ways[run])):
                begin = _alone(arrays, run, way, machine)
                if begin is None:
                    continue
                alone[run] = min(alone[run], begin + p.dur[run, way])
                least_over = min(least_over, begin + p.high[run, way] - p.due[run])
        surely_late[run] = np.isfinite(least_over) and least_over > 1e-6
    can = np.isfinite(alone)
    shortest = np.array([p.dur[run, : p.ways[run]].min() for run in range(n)])[can]
    placed = _most_that_fit(np.sort(shortest), p)
    w = p.weights
    absent = w[2] * p.weight * p.pieces + np.where(p.due < 1e11, w[0] * p.weight, 0.0)
    cost = float(absent[~can].sum())
    left_out = max(0, int(can.sum()) - placed)
    cost += float(np.sort(absent[can])[:left_out].sum())
    late_cost = np.where(surely_late & can, np.minimum(w[0] * p.weight, absent), 0.0)
    if left_out == 0:
        cost += float(late_cost.sum())
    each = np.where(can, np.minimum(w[3] * p.weight * np.where(can, alone, 0.0) / 60, absent), 0.0)
    least_ends = float(np.sort(each[can])[: len(each[can]) - left_out].sum()) if can.any() else 0.0
    together = _shortest_first(np.sort(shortest), p.free) * p.weight[can].min(initial=1e9) * w[3] / 60
    together = max(together, _weighted(shortest, p.weight[can], p.free) * w[3] / 60)
    # Where to leave a run out costs more than its latest end could save, every plan that is worth anything holds them all.
    if left_out == 0 and w[2] >= w[3] * p.horizon / 60:
        least_ends = max(least_ends, together)
    return Bound(int((surely_late & can).sum()), placed, cost + least_ends, least_ends)


def _alone(a: Arrays, run: int, way: int, machine: int) -> float | None:
    """The least start of a run if it had the machine for itself; without changes, which another run might have made."""
    if not a.may[run, way, machine]:
        return None
    if a.pin_machine[run] >= 0:
        return float(a.pin_start[run]) if a.pin_machine[run] == machine and a.pin_way[run] == way else None
    earliest = max(float(a.free[machine]), float(a.release[run]))
    for low, high in zip(a.opens, a.closes, strict=True):
        begin = max(earliest, float(low))
        if begin <= high:
            return begin if begin + a.dur[run, way] <= a.horizon + 1e-6 else None
    return None


def _most_that_fit(shortest: NDArray[np.float64], p: Problem) -> int:
    """How many of the shortest runs fit into all the time that all machines have."""
    room = float(np.maximum(0.0, p.horizon - p.free).sum())
    fit = int(np.searchsorted(np.cumsum(shortest), room + 1e-6, side="right"))
    return min(len(shortest), fit + int((p.pin_machine >= 0).sum()))


def _shortest_first(shortest: NDArray[np.float64], free: NDArray[np.float64]) -> float:
    """A sum of ends, s, that no plan can beat."""
    ends = free.astype(float).copy()
    found = 0.0
    for length in shortest:
        place = int(np.argmin(ends))
        ends[place] += length
        found += float(ends[place])
    return found


def _weighted(shortest: NDArray[np.float64], weights: NDArray[np.float64], free: NDArray[np.float64]) -> float:
    """A sum of weighted ends, s, that no plan can beat: equal machines, all free when the first one is."""
    if not len(shortest) or not len(free):
        return 0.0
    order = np.argsort(shortest / weights, kind="stable")
    one = float((np.cumsum(shortest[order]) * weights[order]).sum())
    m = len(free)
    each = float((weights * shortest).sum())
    return one / m + (m - 1) / (2 * m) * each + float(free.min()) * float(weights.sum())
