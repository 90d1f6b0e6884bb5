"""Two machines, one part: shares against all orders, one by one."""

from __future__ import annotations

import itertools
import unittest
from dataclasses import replace
from typing import ClassVar

import numpy as np

from meanbead.core.compare import machines
from meanbead.core.compare.machines import GROUPS, compare_machines, with_group
from meanbead.core.estimate import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.estimate.sample import SAMPLE_LAYERS
from meanbead.core.learn.calibration.design import CANDIDATES, candidate_solid
from meanbead.core.model import Printer, Recipe

SLOW = Printer.model_validate(
    {
        "acceleration_mm_s2": {"print": 400, "travel": 700, "retract": 900},
        "corner": {"law": "jerk", "jerk_mm_s": {"x": 4, "y": 4}},
        "max_speed_mm_s": {"e": 12},
        "start_time_s": 150,
        "hotend": {"heater_w": 25},
    }
)


class Machines(unittest.TestCase):
    engine: ClassVar[Engine]
    job: ClassVar[PrintJob]

    @classmethod
    def setUpClass(cls) -> None:
        cls.engine = Engine()
        cls.job = PrintJob(candidate_solid(CANDIDATES[0]), Recipe())

    def test_shares_are_the_means_over_all_orders_and_add_up(self) -> None:
        found = compare_machines(self.engine, self.job, SLOW)
        shares = {one.name: one.time_s for one in found.shares}
        names = ("acceleration", "corners", "retraction", "melt")
        self.assertEqual(set(shares), {*names, "heating", "start"})
        fields = {group.name: group.fields for group in GROUPS}
        base = self.engine.sampled(self.job, SAMPLE_LAYERS)

        def time(chosen: tuple[str, ...]) -> float:
            both = tuple(field for name in sorted(chosen, key=list(fields).index) for field in fields[name])
            mixed = replace(self.job, printer=with_group(self.job.printer, SLOW, both))
            return self.engine.sampled(mixed, SAMPLE_LAYERS, base).estimate.print_time_s

        orders = list(itertools.permutations(names))
        steps: dict[str, list[float]] = {name: [] for name in names}
        known = {frozenset(chosen): time(chosen) for n in range(5) for chosen in itertools.combinations(names, n)}
        for order in orders:
            for place, name in enumerate(order):
                steps[name].append(known[frozenset(order[: place + 1])] - known[frozenset(order[:place])])
        for name in names:
            self.assertAlmostEqual(shares[name], float(np.mean(steps[name])), places=6)
        self.assertAlmostEqual(shares["start"], SLOW.start_time_s - self.job.printer.start_time_s)
        self.assertGreater(shares["heating"], 0)
        self.assertAlmostEqual(sum(shares.values()) + found.rest_s, found.to_s - found.from_s, places=6)
        self.assertLess(abs(found.rest_s), 0.03 * abs(found.to_s - found.from_s))

    def test_a_machine_against_itself_differs_in_nothing(self) -> None:
        found = compare_machines(self.engine, self.job, self.job.printer)
        self.assertEqual((found.shares, found.rest_s), ([], 0.0))

    def test_fields_say_what_differs_and_what_can_be_copied(self) -> None:
        found = compare_machines(self.engine, self.job, SLOW)
        fields = {field.field: field for share in found.shares for field in share.fields}
        self.assertEqual(
            (fields["acceleration_mm_s2.print"].here, fields["acceleration_mm_s2.print"].there),
            ("800 mm/s²", "400 mm/s²"),
        )
        self.assertTrue(fields["acceleration_mm_s2.print"].copyable)
        self.assertFalse(fields["hotend"].copyable)
        self.assertEqual((fields["hotend"].here, fields["hotend"].there), ("heater 40", "heater 25"))
        self.assertEqual(
            {name for group in (*GROUPS, *machines._AROUND) for name in group.fields}, set(machines.LABELS)
        )
