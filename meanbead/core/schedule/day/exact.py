"""Plans by constraint programming: the best one of a small day, with proof; the best rearrangement of a few machines of a large
one; and a bound below which no plan's cost can lie.

One circuit a machine (what follows what) with optional intervals, the state of nozzle, plastic and spool carried along its
arcs, and starts within attended spans; Google's CP-SAT. Whole seconds: lengths are rounded up.

What is left out of the model, hours alone, energy and how far runs move in time, costs nothing or something: so the bound holds
for the whole cost, and what is found is judged by :func:`~meanbead.core.schedule.day.search.lay_out`.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from ortools.sat.python import cp_model

from meanbead.core.schedule.day.problem import Problem
from meanbead.core.schedule.day.search import MOVED_MACHINE, Arrays, Sequences, lay_out

__all__ = ["Found", "rearrange"]

_SCALE = 600
"""Costs are counted in such parts of a minute of one run's end."""

_GRAM = 100
_WORKERS = 8
"""Ways to search, side by side: the solver proves small days several times sooner than with one, on two cores, too."""


@dataclass(frozen=True)
class Found:
    """What the solver found: a plan (None where nothing better), a bound on what its machines and runs weigh together, and
    whether that is proven."""

    plan: Sequences | None
    bound: float
    proven: bool


def rearrange(
    problem: Problem,
    arrays: Arrays,
    plan: Sequences,
    machines: list[int],
    bank: list[int],
    seconds: float,
    *,
    least_placed: int = 0,
    most_late: int = 10**9,
    stop: Callable[[], bool] | None = None,
) -> Found:
    """Rearrange the runs of some machines, and runs that have no place, as well as ``seconds`` allow; at least ``least_placed`` of them placed, at most ``most_late`` of the placed ones late."""
    return _Model(problem, arrays, plan, machines, bank, least_placed, most_late).solve(seconds, stop)


class _Model:
    def __init__(
        self,
        problem: Problem,
        arrays: Arrays,
        plan: Sequences,
        machines: list[int],
        bank: list[int],
        least_placed: int,
        most_late: int,
    ) -> None:
        self.problem, self.arrays, self.plan, self.machines = problem, arrays, plan, machines
        here = [int(run) for machine in machines for run in plan.seq[machine, : plan.length[machine]]]
        self.runs = sorted({*here, *bank})
        self.model = cp_model.CpModel()
        self.present: dict[tuple[int, int, int], cp_model.IntVar] = {}
        self.on: dict[tuple[int, int], cp_model.IntVar] = {}
        self.placed: dict[int, cp_model.IntVar] = {}
        self.start: dict[int, cp_model.IntVar] = {}
        self.end: dict[int, cp_model.IntVar] = {}
        self.prep: dict[int, cp_model.IntVar] = {}
        self.late: dict[int, cp_model.IntVar] = {}
        self.arcs: dict[tuple[int, int, int], cp_model.IntVar] = {}
        self.flags: dict[tuple[str, int], cp_model.IntVar] = {}
        self.cost: list[cp_model.LinearExprT] = []
        self.horizon = math.floor(problem.horizon)
        for run in self.runs:
            self._one_run(run)
        for machine in machines:
            self._one_machine(machine)
        self._copies_in_order()
        self.model.add(sum(self.placed.values()) >= least_placed)
        if most_late < len(self.runs):
            self.model.add(sum(self.late.values()) <= most_late)
        self.model.minimize(sum(self.cost))
        self._hint()

    def _ways(self, run: int) -> list[tuple[int, int]]:
        p = self.problem
        found = [
            (way, machine) for way in range(int(p.ways[run])) for machine in self.machines if p.may[run, way, machine]
        ]
        if p.pin_machine[run] >= 0:
            return [(int(p.pin_way[run]), int(p.pin_machine[run]))]
        return found

    def _one_run(self, run: int) -> None:
        p, model = self.problem, self.model
        ways = self._ways(run)
        pinned = p.pin_machine[run] >= 0
        latest = self.horizon if not pinned else max(self.horizon, math.ceil(p.pin_start[run] + p.dur[run].max()))
        start = self.start[run] = model.new_int_var(0, latest, f"start{run}")
        end = self.end[run] = model.new_int_var(0, latest, f"end{run}")
        for way, machine in ways:
            self.present[run, way, machine] = model.new_bool_var(f"p{run}_{way}_{machine}")
        for machine in {machine for _, machine in ways}:
            on = self.on[run, machine] = model.new_bool_var(f"on{run}_{machine}")
            model.add(sum(self.present[run, way, m] for way, m in ways if m == machine) == on)
        placed = self.placed[run] = model.new_bool_var(f"placed{run}")
        model.add(sum(self.present[run, way, machine] for way, machine in ways) == placed)
        if pinned:
            model.add(placed == 1)
            model.add(start == round(p.pin_start[run]))
        lasts = sum(math.ceil(p.dur[run, way]) * self.present[run, way, machine] for way, machine in ways)
        model.add(end == start + lasts)
        model.add(start == 0).only_enforce_if(placed.negated())
        if p.release[run] > 0 and p.release[run] > self.horizon:
            model.add(placed == 0)
        elif p.release[run] > 0:
            model.add(start >= math.ceil(p.release[run])).only_enforce_if(placed)
        self._what_is_on(run, ways)
        self._when_attended(run)
        self._what_it_weighs(run, ways)

    def _what_is_on(self, run: int, ways: list[tuple[int, int]]) -> None:
        """Nozzle, plastic and grams that are on its machine with it, and the changes before it."""
        p, model = self.problem, self.model
        for kind in ("plate", "nozzle", "spool"):
            self.flags[kind, run] = model.new_bool_var(f"{kind}{run}")
        nozzle = self.flags["has_nozzle", run] = model.new_int_var(0, max(0, len(p.nozzles) - 1), "")
        plastic = self.flags["has_plastic", run] = model.new_int_var(-1, max(0, len(p.materials) - 1), "")
        self.flags["left", run] = model.new_int_var(0, max(_grams(p.full_g), _most_left(p)), "")
        for way, machine in ways:
            if p.nozzle[run, way] >= 0:
                model.add(nozzle == int(p.nozzle[run, way])).only_enforce_if(self.present[run, way, machine])
        if p.material[run] >= 0:
            model.add(plastic == int(p.material[run]))
        prep = self.prep[run] = model.new_int_var(0, math.ceil(p.swap.sum()) + 3, "")
        changes = sum(
            math.ceil(p.swap[place]) * self.flags[kind, run] for place, kind in enumerate(("plate", "nozzle", "spool"))
        )
        model.add(prep == changes)

    def _when_attended(self, run: int) -> None:
        p, model = self.problem, self.model
        spans = []
        for low, high in zip(p.opens, p.closes, strict=True):
            if math.floor(high) < math.ceil(low):
                continue
            there = model.new_bool_var("")
            model.add(self.start[run] - self.prep[run] >= math.ceil(low)).only_enforce_if(there)
            model.add(self.start[run] <= math.floor(high)).only_enforce_if(there)
            spans.append(there)
        model.add(sum(spans) == self.placed[run])

    def _what_it_weighs(self, run: int, ways: list[tuple[int, int]]) -> None:
        p, model = self.problem, self.model
        weight = float(p.weight[run])
        w = p.weights
        absent = w[2] * weight * float(p.pieces[run]) + (w[0] * weight if p.due[run] < 1e11 else 0.0)
        self.cost.append(_parts(w[3] * weight / 60) * self.end[run])
        self.cost.append(_parts(absent) * (1 - self.placed[run]))
        for place, kind in ((1, "nozzle"), (2, "spool")):
            self.cost.append(_parts(w[4] * p.swap[place] / 60) * self.flags[kind, run])
        late = self.late[run] = model.new_bool_var(f"late{run}")
        if p.due[run] >= 1e11:
            model.add(late == 0)
        else:
            over = model.new_int_var(0, 10 * self.horizon + 10_000_000, "")
            worst = self.start[run] + sum(
                math.ceil(p.high[run, way]) * self.present[run, way, machine] for way, machine in ways
            )
            by = math.floor(max(p.due[run], -9e6))
            model.add(over >= worst - by).only_enforce_if(self.placed[run])
            model.add(over == 0).only_enforce_if(late.negated())
            self.cost.append(_parts(w[0] * weight) * late + _parts(w[1] * weight / 60) * over)
        if p.was_machine[run] >= 0:
            for (one, machine), on in self.on.items():
                if one == run and machine != p.was_machine[run]:
                    self.cost.append(_parts(MOVED_MACHINE) * on)

    def _one_machine(self, machine: int) -> None:
        p, model = self.problem, self.model
        runs = [run for run in self.runs if (run, machine) in self.on]
        arcs: list[tuple[int, int, cp_model.LiteralT]] = []
        node = {run: place + 1 for place, run in enumerate(runs)}
        empty = model.new_bool_var("")
        arcs.append((0, 0, empty))
        watched = bool(np.isfinite(p.left[machine]))
        for run in runs:
            arcs.append((node[run], node[run], self.on[run, machine].negated()))
            arcs.append((node[run], 0, model.new_bool_var("")))
            first = self.arcs[-1, run, machine] = model.new_bool_var("")
            arcs.append((0, node[run], first))
            model.add(self.start[run] >= math.ceil(p.free[machine]) + self.prep[run]).only_enforce_if(first)
            self._carried(run, first, machine, None, watched)
            for before in runs:
                if before == run:
                    continue
                arc = self.arcs[before, run, machine] = model.new_bool_var("")
                arcs.append((node[before], node[run], arc))
                model.add(self.start[run] >= self.end[before] + self.prep[run]).only_enforce_if(arc)
                self._carried(run, arc, machine, before, watched)
        if runs:
            model.add_circuit(arcs)
        spans = []
        for run in runs:
            size = model.new_int_var(0, 10 * self.horizon + 10_000_000, "")
            ready = model.new_int_var(-10_000_000, self.horizon * 2 + 10_000_000, "")
            model.add(ready == self.start[run] - self.prep[run])
            spans.append(model.new_optional_interval_var(ready, size, self.end[run], self.on[run, machine], ""))
        model.add_no_overlap(spans)

    def _carried(self, run: int, arc: cp_model.IntVar, machine: int, before: int | None, watched: bool) -> None:
        """What goes on from the run before on the machine, or from what is on it now."""
        p, model = self.problem, self.model
        plate, nozzle, spool = (self.flags[kind, run] for kind in ("plate", "nozzle", "spool"))
        standing = before is not None or not p.clear[machine]
        model.add(plate == int(standing)).only_enforce_if(arc)
        was_nozzle: cp_model.LinearExprT = int(p.has_nozzle[machine])
        was_plastic: cp_model.LinearExprT = int(p.has_material[machine])
        was_left: cp_model.LinearExprT = 0
        if watched:
            was_left = _grams(float(p.left[machine]))
        if before is not None:
            was_nozzle = self.flags["has_nozzle", before]
            was_plastic = self.flags["has_plastic", before]
            was_left = self.flags["left", before]
        model.add(self.flags["has_nozzle", run] == was_nozzle).only_enforce_if(arc, nozzle.negated())
        if (p.nozzle[run] < 0).any():
            for way in range(int(p.ways[run])):
                if p.nozzle[run, way] < 0 and (run, way, machine) in self.present:
                    chosen = self.present[run, way, machine]
                    model.add(self.flags["has_nozzle", run] == was_nozzle).only_enforce_if(arc, chosen)
        model.add(self.flags["has_plastic", run] == was_plastic).only_enforce_if(arc, spool.negated())
        if p.material[run] < 0:
            model.add(self.flags["has_plastic", run] == was_plastic).only_enforce_if(arc)
        if watched:
            left = self.flags["left", run]
            takes = sum(
                math.floor(p.grams[run, way] * _GRAM) * self.present[run, way, machine]
                for way in range(int(p.ways[run]))
                if (run, way, machine) in self.present
            )
            model.add(left == was_left - takes).only_enforce_if(arc, spool.negated())
            model.add(left == _grams(p.full_g) - takes).only_enforce_if(arc, spool)

    def _copies_in_order(self) -> None:
        """Copies of one job are alike: which is which decides nothing."""
        p = self.problem
        for run, after in zip(self.runs, self.runs[1:], strict=False):
            same = p.jobs[run].id == p.jobs[after].id
            loose = all(p.pin_machine[one] < 0 and p.was_machine[one] < 0 for one in (run, after))
            if same and loose:
                self.model.add(self.placed[run] >= self.placed[after])
                self.model.add(self.start[run] <= self.start[after]).only_enforce_if(self.placed[after])

    def _hint(self) -> None:
        p, plan = self.problem, self.plan
        cap = max(1, p.runs)
        begun, swaps = np.zeros(cap), np.zeros((cap, 3), np.bool_)
        places: dict[int, tuple[int, int, float]] = {}
        for machine in self.machines:
            count = int(plan.length[machine])
            lay_out(self.arrays, machine, plan.seq[machine], plan.way[machine], count, begun, swaps)
            for k in range(count):
                places[int(plan.seq[machine, k])] = (int(plan.way[machine, k]), machine, float(begun[k]))
        relabelled = _copies_by_start(p, self.runs, places)
        for run in self.runs:
            found = relabelled.get(run)
            self.model.add_hint(self.placed[run], found is not None)
            self.model.add_hint(self.start[run], 0 if found is None else round(found[2]))
            for (one, way, machine), present in self.present.items():
                if one == run:
                    self.model.add_hint(present, found is not None and found[:2] == (way, machine))

    def solve(self, seconds: float, stop: Callable[[], bool] | None) -> Found:
        solver = cp_model.CpSolver()
        solver.parameters.max_time_in_seconds = seconds
        solver.parameters.num_workers = _WORKERS
        solver.parameters.random_seed = 7
        state = solver.solve(self.model, _Stopper(stop) if stop is not None else None)
        bound = solver.best_objective_bound / _SCALE if math.isfinite(solver.best_objective_bound) else 0.0
        if state not in (cp_model.OPTIMAL, cp_model.FEASIBLE):
            return Found(None, max(0.0, bound), False)
        plan = self.plan.copy()
        for machine in self.machines:
            on = [
                (solver.value(self.start[run]), run, way)
                for (run, way, m), present in self.present.items()
                if m == machine and solver.value(present)
            ]
            on.sort()
            plan.length[machine] = len(on)
            for k, (_, run, way) in enumerate(on):
                plan.seq[machine, k], plan.way[machine, k] = run, way
        return Found(plan, max(0.0, bound), state == cp_model.OPTIMAL)


class _Stopper(cp_model.CpSolverSolutionCallback):
    def __init__(self, stop: Callable[[], bool]) -> None:
        super().__init__()
        self._stop = stop

    def on_solution_callback(self) -> None:
        if self._stop():
            self.stop_search()


def _copies_by_start(
    problem: Problem, runs: list[int], places: dict[int, tuple[int, int, float]]
) -> dict[int, tuple[int, int, float]]:
    """The same plan with each job's loose copies numbered in the order of their starts."""
    found = dict(places)
    by_job: dict[str, list[int]] = {}
    for run in runs:
        if problem.pin_machine[run] < 0 and problem.was_machine[run] < 0:
            by_job.setdefault(problem.jobs[run].id, []).append(run)
    for alike in by_job.values():
        taken = sorted((places[run] for run in alike if run in places), key=lambda place: place[2])
        for place, run in enumerate(alike):
            found.pop(run, None)
            if place < len(taken):
                found[run] = taken[place]
    return found


def _parts(cost: float) -> int:
    return round(cost * _SCALE)


def _grams(grams: float) -> int:
    return math.ceil(grams * _GRAM)


def _most_left(problem: Problem) -> int:
    finite = problem.left[np.isfinite(problem.left)]
    return _grams(float(finite.max())) if len(finite) else 0
