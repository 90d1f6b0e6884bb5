"""Prints as pages show them: how far they are, when they end, what fits where they fall behind."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from sqlalchemy.orm import Session

from meanbead import store
from meanbead.core.gcode.inspect import TrackPoint
from meanbead.core.log.follow import ACTIVE, Followed
from meanbead.core.log.live import Behind, Progress, Seen, ahead_of, behind_by, track_at
from meanbead.store.day import RunningRun
from meanbead.store.print_tables import PrintRow

__all__ = ["ENDED", "Live", "LookBack", "live_of", "running_now"]

ENDED = ("done", "unknown", "stopped")
"""States in which a machine is at nothing any more, and a person has to look."""

_USUAL = (1.0, 0.85, 1.2)
"""Real over planned seconds and their interval, where nothing is known of a machine."""


@dataclass(frozen=True)
class LookBack:
    """One look at a print: seconds that it had printed, and those planned until there."""

    printing_s: float
    planned_s: float


@dataclass(frozen=True)
class Live:
    """How a print goes. ``progress`` is None until it prints; ``ends`` are the moments of its end, earliest, expected, latest."""

    progress: Progress | None
    behind: Behind | None
    looks: list[LookBack]
    ends: tuple[datetime, datetime, datetime] | None


def live_of(row: PrintRow, expected: tuple[float, float, float] = _USUAL) -> Live:
    """How a print goes; ``expected`` is what it was thought to take beforehand over its plan: the middle and both ends."""
    followed = Followed.model_validate(row.followed)
    track = [TrackPoint.model_validate(point) for point in row.track]
    if not track or row.state not in (*ACTIVE, *ENDED):
        return Live(None, None, [], None)
    looks = [LookBack(seen.printing_s, track_at(track, seen.byte)[0]) for seen in followed.looks]
    if followed.began_clock_s is None:
        return Live(None, None, looks, None)
    seen = Seen(byte=followed.byte, printing_s=max(0.0, followed.clock_s - followed.began_clock_s))
    progress = ahead_of(track, seen, *expected)
    ends = None
    if row.state in ACTIVE and row.seen_at is not None:
        at = row.seen_at.astimezone()
        ends = (
            at + timedelta(seconds=progress.low_s),
            at + timedelta(seconds=progress.left_s),
            at + timedelta(seconds=progress.high_s),
        )
    return Live(progress, behind_by(track, followed.looks), looks, ends)


def expected_of(run: RunningRun) -> tuple[float, float, float]:
    """What a run was thought to take over its plan."""
    printing = max(run.print_s, 1e-9)
    middle = float(run.interval.get("expected_s") or run.print_s)
    low, high = float(run.interval.get("low_s") or middle), float(run.interval.get("high_s") or middle)
    return middle / printing, low / printing, high / printing


def running_now(session: Session) -> list[RunningRun]:
    """Runs that nobody has entered yet, with their ends as their machines tell them, where these are listened to."""
    found = store.day.running(session)
    prints = store.prints.of_runs(session, [run.id for run in found])
    made = []
    for run in found:
        row = prints.get(run.id)
        if row is None:
            made.append(run)
            continue
        if row.state in ENDED:
            ended = (row.seen_at or row.updated_at).astimezone()
            made.append(replace(run, live_ends=(ended, ended, ended), live_state=row.state, print_id=row.id))
            continue
        live = live_of(row, expected_of(run))
        made.append(replace(run, live_ends=live.ends, live_state=row.state, print_id=row.id))
    return made
