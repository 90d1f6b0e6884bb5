"""The day: the queue, hours that are not as every week, plans, and what runs just now."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from meanbead.store.tables import DayPlanRow, HoursException, Machine, QueueItem, RunRow

__all__ = [
    "PLANS_KEPT",
    "Done",
    "RunningRun",
    "done_of",
    "exceptions_between",
    "find_queued",
    "from_calendar",
    "keep_plan",
    "latest_plan",
    "queue",
    "running",
]

PLANS_KEPT = 20
_COUNTED = ("kept", "running")


def queue(session: Session) -> Sequence[QueueItem]:
    """What is to be printed: the highest priority first, then what is due first."""
    return session.scalars(
        select(QueueItem)
        .where(QueueItem.deleted_at.is_(None))
        .order_by(QueueItem.priority.desc(), QueueItem.due_at.asc().nulls_last(), QueueItem.id)
    ).all()


def find_queued(session: Session, key: str) -> QueueItem | None:
    """What was stored under a key, deleted or not."""
    return session.scalars(select(QueueItem).where(QueueItem.key == key)).one_or_none()


@dataclass(frozen=True)
class Done:
    """A run of the queue: which plate of which item, how it stands, and how many pieces it gave."""

    queue_id: int
    plate: int
    run_id: int
    state: str
    pieces: int


def done_of(session: Session, queue_ids: Sequence[int]) -> list[Done]:
    """Runs of items of the queue, the first started first."""
    asked = (
        select(RunRow.queue_id, RunRow.queue_plate, RunRow.id, RunRow.state, RunRow.copies, RunRow.plates)
        .where(RunRow.queue_id.in_(queue_ids), RunRow.deleted_at.is_(None))
        .order_by(RunRow.started_at, RunRow.id)
    )
    return [
        Done(row.queue_id or 0, row.queue_plate or 0, row.id, row.state, row.copies * row.plates)
        for row in session.execute(asked)
    ]


def exceptions_between(session: Session, low: datetime, high: datetime) -> Sequence[HoursException]:
    """Hours that are not as every week, between two moments."""
    return session.scalars(
        select(HoursException)
        .where(HoursException.deleted_at.is_(None), HoursException.to_at > low, HoursException.from_at < high)
        .order_by(HoursException.from_at, HoursException.id)
    ).all()


def from_calendar(session: Session, sources: Sequence[str]) -> dict[str, HoursException]:
    """What a calendar's entries were stored as, by their source."""
    rows = session.scalars(select(HoursException).where(HoursException.source.in_(sources)))
    return {row.source: row for row in rows}


@dataclass(frozen=True)
class RunningRun:
    """A run that nobody has entered yet: what it was predicted to take with heating up, s, with 90 %."""

    id: int
    version: int
    machine_id: int
    name: str
    column_name: str
    material_name: str
    queue_id: int | None
    queue_plate: int | None
    started_at: datetime
    delay_s: float
    whole_s: float
    print_s: float
    interval: dict[str, Any]
    grams: float
    spool_id: int | None
    live_ends: tuple[datetime, datetime, datetime] | None = None
    live_state: str = ""
    print_id: int | None = None


def running(session: Session) -> list[RunningRun]:
    """Runs that nobody has entered yet, the last one of each machine."""
    estimate = RunRow.snapshot["estimate"]
    asked = (
        select(
            RunRow,
            estimate["whole_time_s"].as_float().label("whole_s"),
            estimate["print_time_s"].as_float().label("print_s"),
            estimate["interval"].label("interval"),
        )
        .where(RunRow.state == "running", RunRow.machine_id.is_not(None), RunRow.deleted_at.is_(None))
        .order_by(RunRow.started_at.desc(), RunRow.id.desc())
    )
    there = set(session.scalars(select(Machine.id).where(Machine.deleted_at.is_(None))))
    found: dict[int, RunningRun] = {}
    for row, whole_s, print_s, interval in session.execute(asked):
        if row.machine_id in found or row.machine_id not in there:
            continue
        found[row.machine_id] = RunningRun(
            id=row.id,
            version=row.version,
            machine_id=row.machine_id,
            name=row.name,
            column_name=row.column_name,
            material_name=row.material_name,
            queue_id=row.queue_id,
            queue_plate=row.queue_plate,
            started_at=row.started_at,
            delay_s=row.delay_s,
            whole_s=float(whole_s or row.predicted_s or 3600.0),
            print_s=float(print_s or row.predicted_s or 3600.0),
            interval=interval or {},
            grams=float(row.predicted_g or 0.0),
            spool_id=row.spool_id,
        )
    return list(found.values())


def latest_plan(session: Session) -> DayPlanRow | None:
    """The plan that stands."""
    return session.scalars(
        select(DayPlanRow).where(DayPlanRow.deleted_at.is_(None)).order_by(DayPlanRow.id.desc()).limit(1)
    ).one_or_none()


def keep_plan(session: Session, row: DayPlanRow) -> None:
    """Have a plan stand; of the older ones a few are kept."""
    session.add(row)
    session.flush()
    oldest = select(DayPlanRow.id).order_by(DayPlanRow.id.desc()).limit(PLANS_KEPT).subquery()
    least = session.scalar(select(func.min(oldest.c.id)))
    if least is not None:
        session.execute(delete(DayPlanRow).where(DayPlanRow.id < least))
