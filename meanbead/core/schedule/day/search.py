"""Plans as sequences of runs on machines: what one costs, simple rules that make one, and a search that betters it. Compiled.

A sequence is laid out as early as it goes: for every measure that does not get better by waiting, no other timetable of the
same sequence is better (semi-active schedules; Baker and Trietsch, *Principles of Sequencing and Scheduling*, 2009). Where
energy or hours alone count, waiting might pay: that is not looked for.

The search is simulated annealing (Kirkpatrick et al., Science 220, 1983) over moving a run, exchanging two, exchanging the ends
of two machines' sequences, printing a run another way, and giving a run's place to one that has none. Seeded.
"""

from __future__ import annotations

from typing import NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

from meanbead.core.schedule.day.problem import Problem

__all__ = ["MOVED_MACHINE", "Arrays", "Sequences", "anneal", "arrays_of", "by_rule", "lay_out", "run_cost"]

MOVED_MACHINE, _MOVED_TIME, _MOVED_S = 300.0, 60.0, 1800.0
"""What it weighs, in minutes of one run's end, that a run leaves the machine, or by over half an hour the time, of the plan
before."""

_USUAL_FAIL = 0.01


class Arrays(NamedTuple):
    """A problem as the compiled functions take it; see :class:`Problem`."""

    dur: NDArray[np.float64]
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


class Sequences(NamedTuple):
    """A plan: ``seq`` and ``way`` int64 (machines, runs), of which the first ``length`` (machines,) count."""

    seq: NDArray[np.int64]
    way: NDArray[np.int64]
    length: NDArray[np.int64]

    def copy(self) -> Sequences:
        """The same in memory of its own."""
        return Sequences(self.seq.copy(), self.way.copy(), self.length.copy())


def arrays_of(problem: Problem) -> Arrays:
    """A problem as the compiled functions take it."""
    return Arrays(*(getattr(problem, name) for name in Arrays._fields))


@numba.njit(cache=True, nogil=True)
def _earliest(a, at, need):  # type: ignore[no-untyped-def]
    """The earliest start from ``at`` on whose changes before it, ``need`` s, lie in one attended span with it; -1 where none."""
    low = np.searchsorted(a.closes, at)
    for w in range(low, len(a.opens)):
        start = max(at, a.opens[w] + need)
        if start <= a.closes[w]:
            return start
    return -1.0


@numba.njit(cache=True, nogil=True)
def _attended(a, low, high):  # type: ignore[no-untyped-def]
    """Whether a span lies in attended hours."""
    inside = False
    for w in range(len(a.opens)):
        inside = inside or (a.opens[w] <= low + 1e-6 and high <= a.closes[w] + 1e-6)
    return inside


@numba.njit(cache=True, nogil=True)
def _alone_s(a, low, high):  # type: ignore[no-untyped-def]
    alone = high - low
    for w in range(len(a.opens)):
        if a.opens[w] >= high:
            break
        alone -= max(0.0, min(high, a.closes[w]) - max(low, a.opens[w]))
    return alone


@numba.njit(cache=True, nogil=True)
def run_cost(a, run, way, machine, start, swap_s):  # type: ignore[no-untyped-def]
    """What a run in its place weighs, and whether it is late."""
    dur = a.dur[run, way]
    weight = a.weight[run]
    cost = a.weights[3] * weight * (start + dur) / 60 + a.weights[4] * swap_s / 60
    over = start + a.high[run, way] - a.due[run]
    late = over > 1e-6
    if late:
        cost += weight * (a.weights[0] + a.weights[1] * over / 60)
    if dur > a.long_s:
        cost += a.weights[5] * _alone_s(a, start, start + dur) / 60 * a.fail[run] / _USUAL_FAIL
    for p in range(len(a.prices)):
        inside = min(start + dur, a.prices[p, 1]) - max(start, a.prices[p, 0])
        if inside > 0:
            cost += a.weights[6] * a.prices[p, 2] * a.power[machine] / 1000 * inside / 3600
    if a.was_machine[run] >= 0:
        if a.was_machine[run] != machine:
            cost += MOVED_MACHINE
        elif abs(start - a.was_start[run]) > _MOVED_S:
            cost += _MOVED_TIME
    return cost, late


@numba.njit(cache=True, nogil=True)
def lay_out(a, machine, seq, way, count, start, swaps):  # type: ignore[no-untyped-def]
    """Lay a machine's sequence out as early as it goes: ``start`` (n,) and ``swaps`` bool (n, 3) are filled; gives what it weighs
    (infinite where it breaks a rule), and how many runs are late."""
    now = a.free[machine]
    nozzle, material = a.has_nozzle[machine], a.has_material[machine]
    left, watched = a.left[machine], np.isfinite(a.left[machine])
    clear = a.clear[machine]
    cost, late = 0.0, 0
    for k in range(count):
        run, how = seq[k], way[k]
        if not a.may[run, how, machine]:
            return np.inf, 0
        need, swap_s = 0.0, 0.0
        swaps[k, 0] = not clear
        if not clear:
            need += a.swap[0]
        wanted = a.nozzle[run, how]
        swaps[k, 1] = wanted >= 0 and wanted != nozzle
        if swaps[k, 1]:
            swap_s += a.swap[1]
            nozzle = wanted
        plastic = a.material[run]
        swaps[k, 2] = (plastic >= 0 and plastic != material) or left < a.grams[run, how] - 1e-9
        if swaps[k, 2]:
            swap_s += a.swap[2]
            if plastic >= 0:
                material = plastic
            if watched:
                left = a.full_g
        left -= a.grams[run, how]
        need += swap_s
        earliest = max(now + need, a.release[run])
        if a.pin_machine[run] >= 0:
            at = a.pin_start[run]
            if a.pin_machine[run] != machine or a.pin_way[run] != how or at < earliest - 1e-6:
                return np.inf, 0
            if not _attended(a, at - need, at):
                return np.inf, 0
        else:
            at = _earliest(a, earliest, need)
            if at < 0 or at + a.dur[run, how] > a.horizon + 1e-6:
                return np.inf, 0
        start[k] = at
        clear = False
        now = at + a.dur[run, how]
        one, is_late = run_cost(a, run, how, machine, at, swap_s)
        cost += one
        if is_late:
            late += 1
    return cost, late


@numba.njit(cache=True, nogil=True)
def by_rule(a, order, by_end):  # type: ignore[no-untyped-def]
    """Give runs a place in an order: each on the machine, and in the way, where it ends first (or starts first); pinned ones stand
    before."""
    m, n = len(a.free), len(order)
    cap = max(1, n)
    seq, way = np.zeros((m, cap), np.int64), np.zeros((m, cap), np.int64)
    length = np.zeros(m, np.int64)
    pins = np.zeros(m, np.int64)
    pinned = np.flatnonzero(a.pin_machine >= 0)
    for run in pinned[np.argsort(a.pin_start[pinned], kind="mergesort")]:
        machine = a.pin_machine[run]
        seq[machine, length[machine]] = run
        way[machine, length[machine]] = a.pin_way[run]
        length[machine] += 1
        pins[machine] += 1
    start, swaps = np.zeros(cap), np.zeros((cap, 3), np.bool_)
    try_seq, try_way = np.zeros(cap, np.int64), np.zeros(cap, np.int64)
    for run in order:
        if a.pin_machine[run] >= 0:
            continue
        best, pick, pick_way, pick_at = np.inf, -1, 0, 0
        for machine in range(m):
            for how in range(a.ways[run]):
                if not a.may[run, how, machine]:
                    continue
                first = 0 if pins[machine] > 0 else length[machine]
                for at in range(first, length[machine] + 1):
                    for k in range(length[machine]):
                        shift = 1 if k >= at else 0
                        try_seq[k + shift], try_way[k + shift] = seq[machine, k], way[machine, k]
                    try_seq[at], try_way[at] = run, how
                    cost, _ = lay_out(a, machine, try_seq, try_way, length[machine] + 1, start, swaps)
                    if not np.isfinite(cost):
                        continue
                    when = start[at] + (a.dur[run, how] if by_end else 0.0)
                    if when < best - 1e-9:
                        best, pick, pick_way, pick_at = when, machine, how, at
        if pick < 0:
            continue
        for k in range(length[pick], pick_at, -1):
            seq[pick, k], way[pick, k] = seq[pick, k - 1], way[pick, k - 1]
        seq[pick, pick_at], way[pick, pick_at] = run, pick_way
        length[pick] += 1
    return seq, way, length


@numba.njit(cache=True, nogil=True)
def _without(a, run):  # type: ignore[no-untyped-def]
    """What a run without a place weighs."""
    cost = a.weights[2] * a.weight[run] * a.pieces[run]
    if a.due[run] < 1e11:
        cost += a.weights[0] * a.weight[run]
    return cost


@numba.njit(cache=True, nogil=True)
def anneal(a, seq, way, length, rounds, hot, cold, rng, most_late, least_placed):  # type: ignore[no-untyped-def]
    """Better a plan by so many tries, from temperature ``hot`` to ``cold`` (minutes of one run's end). Gives the best met that has
    at most ``most_late`` late runs and at least ``least_placed`` runs, and what it weighs (infinite where none was met)."""
    m, n = seq.shape[0], len(a.due)
    cap = seq.shape[1]
    seq, way, length = seq.copy(), way.copy(), length.copy()
    best_seq, best_way, best_length = seq.copy(), way.copy(), length.copy()
    start, swaps = np.zeros(cap + 1), np.zeros((cap + 1, 3), np.bool_)
    costs, lates = np.zeros(m), np.zeros(m, np.int64)
    placed = np.zeros(n, np.bool_)
    for machine in range(m):
        costs[machine], lates[machine] = lay_out(a, machine, seq[machine], way[machine], length[machine], start, swaps)
        for k in range(length[machine]):
            placed[seq[machine, k]] = True
    bank = np.zeros(n, np.int64)
    banked, cost = 0, costs.sum()
    for run in range(n):
        if not placed[run]:
            bank[banked] = run
            banked += 1
            cost += _without(a, run)
    late = lates.sum()
    best = cost if late <= most_late and n - banked >= least_placed else np.inf
    one_seq, one_way = np.zeros(cap + 1, np.int64), np.zeros(cap + 1, np.int64)
    two_seq, two_way = np.zeros(cap + 1, np.int64), np.zeros(cap + 1, np.int64)
    for step in range(rounds):
        heat = hot * (cold / hot) ** (step / rounds)
        kind = rng.random()
        one = rng.integers(0, m)
        two = rng.integers(0, m)
        n1, n2 = length[one], length[two]
        bank_at, bank_gain = -1, 0.0
        gives = -1
        if kind < 0.40:  # move a run, or give one without a place one
            if banked > 0 and rng.random() < 0.5:
                bank_at = rng.integers(0, banked)
                run = bank[bank_at]
                bank_gain = _without(a, run)
                how = rng.integers(0, a.ways[run])
                at = rng.integers(0, n2 + 1)
                for k in range(n2):
                    shift = 1 if k >= at else 0
                    two_seq[k + shift], two_way[k + shift] = seq[two, k], way[two, k]
                two_seq[at], two_way[at] = run, how
                n2 += 1
                one = two
            else:
                if n1 == 0:
                    continue
                at = rng.integers(0, n1)
                run, how = seq[one, at], way[one, at]
                if a.ways[run] > 1 and rng.random() < 0.3:
                    how = rng.integers(0, a.ways[run])
                k1 = 0
                for k in range(n1):
                    if k != at:
                        one_seq[k1], one_way[k1] = seq[one, k], way[one, k]
                        k1 += 1
                n1 = k1
                if one == two:
                    to = rng.integers(0, n1 + 1)
                    for k in range(n1):
                        shift = 1 if k >= to else 0
                        two_seq[k + shift], two_way[k + shift] = one_seq[k], one_way[k]
                    n2 = n1 + 1
                else:
                    to = rng.integers(0, n2 + 1)
                    for k in range(n2):
                        shift = 1 if k >= to else 0
                        two_seq[k + shift], two_way[k + shift] = seq[two, k], way[two, k]
                    n2 += 1
                two_seq[to], two_way[to] = run, how
        elif kind < 0.70:  # exchange two runs
            if n1 == 0 or n2 == 0:
                continue
            at, to = rng.integers(0, n1), rng.integers(0, n2)
            for k in range(n1):
                one_seq[k], one_way[k] = seq[one, k], way[one, k]
            if one == two:
                if at == to:
                    continue
                for k in range(n2):
                    two_seq[k], two_way[k] = seq[two, k], way[two, k]
                two_seq[at], two_seq[to] = two_seq[to], two_seq[at]
                two_way[at], two_way[to] = two_way[to], two_way[at]
            else:
                for k in range(n2):
                    two_seq[k], two_way[k] = seq[two, k], way[two, k]
                one_seq[at], two_seq[to] = two_seq[to], one_seq[at]
                one_way[at], two_way[to] = two_way[to], one_way[at]
        elif kind < 0.82:  # exchange the ends of two machines' sequences
            if one == two:
                continue
            at, to = rng.integers(0, n1 + 1), rng.integers(0, n2 + 1)
            k1 = 0
            for k in range(at):
                one_seq[k1], one_way[k1] = seq[one, k], way[one, k]
                k1 += 1
            for k in range(to, n2):
                one_seq[k1], one_way[k1] = seq[two, k], way[two, k]
                k1 += 1
            k2 = 0
            for k in range(to):
                two_seq[k2], two_way[k2] = seq[two, k], way[two, k]
                k2 += 1
            for k in range(at, n1):
                two_seq[k2], two_way[k2] = seq[one, k], way[one, k]
                k2 += 1
            n1, n2 = k1, k2
        elif kind < 0.90:  # print it another way
            if n2 == 0:
                continue
            at = rng.integers(0, n2)
            if a.ways[seq[two, at]] < 2:
                continue
            for k in range(n2):
                two_seq[k], two_way[k] = seq[two, k], way[two, k]
            two_way[at] = rng.integers(0, a.ways[seq[two, at]])
            one = two
        else:  # one without a place takes another's
            if banked == 0 or n2 == 0:
                continue
            at = rng.integers(0, n2)
            gives = seq[two, at]
            if a.pin_machine[gives] >= 0:
                continue
            bank_at = rng.integers(0, banked)
            run = bank[bank_at]
            bank_gain = _without(a, run) - _without(a, gives)
            for k in range(n2):
                two_seq[k], two_way[k] = seq[two, k], way[two, k]
            two_seq[at], two_way[at] = run, rng.integers(0, a.ways[run])
            one = two
        if n2 > cap or n1 > cap:
            continue
        cost2, late2 = lay_out(a, two, two_seq, two_way, n2, start, swaps)
        if not np.isfinite(cost2):
            continue
        cost1, late1 = 0.0, 0
        was, was_late = costs[two], lates[two]
        if one != two:
            cost1, late1 = lay_out(a, one, one_seq, one_way, n1, start, swaps)
            if not np.isfinite(cost1):
                continue
            was += costs[one]
            was_late += lates[one]
        change = cost1 + cost2 - was - bank_gain
        if change > 0 and rng.random() >= np.exp(-change / heat):
            continue
        cost += change
        late += late1 + late2 - was_late
        seq[two, :n2], way[two, :n2] = two_seq[:n2], two_way[:n2]
        length[two], costs[two], lates[two] = n2, cost2, late2
        if one != two:
            seq[one, :n1], way[one, :n1] = one_seq[:n1], one_way[:n1]
            length[one], costs[one], lates[one] = n1, cost1, late1
        if bank_at >= 0:
            if gives >= 0:
                bank[bank_at] = gives
            else:
                banked -= 1
                bank[bank_at] = bank[banked]
        if cost < best - 1e-6 and late <= most_late and n - banked >= least_placed:
            best = cost
            best_seq[:], best_way[:], best_length[:] = seq, way, length
    return best_seq, best_way, best_length, best
