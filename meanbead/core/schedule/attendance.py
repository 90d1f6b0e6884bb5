"""Attended hours make print time a staircase: a plate that ends at night waits for the morning."""

from __future__ import annotations

import math

import numba
import numpy as np
from numpy.typing import NDArray

from meanbead.core.model.shop import Attendance

__all__ = [
    "clock",
    "ending",
    "ends_unattended",
    "just_fits",
    "longest_for_s",
    "next_attended_h",
    "plates_per_day",
    "someone_is_there",
]

DAY_H = 24.0
WEEK_H = 168.0
_AS_GOOD = 0.05
"""The average over four weeks has an end: a count this close below a whole one is that whole one."""

JUST_FITS = 0.06
"""A print just fits where one so much longer would cost a part of a plate a day."""


def someone_is_there(attended: Attendance, hour: float) -> bool:
    """Whether an hour of the week (0 is Monday, 0:00) is attended."""
    return bool(_is_open(hour, attended.from_h, attended.to_h, _open_days(attended)))


def next_attended_h(attended: Attendance, hour: float) -> float:
    """The first moment from ``hour`` on when someone is there, in hours of the week; may lie in a later week."""
    return float(_next_open(hour, attended.from_h, attended.to_h, _open_days(attended)))


def plates_per_day(whole_time_s: float, attended: Attendance) -> float:
    """Plates that one machine makes a day, on average over four weeks, if it is served whenever someone is there.

    A plate is taken off and the next one started at the first attended moment after it ends, which takes the
    turnaround. Validity: one machine, prints that succeed; the average is exact to a plate in four weeks.
    """
    hours = max(whole_time_s, 1.0) / 3600
    turnaround = attended.turnaround_min / 60
    return float(_plates_a_day(hours, turnaround, attended.from_h, attended.to_h, _open_days(attended)))


def _open_days(attended: Attendance) -> NDArray[np.bool_]:
    days = np.zeros(7, dtype=np.bool_)
    days[list(attended.days)] = True
    return days


@numba.njit(cache=True, nogil=True)
def _is_open(hour, from_h, to_h, days):  # type: ignore[no-untyped-def]
    of_week = hour % WEEK_H
    return days[int(of_week // DAY_H)] and from_h <= of_week % DAY_H <= to_h


@numba.njit(cache=True, nogil=True)
def _next_open(hour, from_h, to_h, days):  # type: ignore[no-untyped-def]
    if _is_open(hour, from_h, to_h, days):
        return hour
    day = math.floor(hour / DAY_H)
    # Some day of the week is attended: the loop ends within eight.
    while not (days[day % 7] and day * DAY_H + from_h >= hour):
        day += 1
    return day * DAY_H + from_h


@numba.njit(cache=True, nogil=True)
def _plates_a_day(hours, turnaround, from_h, to_h, days):  # type: ignore[no-untyped-def]
    now = _next_open(0.0, from_h, to_h, days)
    first, horizon, plates = now, 4 * WEEK_H, 0
    while True:
        end = _next_open(now + hours, from_h, to_h, days)
        if end - first > horizon:
            break
        plates += 1
        now = _next_open(end + turnaround, from_h, to_h, days)
    # The last plate may straddle the end: a share of it is counted, so that longer is never better by chance.
    share = (first + horizon - now) / max(end + turnaround - now, turnaround + hours)
    return (plates + share) / (horizon / DAY_H)


def longest_for_s(plates: float, attended: Attendance, shortest_s: float = 60.0) -> float:
    """Longest whole print time, s, that still makes so many plates a day; 0 where none does."""
    low, high = shortest_s, WEEK_H * 3600
    if plates_per_day(low, attended) < plates - _AS_GOOD:
        return 0.0
    while high - low > 1.0:
        middle = (low + high) / 2
        if plates_per_day(middle, attended) >= plates - _AS_GOOD:
            low = middle
        else:
            high = middle
    return low


def just_fits(whole_time_s: float, attended: Attendance) -> bool:
    """Whether a print so long uses its slot well: a little longer, and clearly fewer plates are made."""
    now, longer = (plates_per_day(whole_time_s * factor, attended) for factor in (1.0, 1 + JUST_FITS))
    return longer < now * (1 - 2.5 * JUST_FITS)


def ends_unattended(whole_time_s: float, attended: Attendance, start_h: float) -> tuple[float, float] | None:
    """If a print that starts at an hour of the week ends when nobody is there: when, and when someone next is, both in
    hours of the week; else None."""
    end = start_h + whole_time_s / 3600
    if someone_is_there(attended, end):
        return None
    return end, next_attended_h(attended, end)


def ending(whole_time_s: float, attended: Attendance, now_h: float) -> str:
    """When a print that is started as soon as someone is there ends, where nobody is there then; empty where someone is."""
    start = next_attended_h(attended, now_h)
    alone = ends_unattended(whole_time_s, attended, start)
    if alone is None:
        return ""
    end, back = alone
    begun = "now" if someone_is_there(attended, now_h) else clock(start)
    return f"Started {begun}, it ends {clock(end)}; nobody is there until {clock(back)}."


def clock(hour_of_week: float) -> str:
    """An hour of the week as people say it, such as ``Tue 7:30``."""
    day, hour = divmod(hour_of_week % WEEK_H, DAY_H)
    minutes = round(hour * 60)
    return f"{('Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun')[int(day)]} {minutes // 60 % 24}:{minutes % 60:02d}"
