"""Plans of made-up days against an independent checker, simple rules, brute force and closed forms."""

from __future__ import annotations

import itertools
import unittest
from datetime import timedelta
from typing import Any

import numpy as np
from pydantic import ValidationError

from meanbead.core.errors import MeanBeadError
from meanbead.core.model.day import Day, DayPlan
from meanbead.core.schedule.day import first_come, longest_first, plan_day, planner, plans
from meanbead.core.schedule.day.bound import bound_of
from meanbead.core.schedule.day.problem import make_problem
from meanbead.core.schedule.day.search import arrays_of, lay_out
from tests.support.day_check import START, broken_rules, made_up

HOUR = 3600.0


def _at(hours: float) -> str:
    return (START + timedelta(hours=hours)).isoformat()


def simple(jobs: list[dict[str, Any]], machines: int = 1, **more: Any) -> Day:
    """A day of which everybody can tell the answer: always attended unless said otherwise, and no minutes for changes."""
    given: dict[str, Any] = {
        "now": START,
        "horizon_h": 100,
        "attended": [{"from": _at(0), "to": _at(100)}],
        "machines": [{"id": f"m{number}", "material": "PLA"} for number in range(machines)],
        "jobs": jobs,
        "swap_min": {"plate": 0, "nozzle": 0, "spool": 0},
    }
    return Day.model_validate(given | more)


class RulesTest(unittest.TestCase):
    """No plan breaks a hard rule."""

    def test_random_days_break_no_rule_and_are_never_worse_than_first_come(self) -> None:
        for seed in range(16):
            with self.subTest(seed=seed):
                day = Day.model_validate(made_up(seed, machines=1 + seed % 4, jobs=3 + seed % 9))
                usual = first_come(day)
                self.assertEqual(broken_rules(day, usual), [])
                found = plan_day(day, 0.25)
                self.assertEqual(broken_rules(day, found), [])
                self.assertLessEqual(len(found.late), len(usual.late))
                self.assertGreaterEqual(len(found.runs), len(usual.runs))
                self.assertTrue(all(one.why for one in found.unplaced))

    def test_every_plan_on_the_way_holds_and_none_is_worse_than_the_one_before(self) -> None:
        day = Day.model_validate(made_up(99, machines=6, jobs=40, hours=120))
        costs = []
        for solved in plans(day, 2):
            self.assertEqual(broken_rules(day, planner.told(solved)), [])
            costs.append(solved.cost)
        self.assertEqual(costs, sorted(costs, reverse=True))
        self.assertLess(costs[-1], costs[0])

    def test_pinned_runs_stay(self) -> None:
        for seed in range(100, 106):
            with self.subTest(seed=seed):
                given = made_up(seed, machines=2, jobs=6)
                before = plan_day(Day.model_validate(given), 0.3)
                if not before.runs:
                    continue
                run = before.runs[-1]
                pin = {"job": run.job, "copy": run.copy_number, "machine": run.machine, "start": run.start.isoformat()}
                day = Day.model_validate(given | {"pinned": [pin | {"choice": run.choice}]})
                try:
                    found = plan_day(day, 0.3)
                except MeanBeadError as problem:
                    # What ran before it had changed the nozzle or the spool; without that, nobody is there early enough.
                    self.assertIn("pinned", problem.field)
                    continue
                self.assertEqual(broken_rules(day, found), [])
                self.assertTrue(any(one.pinned and one.start == run.start for one in found.runs))

    def test_contradicting_pins_are_refused_with_their_name(self) -> None:
        jobs = [{"id": name, "time_s": 2 * HOUR} for name in ("a", "b")]
        pins = [{"job": name, "machine": "m0", "start": _at(1)} for name in ("a", "b")]
        with self.assertRaisesRegex(MeanBeadError, "cannot start on m0"):
            plan_day(simple(jobs, pinned=pins), 0.2)
        with self.assertRaisesRegex(MeanBeadError, "pinned to m0, but"):
            plan_day(simple([jobs[0] | {"size_mm": [900, 9, 9]}], pinned=pins[:1]), 0.2)


def _weight(day: Day, plan: list[tuple[int, list[int]]], order: list[tuple[Any, int]]) -> float:
    """What a plan of one-way jobs weighs, laid out by hand: the shipped order's figures."""
    spans = [(day.at(span.start), day.at(span.end)) for span in day.attended or ()]
    cost, placed = 0.0, set()
    for machine, runs in plan:
        here = day.machines[machine]
        now, nozzle, plastic, first = 0.0, here.nozzle_mm, here.material, True
        for run in runs:
            job, _ = order[run]
            changing = 0.0
            if job.nozzle_mm is not None and job.nozzle_mm != nozzle:
                nozzle, changing = job.nozzle_mm, changing + day.swap_min.nozzle
            if job.material is not None and job.material != plastic:
                plastic, changing = job.material, changing + day.swap_min.spool
            need = 60 * (changing + (0 if first else day.swap_min.plate))
            starts = [max(now + need, low + need) for low, high in spans if max(now + need, low + need) <= high]
            if not starts or min(starts) + job.time_s > day.horizon_h * HOUR:
                return float("inf")
            now, first = min(starts) + job.time_s, False
            cost += now / 60 + 3 * changing
            if job.time_s > 8 * HOUR:
                there = sum(max(0.0, min(now, high) - max(now - job.time_s, low)) for low, high in spans)
                cost += 0.2 * (job.time_s - there) / 60
            if job.due is not None and min(starts) + (job.high_s or job.time_s) > day.at(job.due) + 1e-6:
                cost += 1e7 + 100 * (min(starts) + (job.high_s or job.time_s) - day.at(job.due)) / 60
            placed.add(run)
    for run, (job, _) in enumerate(order):
        if run not in placed:
            cost += 1e5 + (1e7 if job.due is not None else 0)
    return cost


class BestTest(unittest.TestCase):
    """The best plan is the best one."""

    def test_small_days_against_all_plans(self) -> None:
        for seed in range(6):
            with self.subTest(seed=seed):
                given = made_up(seed + 300, machines=2, jobs=4, hours=48, extras=False)
                for job in given["jobs"]:
                    job |= {"copies": 1, "size_mm": [20, 20, 20], "priority": 0}
                    job.pop("machines", None)
                for machine in given["machines"]:
                    machine["free_at"] = _at(0)
                day = Day.model_validate(given)
                problem = make_problem(day)
                order = list(zip(problem.jobs, problem.copies, strict=True))
                best = min(
                    _weight(day, [(0, list(runs[:cut])), (1, list(runs[cut:size]))], order)
                    for size in range(5)
                    for runs in itertools.permutations(range(4), size)
                    for cut in range(size + 1)
                )
                solved = planner.solve(day, 3)
                if len(solved.problem.day.jobs) and planner._late(solved) <= len(first_come(day).late):
                    self.assertAlmostEqual(solved.cost, best, delta=1e-6 * max(1.0, best) + 0.01)
                self.assertLessEqual(solved.bound, best + 0.5)
                self.assertLessEqual(bound_of(problem, solved.arrays).cost, best + 1e-6)

    def test_shortest_first_where_nothing_else_counts(self) -> None:
        lengths = [5.0, 1.0, 3.0, 2.0, 4.0]
        jobs = [{"id": f"j{place}", "time_s": hours * HOUR} for place, hours in enumerate(lengths)]
        found = plan_day(simple(jobs), 2)
        self.assertEqual([run.job for run in found.runs], ["j1", "j3", "j2", "j4", "j0"])
        self.assertTrue(found.proven)
        self.assertEqual(found.gap, 0.0)

    def test_what_is_due_goes_before_what_is_short(self) -> None:
        jobs = [{"id": "short", "time_s": HOUR}, {"id": "due", "time_s": 4 * HOUR, "high_s": 5 * HOUR, "due": _at(5)}]
        found = plan_day(simple(jobs), 2)
        self.assertEqual([run.job for run in found.runs], ["due", "short"])
        self.assertEqual(found.late, [])

    def test_due_counts_the_far_end_of_the_interval(self) -> None:
        job = {"id": "a", "time_s": 4 * HOUR, "high_s": 5 * HOUR, "due": _at(4.5)}
        late = plan_day(simple([job]), 1).late[0]
        self.assertAlmostEqual(late.by_s, 0.5 * HOUR)
        self.assertFalse(late.surely)

    def test_alike_runs_stand_together(self) -> None:
        jobs = [
            {"id": f"j{place}", "time_s": HOUR, "nozzle_mm": 0.4 if place % 2 else 0.6, "copies": 1}
            for place in range(6)
        ]
        found = plan_day(simple(jobs, swap_min={"plate": 0, "nozzle": 15, "spool": 0}), 2)
        self.assertEqual(found.score.nozzle_swaps, 1)

    def test_a_house_that_minds_swaps_most_has_fewer(self) -> None:
        day = made_up(11, machines=3, jobs=14, hours=120, extras=False)
        usual = plan_day(Day.model_validate(day), 1).score
        careful = plan_day(Day.model_validate(day | {"order": ["due", "swaps", "pieces", "nights", "energy"]}), 1).score
        self.assertLess(careful.swap_min, usual.swap_min)

    def test_of_two_recipes_the_plan_takes_what_fits_the_hours(self) -> None:
        """By day the fast one that needs another nozzle; where the change would miss the evening's end, the other."""
        ways = [{"time_s": 6 * HOUR, "nozzle_mm": 0.6}, {"time_s": 8 * HOUR, "nozzle_mm": 0.4}]
        night = {"id": "n", "time_s": 6 * HOUR, "choices": ways}
        swaps = {"plate": 10, "nozzle": 15, "spool": 5}
        by_day = plan_day(simple([night], swap_min=swaps), 1)
        self.assertEqual(by_day.runs[0].choice, 0)
        evening = [{"from": _at(0.5), "to": _at(0.7)}, {"from": _at(24.5), "to": _at(34)}]
        self.assertEqual(plan_day(simple([night], attended=evening, swap_min=swaps), 1).runs[0].choice, 1)

    def test_energy_costs_what_its_hours_cost(self) -> None:
        energy = [{"from": _at(0), "to": _at(2), "price": 0.5}]
        found = plan_day(simple([{"id": "a", "time_s": 6 * HOUR}], energy=energy, price_per_kwh=0.2), 1)
        self.assertAlmostEqual(found.score.energy_cost, 0.12 * (2 * 0.5 + 4 * 0.2))

    def test_a_long_print_is_not_left_alone_where_nights_matter_most(self) -> None:
        """Ten hours in an attended day of eleven, or a short one first and the long one into the night."""
        span = [{"from": _at(0), "to": _at(11)}, {"from": _at(24), "to": _at(35)}]
        jobs = [{"id": "long", "time_s": 10 * HOUR}, {"id": "short", "time_s": 1.5 * HOUR}]
        usual = plan_day(simple(jobs, attended=span), 1)
        self.assertEqual((usual.runs[0].job, usual.score.alone_h > 0), ("short", True))
        careful = plan_day(simple(jobs, attended=span, order=["nights", "due", "pieces", "swaps", "energy"]), 1)
        self.assertEqual((careful.runs[0].job, careful.score.alone_h), ("long", 0.0))


class StabilityTest(unittest.TestCase):
    """Small changes move little."""

    def test_one_more_job_moves_few_runs(self) -> None:
        given = made_up(7, machines=4, jobs=24, hours=120, extras=False)
        before = plan_day(Day.model_validate(given), 1)
        pins = [
            {"job": run.job, "copy": run.copy_number, "machine": run.machine, "start": run.start.isoformat()}
            for run in before.runs
        ]
        more = {"id": "new", "time_s": HOUR, "material": "PLA", "nozzle_mm": 0.4}
        changed = given | {"jobs": [*given["jobs"], more]}
        kept = plan_day(Day.model_validate(changed | {"before": pins}), 1)
        fresh = plan_day(Day.model_validate(changed), 1)
        self.assertEqual(broken_rules(Day.model_validate(changed), kept), [])
        self.assertLessEqual(_moved(before, kept), 4)
        self.assertLessEqual(_moved(before, kept), _moved(before, fresh))
        self.assertIn("new", {run.job for run in kept.runs})


def _moved(before: DayPlan, after: DayPlan) -> int:
    was = {(run.job, run.copy_number): (run.machine, run.start) for run in before.runs}
    return sum(
        1
        for run in after.runs
        if (old := was.get((run.job, run.copy_number))) is not None
        and (old[0] != run.machine or abs((old[1] - run.start).total_seconds()) > 1800)
    )


class WordsTest(unittest.TestCase):
    """Why a run has no place, and input that contradicts itself."""

    def test_each_reason_is_told(self) -> None:
        far = {"time_s": HOUR, "id": "a"}
        cases = [
            (simple([far | {"size_mm": [500, 10, 10]}]), "do not fit on m0"),
            (simple([far | {"enclosed": True}]), "no enclosure"),
            (simple([far], attended=[]), "Nobody is there"),
            (simple([far | {"time_s": 101 * HOUR}]), "the plan is for 100 h"),
            (simple([far], machines=0), "There is no machine"),
            (simple([far], attended=[{"from": _at(99.5), "to": _at(100)}]), "would end after"),
            (simple([far | {"time_s": 60 * HOUR, "copies": 2}]), "no room left"),
            (
                simple([far | {"temp_c": 300}], machines=0).model_copy(
                    update={"machines": Day.model_validate({"machines": [{"id": "m", "max_temp_c": 250}]}).machines}
                ),
                "goes up to 250",
            ),
        ]
        for day, words in cases:
            with self.subTest(words=words):
                found = plan_day(day, 0.3)
                self.assertIn(words, found.unplaced[0].why)

    def test_contradictions(self) -> None:
        job = {"id": "a", "time_s": 60}
        for wrong in (
            {"jobs": [job | {"low_s": 61}]},
            {"jobs": [job | {"high_s": 59}]},
            {"jobs": [job, job]},
            {"machines": [{"id": "m"}, {"id": "m"}]},
            {"jobs": [job | {"machines": ["nowhere"]}]},
            {"attended": [{"from": _at(2), "to": _at(1)}]},
            {"jobs": [{"id": "a", "time_s": 0}]},
            {"horizon_h": 0},
            {"pinned": [{"job": "a", "machine": "m", "start": _at(1)}]},
            {"jobs": [job | {"size_mm": [1]}]},
        ):
            with self.subTest(wrong=wrong), self.assertRaises(ValidationError):
                Day.model_validate({"now": START} | wrong)

    def test_zones_may_differ(self) -> None:
        day = simple([{"id": "a", "time_s": HOUR, "due": "2026-11-23T09:30:00+01:00"}])
        self.assertAlmostEqual(day.at(day.jobs[0].due), HOUR)  # type: ignore[arg-type]

    def test_what_a_machine_breaks_weighs_infinitely(self) -> None:
        day = simple([{"id": "a", "time_s": HOUR, "size_mm": [900, 9, 9]}])
        problem = make_problem(day)
        start, swaps = np.zeros(1), np.zeros((1, 3), np.bool_)
        seq = np.zeros(1, np.int64)
        self.assertEqual(lay_out(arrays_of(problem), 0, seq, seq, 1, start, swaps)[0], np.inf)

    def test_longest_first_takes_the_longest_first(self) -> None:
        jobs = [{"id": f"j{hours}", "time_s": hours * HOUR} for hours in (1, 3, 2)]
        self.assertEqual([run.job for run in longest_first(simple(jobs)).runs], ["j3", "j2", "j1"])


if __name__ == "__main__":
    unittest.main()
