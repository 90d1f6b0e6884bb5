"""Room that a plan leaves on machines, by hand."""

from __future__ import annotations

import unittest
from datetime import timedelta
from typing import Any, cast

from meanbead.core.schedule.day import plan_day
from meanbead.services.board import gaps_of
from meanbead.services.day_plans import KeptPlan
from tests.core.schedule.test_day import HOUR, simple
from tests.support.day_check import START


def at(hours: float) -> str:
    return (START + timedelta(hours=hours)).isoformat()


class RoomLeft(unittest.TestCase):
    def gaps(self, **more: Any) -> list[tuple[float, float, float]]:
        pins = [{"job": "a", "machine": "m0", "start": at(6)}]
        day = simple(
            [{"id": "a", "time_s": 2 * HOUR}], swap_min={"plate": 10, "nozzle": 15, "spool": 5}, pinned=pins, **more
        )
        kept = KeptPlan(cast(Any, None), day, plan_day(day, 0.2), {})
        return [(day.at(gap.start) / HOUR, day.at(gap.end) / HOUR, gap.fits_s / 60) for gap in gaps_of(kept)]

    def test_before_a_run_the_plate_has_to_come_off_again_and_after_it_first(self) -> None:
        before, after = self.gaps()
        self.assertEqual((before[0], before[2]), (0, 6 * 60 - 10))
        self.assertEqual((after[0], after[1], after[2]), (8, 100, 92 * 60 - 10))

    def test_it_is_started_while_somebody_is_there(self) -> None:
        (before, after) = self.gaps(attended=[{"from": at(4), "to": at(7)}, {"from": at(20), "to": at(30)}])
        self.assertEqual(before[2], 2 * 60 - 10)
        self.assertEqual(after[2], 80 * 60 - 10)


if __name__ == "__main__":
    unittest.main()
