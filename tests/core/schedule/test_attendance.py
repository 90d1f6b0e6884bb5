"""Plates a day within attended hours, against an independent walk through the weeks minute by minute."""

from __future__ import annotations

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from meanbead.core.model.shop import Attendance
from meanbead.core.schedule.attendance import (
    clock,
    ends_unattended,
    just_fits,
    longest_for_s,
    next_attended_h,
    plates_per_day,
)
from tests.running.effort import cases

DAY = Attendance(from_h=8, to_h=22, turnaround_min=10)


def walked(minutes: int, attended: Attendance, weeks: int = 4) -> float:
    """Plates a day by looking at every minute of some weeks: free machine, someone there, start; nothing else."""
    busy_until, ended, plates, first = 0, True, 0, None
    for minute in range(weeks * 7 * 24 * 60):
        day, of_day = divmod(minute, 24 * 60)
        there = day % 7 in attended.days and attended.from_h * 60 <= of_day <= attended.to_h * 60
        if not ended and minute >= busy_until and there:
            ended, plates, busy_until = True, plates + 1, minute + round(attended.turnaround_min)
        if ended and minute >= busy_until and there:
            ended, busy_until = False, minute + minutes
            first = minute if first is None else first
    return plates / (weeks * 7)


class PlatesADay(unittest.TestCase):
    @settings(max_examples=cases(6, 240))
    @given(st.integers(20, 3000), st.integers(0, 12), st.integers(2, 12), st.lists(st.integers(0, 6), min_size=1))
    def test_equals_a_walk_through_the_minutes(self, minutes: int, start: int, hours: int, days: list[int]) -> None:
        attended = Attendance(from_h=start, to_h=start + hours, days=tuple(sorted(set(days))), turnaround_min=10)
        self.assertAlmostEqual(plates_per_day(minutes * 60, attended), walked(minutes, attended), delta=2.1 / 28)

    @settings(max_examples=cases(30, 1200))
    @given(st.floats(600, 200_000), st.floats(1.0, 1.5))
    def test_a_longer_print_never_makes_clearly_more(self, seconds: float, factor: float) -> None:
        self.assertLess(plates_per_day(seconds * factor, DAY), plates_per_day(seconds, DAY) + 2 / 28)

    def test_a_night_print_makes_one_more(self) -> None:
        # From 22:00 to 8:00: ten hours fit once a night, and once more by day.
        self.assertAlmostEqual(plates_per_day(9.5 * 3600, DAY), 2.0, delta=0.05)
        self.assertAlmostEqual(plates_per_day(14.5 * 3600, DAY), 1.0, delta=0.05)

    def test_the_longest_print_for_a_count_is_where_the_stair_falls(self) -> None:
        longest = longest_for_s(2, DAY)
        self.assertGreaterEqual(plates_per_day(longest, DAY), 1.95)
        self.assertLess(plates_per_day(longest * 1.1, DAY), 1.95)
        self.assertEqual(longest_for_s(1e6, DAY), 0.0)

    def test_just_fits_is_right_under_a_stair(self) -> None:
        longest = longest_for_s(2, DAY)
        self.assertTrue(just_fits(longest * 0.99, DAY))
        self.assertFalse(just_fits(longest * 0.8, DAY))


class Moments(unittest.TestCase):
    def test_the_next_moment_may_lie_behind_a_weekend(self) -> None:
        office = Attendance(from_h=9, to_h=17, days=(0, 1, 2, 3, 4))
        friday_evening = 4 * 24 + 18.0
        self.assertEqual(next_attended_h(office, friday_evening), 7 * 24 + 9.0)
        self.assertEqual(clock(next_attended_h(office, friday_evening)), "Mon 9:00")
        self.assertEqual(next_attended_h(office, 10.0), 10.0)

    def test_a_print_that_ends_at_night_says_until_when(self) -> None:
        self.assertEqual(ends_unattended(4 * 3600, DAY, 20.0), (24.0, 32.0))
        self.assertIsNone(ends_unattended(1 * 3600, DAY, 20.0))
        self.assertEqual(clock(31.75), "Tue 7:45")
