"""What the workshop is asked for when it is asked what a change would bring: the same mix, without end, and quicker melting."""

from __future__ import annotations

import unittest

from meanbead.core.model.day import Day
from meanbead.core.schedule.day.worth import FASTER_MELT, WEEK_H, _faster, _saturated
from tests.core.schedule.test_day import HOUR, simple
from tests.support.day_check import START


def two(machines: int = 1) -> Day:
    jobs = [
        {"id": "long", "time_s": 6 * HOUR, "low_s": 5 * HOUR, "high_s": 7 * HOUR, "copies": 2, "priority": 5},
        {"id": "short", "time_s": 2 * HOUR, "copies": 1, "due": START.isoformat()},
        {"id": "none", "time_s": HOUR, "copies": 0},
    ]
    return simple(jobs, machines)


class Without(unittest.TestCase):
    def test_the_mix_stays_and_outlasts_all_machines_and_one_more(self) -> None:
        for machines in (1, 2, 5):
            day = _saturated(two(machines))
            copies = {job.id: job.copies for job in day.jobs}
            self.assertEqual(set(copies), {"long", "short"})
            self.assertEqual(copies["long"], 2 * copies["short"])
            work_h = sum(job.copies * job.time_s for job in day.jobs) / HOUR
            self.assertGreaterEqual(work_h, 1.2 * (machines + 1) * WEEK_H)
            self.assertLess(work_h, 1.2 * (machines + 1) * WEEK_H + 14 + 1e-6)

    def test_nothing_is_due_or_first_and_it_is_a_week(self) -> None:
        day = _saturated(two())
        self.assertTrue(all(job.due is None and job.priority == 0 for job in day.jobs))
        self.assertEqual((day.horizon_h, day.pinned, day.before), (WEEK_H, (), ()))
        self.assertEqual(day.order[0], "pieces")

    def test_an_empty_queue_stays_empty(self) -> None:
        day = _saturated(simple([]))
        self.assertEqual((day.jobs, day.horizon_h), ((), WEEK_H))


class Quicker(unittest.TestCase):
    def test_only_what_the_ceiling_held_back_is_won_and_intervals_go_along(self) -> None:
        day = _faster(two(), {"long": 3 * HOUR})
        long, short = day.jobs[0], day.jobs[1]
        saved_h = 3 * (1 - 1 / FASTER_MELT)
        self.assertAlmostEqual(long.time_s, (6 - saved_h) * HOUR)
        share = (6 - saved_h) / 6
        self.assertAlmostEqual(long.low_s or 0, 5 * HOUR * share)
        self.assertAlmostEqual(long.high_s or 0, 7 * HOUR * share)
        self.assertEqual((short.time_s, short.low_s), (2 * HOUR, None))

    def test_no_print_gets_ten_times_as_quick(self) -> None:
        day = _faster(two(), {"long": 1000 * HOUR})
        self.assertAlmostEqual(day.jobs[0].time_s, 0.6 * HOUR)

    def test_each_way_to_print_it_gains_by_the_same_share(self) -> None:
        job = {
            "id": "a",
            "time_s": 4 * HOUR,
            "choices": [{"time_s": 4 * HOUR}, {"time_s": 8 * HOUR, "high_s": 9 * HOUR}],
        }
        (found,) = _faster(simple([job]), {"a": 3 * HOUR}).jobs
        self.assertAlmostEqual(found.choices[0].time_s, 3 * HOUR)
        self.assertAlmostEqual(found.choices[1].time_s, 6 * HOUR)
        self.assertAlmostEqual(found.choices[1].high_s or 0, 9 * HOUR * 0.75)


if __name__ == "__main__":
    unittest.main()
