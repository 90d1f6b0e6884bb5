"""Calendars: hours that a file brings, and plate changes as a calendar."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta

import icalendar
from dateutil.rrule import rrulestr

from meanbead.core.errors import MeanBeadError
from meanbead.core.schedule.day.tasks import Task

__all__ = ["Entry", "calendar_of", "entries_of"]

_AHEAD = timedelta(days=400)
_LONGEST = timedelta(days=60)
_MOST = 2000
_MOST_REPEATS = 300_000


@dataclass(frozen=True)
class Entry:
    """An entry of a calendar, each day of a repeated one by itself; ``source`` names it, so that it is known again."""

    source: str
    name: str
    start: datetime
    end: datetime


def entries_of(text: str, now: datetime) -> tuple[list[Entry], list[str]]:
    """Entries of an iCalendar text (RFC 5545) that end after ``now`` and begin within some thirteen months; and what could not be
    read, in words. Whole days are days of the workshop's clock. Repeated entries are laid out by their rules; single exceptions
    (EXDATE) are heeded. Raises :class:`MeanBeadError` for what is no calendar."""
    try:
        calendar = icalendar.Calendar.from_ical(text)
    except Exception as problem:  # the library raises whatever its parsers do
        raise MeanBeadError(
            "This is no iCalendar file.", field="text", remedy="Export the calendar as .ics, and choose that file."
        ) from problem
    found: list[Entry] = []
    left_out: list[str] = []
    for event in calendar.walk("VEVENT"):
        name = str(event.get("SUMMARY", "") or "without a name")[:120]
        try:
            found += _of_event(event, name, now)
        except (ValueError, TypeError, AttributeError, KeyError) as problem:
            left_out.append(f"{name}: {problem}"[:200])
    if len(found) > _MOST:
        raise MeanBeadError(f"The calendar holds more than {_MOST} entries.", field="text", remedy="Export less of it.")
    return found, left_out


def _of_event(event: icalendar.cal.Component, name: str, now: datetime) -> list[Entry]:
    if str(event.get("TRANSP", "")).upper() == "TRANSPARENT" or str(event.get("STATUS", "")).upper() == "CANCELLED":
        return []
    begin = event.decoded("DTSTART")
    end = event.decoded("DTEND") if "DTEND" in event else None
    if end is None:
        lasts = event.decoded("DURATION") if "DURATION" in event else None
        end = begin + (lasts or timedelta(days=0 if isinstance(begin, datetime) else 1))
    if end <= begin:
        raise ValueError("it ends before it begins")
    uid = str(event.get("UID", "") or name)[:220]
    starts = [begin]
    if "RRULE" in event:
        starts = _repeated(event, begin, now)
    lasts = end - begin
    entries = []
    for start in starts:
        low, high = _moment(start), _moment(start + lasts)
        if high > now and low < now + _AHEAD:
            entries.append(Entry(f"{uid} {low:%Y%m%dT%H%M}"[:300], name, low, high))
    return entries


def _repeated(event: icalendar.cal.Component, begin: date | datetime, now: datetime) -> list[date | datetime]:
    raw = event["RRULE"].to_ical()
    rule = raw.decode() if isinstance(raw, bytes) else str(raw)
    whole = not isinstance(begin, datetime)
    first = datetime.combine(begin, time()) if not isinstance(begin, datetime) else begin
    zone = first.tzinfo
    last = now + _AHEAD
    if zone is None:
        last = last.replace(tzinfo=None)
        rule = ";".join(one.rstrip("Z") if one.startswith("UNTIL") else one for one in rule.split(";"))
    exceptions = event.get("EXDATE", [])
    without = {
        _moment(one.dt) for entry in (exceptions if isinstance(exceptions, list) else [exceptions]) for one in entry.dts
    }
    laid: list[date | datetime] = []
    for number, start in enumerate(rrulestr(rule, dtstart=first)):
        if number > _MOST_REPEATS or len(laid) > _MOST:
            raise ValueError("it repeats too often")
        if start > last:
            break
        one = start.date() if whole else start
        # What is long past is gone over, not kept.
        if _moment(one) > now - _LONGEST and _moment(one) not in without:
            laid.append(one)
    return laid


def _moment(given: date | datetime) -> datetime:
    """A moment with its zone; days and times without one are the workshop's."""
    if not isinstance(given, datetime):
        given = datetime.combine(given, time())
    return given.astimezone()


def calendar_of(tasks: list[Task], made_at: datetime) -> bytes:
    """Plate changes as an iCalendar text: one entry a start, with what belongs to it and an alarm."""
    calendar = icalendar.Calendar()
    calendar.add("prodid", "-//Mean Bead//Plate changes//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", "Plate changes")
    for task in tasks:
        if task.kind == "take_out":
            continue
        event = icalendar.Event()
        event.add("uid", f"{task.kind}-{task.machine}-{task.job}-{task.copy_number}-{task.run_id or 0}@meanbead")
        event.add("dtstamp", made_at.astimezone(UTC))
        event.add("dtstart", task.at.astimezone(UTC))
        event.add("dtend", (task.at + timedelta(minutes=max(5, 10 * len(task.steps)))).astimezone(UTC))
        event.add("summary", f"{task.machine}: {task.says}" if task.machine else task.says)
        if task.steps:
            event.add("description", "\n".join(task.steps))
        alarm = icalendar.Alarm()
        alarm.add("action", "DISPLAY")
        alarm.add("description", task.says)
        alarm.add("trigger", timedelta(minutes=-5))
        event.add_component(alarm)
        calendar.add_component(event)
    return bytes(calendar.to_ical())
