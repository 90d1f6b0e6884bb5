"""What is made of a plan: reasons, moves, tasks, spools, drying, and what a change of the workshop would bring."""

from __future__ import annotations

import unittest
from datetime import timedelta
from typing import Any

import numpy as np

from meanbead.core.errors import MeanBeadError
from meanbead.core.model.day import Day, DayPlan
from meanbead.core.schedule.day import first_come, plan_day, planner
from meanbead.core.schedule.day.problem import windows_of
from meanbead.core.schedule.day.reasons import moved, reasons
from meanbead.core.schedule.day.search import Sequences
from meanbead.core.schedule.day.spools import SpoolStock, spools_ahead
from meanbead.core.schedule.day.tasks import OnMachine, tasks
from meanbead.core.schedule.day.worth import bought, worth
from tests.core.schedule.test_day import HOUR, simple
from tests.support.day_check import START, made_up


def at(hours: float) -> str:
    return (START + timedelta(hours=hours)).isoformat()


SWAPS = {"plate": 10, "nozzle": 15, "spool": 5}


class Why(unittest.TestCase):
    def test_why_here(self) -> None:
        jobs = [
            {"id": "first", "time_s": 3 * HOUR, "nozzle_mm": 0.6, "material": "PETG"},
            {"id": "second", "time_s": 12 * HOUR, "nozzle_mm": 0.6, "due": at(30)},
        ]
        day = simple(jobs, swap_min=SWAPS, attended=[{"from": at(0.5), "to": at(8)}, {"from": at(24), "to": at(32)}])
        plan = plan_day(day, 1)
        first = reasons(day, plan, "first", 1)
        self.assertIn("m0 is changed for it: 0.4 to 0.6 mm and PLA to PETG.", first.here)
        self.assertTrue(any("nobody is there to start it before" in one for one in first.here), first.here)
        second = reasons(day, plan, "second", 1)
        self.assertIn(
            "m0 still has from first 0.6 mm and PETG on it: nothing but the plate has to be changed.", second.here
        )
        self.assertIn("It starts as soon as first is off and the machine is changed.", second.here)
        self.assertTrue(any("when nobody is there; the plate waits" in one for one in second.here))
        self.assertTrue(any("to spare" in one for one in second.here))
        self.assertEqual(second.there, [])

    def test_why_not_there_costs_what_the_whole_plan_costs_more(self) -> None:
        """Each difference is that of whole plans: the run taken out, and put at every place of the other machine."""
        for seed in (3, 8, 21):
            day = Day.model_validate(made_up(seed, machines=3, jobs=6))
            solved = planner.solve(day, 0.3)
            plan = planner.told(solved)
            names = [machine.id for machine in day.machines]
            rows = [
                list(zip(solved.plan.seq[m, :n], solved.plan.way[m, :n], strict=True))
                for m, n in enumerate(solved.plan.length)
            ]
            for run in plan.runs[:3]:
                problem = solved.problem
                number = next(
                    k
                    for k in range(problem.runs)
                    if (problem.jobs[k].id, problem.copies[k]) == (run.job, run.copy_number)
                )
                without = [[one for one in row if one[0] != number] for row in rows]
                for other in reasons(day, plan, run.job, run.copy_number).there:
                    m = names.index(other.machine)
                    costs = []
                    for place in range(len(without[m]) + 1):
                        for way in range(int(problem.ways[number])):
                            tried = [list(row) for row in without]
                            tried[m].insert(place, (number, way))
                            costs.append(planner._cost(problem, solved.arrays, self.sequences(problem.runs, tried)))
                    if other.possible:
                        self.assertAlmostEqual(
                            other.costs or 0, min(costs) - solved.cost, delta=1e-3 + 1e-9 * solved.cost
                        )
                    else:
                        self.assertEqual(min(costs), float("inf"))

    def sequences(self, runs: int, rows: list[list[tuple[int, int]]]) -> Sequences:
        shape = (len(rows), runs)
        made = Sequences(np.zeros(shape, np.int64), np.zeros(shape, np.int64), np.zeros(len(rows), np.int64))
        for m, row in enumerate(rows):
            made.length[m] = len(row)
            for k, (run, way) in enumerate(row):
                made.seq[m, k], made.way[m, k] = run, way
        return made

    def test_what_cannot_stand_there_says_why(self) -> None:
        machines = [
            {"id": "big", "material": "PLA"},
            {"id": "small", "bed_mm": [50, 50, 50]},
            {"id": "late", "free_at": at(99)},
        ]
        day = simple([{"id": "a", "time_s": 2 * HOUR, "size_mm": [90, 40, 10]}], swap_min=SWAPS).model_copy(
            update={"machines": Day.model_validate({"machines": machines}).machines}
        )
        told = {one.machine: one for one in reasons(day, plan_day(day, 0.5), "a", 1).there}
        self.assertEqual((told["small"].possible, told["late"].possible), (False, False))
        self.assertIn("do not fit on small", told["small"].says)
        self.assertIn("no place for it there", told["late"].says)
        with self.assertRaises(MeanBeadError):
            reasons(day, plan_day(day, 0.5), "b", 1)

    def test_the_other_machine_costs_its_changes(self) -> None:
        machines = [
            {"id": "fits", "nozzle_mm": 0.6, "material": "PLA"},
            {"id": "other", "nozzle_mm": 0.4, "material": "PLA"},
        ]
        day = simple([{"id": "a", "time_s": HOUR, "nozzle_mm": 0.6}], swap_min=SWAPS).model_copy(
            update={"machines": Day.model_validate({"machines": machines}).machines}
        )
        (told,) = reasons(day, plan_day(day, 0.5), "a", 1).there
        self.assertEqual(told.says, "It would end 15 min later; 15 min more of changing.")
        self.assertAlmostEqual(told.costs or 0, 15 + 3 * 15)


class Moves(unittest.TestCase):
    def test_what_moved_is_told_the_earliest_first(self) -> None:
        jobs: list[dict[str, Any]] = [{"id": name, "time_s": 2 * HOUR} for name in ("a", "b")]
        before = plan_day(simple(jobs, machines=1), 0.5)
        later = simple(jobs, machines=1, attended=[{"from": at(1), "to": at(100)}])
        said = [one.says for one in moved(before, plan_day(later, 0.5))]
        self.assertEqual(len(said), 2)
        self.assertTrue(all("1 h 00 later on m0" in one for one in said), said)
        self.assertEqual(moved(before, before), [])
        gone = plan_day(simple([job | {"enclosed": True} for job in jobs]), 0.2)
        self.assertIn("no longer has a place", moved(before, gone)[0].says)
        self.assertIn("new: m0", moved(gone, before)[0].says)


def _in_time(day: Day, row: list[Any], due: dict[str, Any], delay_s: float) -> bool:
    """Whether a machine's runs, the first of them put off, are in time where they were, and somebody is there to start the first."""
    spans = windows_of(day)
    free = day.at(row[0].changes[0].start if row[0].changes else row[0].start) + delay_s
    for place, run in enumerate(row):
        need = (run.start - (run.changes[0].start if run.changes else run.start)).total_seconds()
        starts = [max(free, low) + need for low, high in spans if max(free, low) + need <= high + 1e-6]
        if not starts:
            return all(one.job not in due or one.high_end > due[one.job] for one in row[place:]) and place > 0
        if place == 0 and min(starts) > free + need + 1:
            return False
        lasts = (run.high_end - run.start).total_seconds()
        was_in_time = run.job in due and run.high_end <= due[run.job]
        if was_in_time and min(starts) + lasts > day.at(due[run.job]) + 1e-3:
            return False
        free = min(starts) + (run.end - run.start).total_seconds()
    return True


class ToDo(unittest.TestCase):
    def test_in_order_with_the_time_until_it_matters(self) -> None:
        span = [{"from": at(0.5), "to": at(10)}, {"from": at(24), "to": at(34)}]
        jobs = [
            {"id": "a", "time_s": 3 * HOUR, "high_s": 4 * HOUR, "due": at(6), "nozzle_mm": 0.6},
            {"id": "b", "time_s": 3 * HOUR},
        ]
        day = simple(jobs, attended=span, swap_min=SWAPS)
        plan = plan_day(day, 1)
        told = tasks(day, plan, [], {"a": START + timedelta(hours=6)})
        self.assertEqual([(one.kind, one.job) for one in told], [("start", "a"), ("start", "b")])
        self.assertEqual(told[0].steps, ["Nozzle 0.4 to 0.6 mm"])
        # It begins at 0:30, lasts at the worst until 4:45, and is due at 6:00: it may wait for 75 minutes.
        self.assertEqual(told[0].at, START + timedelta(hours=0.5))
        self.assertEqual(told[0].by, START + timedelta(hours=1.75))
        self.assertTrue(told[1].waits)
        # The second one may wait until nobody is there any more.
        self.assertEqual(told[1].by, START + timedelta(hours=10) - timedelta(minutes=10))

    def test_waiting_longer_than_told_makes_something_late_and_as_long_does_not(self) -> None:
        """Each first start of made-up days, put off by hand: up to what is told nothing gets late, and later something does, or
        nobody is there."""
        checked = 0
        for seed in range(12):
            day = Day.model_validate(made_up(seed + 500, machines=2, jobs=8, hours=72, extras=False))
            plan = first_come(day)
            due = {job.id: job.due for job in day.jobs if job.due is not None}
            for task in tasks(day, plan, [], due):
                if task.waits or task.by is None:
                    continue
                row = sorted((run for run in plan.runs if run.machine == task.machine), key=lambda run: run.start)
                told = (task.by - task.at).total_seconds()
                self.assertTrue(_in_time(day, row, due, max(0.0, told - 1)), (seed, task.machine))
                self.assertFalse(_in_time(day, row, due, told + 2), (seed, task.machine))
                checked += 1
        self.assertGreater(checked, 12)

    def test_what_runs_is_taken_off_first_and_drying_comes_before(self) -> None:
        day = simple(
            [{"id": "a", "time_s": HOUR, "material": "PA"}], dry_first=[{"material": "PA", "hours": 4, "temp_c": 80}]
        )
        plan = plan_day(day, 0.5)
        self.assertGreaterEqual((plan.runs[0].start - START).total_seconds(), 4 * HOUR)
        on = [OnMachine(machine="m0", name="old", run_id=7, ends_at=START - timedelta(minutes=5), over=True)]
        told = tasks(day, plan, on, {})
        self.assertEqual([one.kind for one in told], ["take_off", "dry", "take_out", "start"])
        self.assertIn("Dry PA at 80 °C for 4 h", told[1].says)
        self.assertFalse(told[0].waits)
        self.assertTrue(told[3].waits)

    def test_the_dryers_places_are_shared_out_by_due_dates(self) -> None:
        needs = [{"material": name, "hours": 5} for name in ("PA", "PETG", "TPU")]
        jobs = [
            {"id": name, "time_s": HOUR, "material": name, "due": at(due)}
            for name, due in (("PA", 60), ("PETG", 40), ("TPU", 50))
        ]
        one = plan_day(simple(jobs, dry_first=needs), 0.3).drying
        self.assertEqual([drying.material for drying in one], ["PETG", "TPU", "PA"])
        self.assertEqual([(drying.start - START).total_seconds() / HOUR for drying in one], [0, 5, 10])
        two = plan_day(simple(jobs, dry_first=needs, dryer_spools=2), 0.3).drying
        self.assertEqual([(drying.start - START).total_seconds() / HOUR for drying in two], [0, 0, 5])


class Spools(unittest.TestCase):
    def plan(self, grams: list[float], left: float) -> DayPlan:
        jobs = [
            {"id": f"j{place}", "time_s": (place + 1) * HOUR, "grams": one, "material": "PLA"}
            for place, one in enumerate(grams)
        ]
        day = simple(jobs, swap_min=SWAPS)
        machine = day.machines[0].model_copy(update={"spool_g": left})
        return plan_day(day.model_copy(update={"machines": (machine,)}), 0.5)

    def test_a_spool_that_has_too_little_is_changed_and_one_is_bought(self) -> None:
        plan = self.plan([100, 200, 300], 350)
        self.assertEqual([list(run.swaps) for run in plan.runs], [[], ["plate"], ["plate", "spool"]])
        stock = [SpoolStock(id=1, name="one", material="PLA", left_g=350, machine="m0")]
        found = spools_ahead(plan, stock, START, price_per_kg={"PLA": 20.0})
        self.assertEqual([one.spool for one in found.fitted], ["one", "one", "to be bought"])
        (spool,) = found.spools
        self.assertEqual((spool.planned_g, spool.reserved_g, spool.after_g), (300, 300, 50))
        (buy,) = found.shopping
        self.assertEqual((buy.grams, buy.spools, buy.cost, buy.needed_by), (300, 1, 20.0, plan.runs[2].start))

    def test_the_fullest_use_of_the_shelf(self) -> None:
        plan = self.plan([100, 200, 300], 50)
        stock = [
            SpoolStock(id=1, name="rest", material="PLA", left_g=50, machine="m0"),
            SpoolStock(id=2, name="full", material="PLA", left_g=1000),
            SpoolStock(id=3, name="enough", material="PLA", left_g=610),
            SpoolStock(id=4, name="green", material="PETG", left_g=800),
        ]
        found = spools_ahead(plan, stock, START)
        self.assertEqual({one.spool for one in found.fitted}, {"enough"})
        self.assertEqual(found.shopping, [])
        enough = next(one for one in found.spools if one.id == 3)
        self.assertEqual(enough.nearly_empty_at, plan.runs[-1].end)

    def test_grams_are_never_lost(self) -> None:
        for seed in range(6):
            day = Day.model_validate(made_up(seed, machines=3, jobs=9))
            plan = first_come(day)
            stock = [
                SpoolStock(
                    id=place, name=one.id, material=one.material or "PLA", left_g=one.spool_g or 400, machine=one.id
                )
                for place, one in enumerate(day.machines)
            ]
            found = spools_ahead(plan, stock, START)
            used = sum(one.planned_g for one in found.spools) + sum(one.grams for one in found.shopping)
            self.assertAlmostEqual(used, sum(run.grams for run in plan.runs))
            self.assertTrue(all(one.after_g >= -1e-6 for one in found.spools))


class IsItWorth(unittest.TestCase):
    def day(self) -> Day:
        span = [{"from": at(24 * day + 0.5), "to": at(24 * day + 8.5)} for day in range(7)]
        jobs = [
            {"id": "fine", "time_s": 2 * HOUR, "nozzle_mm": 0.4},
            {"id": "coarse", "time_s": 1.5 * HOUR, "nozzle_mm": 0.6},
        ]
        return simple(jobs, attended=span, swap_min={"plate": 10, "nozzle": 40, "spool": 5}, horizon_h=168)

    def test_more_hours_and_machines_bring_more_and_each_is_the_same_queue(self) -> None:
        day = self.day()
        found = {one.key: one for one in worth(day, bought(day, {"fine": 3600.0}), 0.6)}
        self.assertEqual(list(found), ["nozzles", "hotend", "machine", "evening"])
        self.assertEqual(len({one.before_per_week for one in found.values()}), 1)
        before = found["machine"].before_per_week
        self.assertAlmostEqual(found["machine"].after_per_week / before, 2, delta=0.1)
        self.assertTrue(found["evening"].after_per_week > before and found["evening"].real)
        self.assertGreaterEqual(found["hotend"].after_per_week, before)

    def test_a_week_is_full_whatever_is_queued(self) -> None:
        """One machine that is always attended, one job of an hour, ten minutes a plate: 7 x 24 x 60 / 70 a week."""
        day = simple(
            [{"id": "a", "time_s": HOUR}],
            swap_min={"plate": 10, "nozzle": 0, "spool": 0},
            attended=[{"from": at(0), "to": at(168)}],
        )
        (found, *_) = worth(day, bought(day, {})[:1], 0.5)
        self.assertEqual(found.before_per_week, (168 * 60 + 10) // 70)
        self.assertFalse(found.real)


if __name__ == "__main__":
    unittest.main()
