"""Background work as rows: asked for, running with progress, done, failed or cancelled. Every job ends."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from datetime import timedelta
from typing import Any

from sqlalchemy import delete, or_, select, text, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session, defer

from meanbead.core.estimate.engine import ENGINE_VERSION
from meanbead.store.rows import NotFound
from meanbead.store.tables import JOB_UNDER_WAY, JobRow, now

UNDER_WAY = ("waiting", "running")
LOST_AFTER = timedelta(seconds=30)
"""A running job whose worker has given no sign of life for so long has lost it."""

FORGOTTEN_AFTER = timedelta(seconds=5)
"""A job that has waited for so long and stands in no queue is sent again: its sender died, or could not send."""

MAX_ATTEMPTS = 2
"""Work that has taken its worker down so often is not tried again by itself."""

KEPT_FOR = timedelta(days=14)
"""Findings of searches and levers are large, and every edit asks for new ones."""

OUTDATED = "The column was changed meanwhile."


def digest_of(kind: str, inputs: Any) -> str:
    """Identifies a job by all that it is computed from, the engine's version among it."""
    return hashlib.sha256(json.dumps([ENGINE_VERSION, kind, inputs], sort_keys=True).encode()).hexdigest()


def find_or_add(
    session: Session, kind: str, inputs: str, arguments: dict[str, Any], *, queue: str = "long", again: bool = False
) -> tuple[JobRow, bool]:
    """The job of these inputs that is under way, or done unless it is to be done ``again``, or a new one; and whether it
    is new. One that failed or was stopped is never found: asking again starts anew."""
    while True:
        known = session.scalars(
            select(JobRow)
            .where(
                JobRow.kind == kind,
                JobRow.inputs == inputs,
                text(JOB_UNDER_WAY) if again else or_(JobRow.state == "done", text(JOB_UNDER_WAY)),
            )
            .order_by(JobRow.id.desc())
            .limit(1)
        ).one_or_none()
        if known is not None:
            return known, False
        row_id = session.scalar(
            insert(JobRow)
            .values(kind=kind, inputs=inputs, arguments=arguments, queue=queue)
            .on_conflict_do_nothing(index_elements=["kind", "inputs"], index_where=text(JOB_UNDER_WAY))
            .returning(JobRow.id)
        )
        if row_id is not None:
            return session.get_one(JobRow, row_id), True
        # Somebody else has asked for the same at this moment: theirs is found now.


def get(session: Session, job_id: int) -> JobRow:
    """One job; its result, which may be large, is read when it is asked for. Raises :class:`NotFound`."""
    row = session.get(JobRow, job_id, populate_existing=True, options=[defer(JobRow.result)])
    if row is None:
        raise NotFound(f"There is no job {job_id}.")
    return row


def ask_to_stop(session: Session, job_id: int) -> JobRow:
    """Cancel a job: at once while it waits, at its next step while it runs; one that has ended stays as it is."""
    row = session.get(JobRow, job_id, with_for_update=True, populate_existing=True)
    if row is None:
        raise NotFound(f"There is no job {job_id}.")
    _stop(row)
    session.flush()
    return row


def stop_outdated(session: Session, recipe_ids: Sequence[int], kinds: Sequence[str]) -> int:
    """Stop work on columns that have changed, so that it holds up nothing that is asked of their new state."""
    if not recipe_ids:
        return 0
    rows = session.scalars(
        select(JobRow)
        .where(JobRow.kind.in_(kinds), text(JOB_UNDER_WAY), JobRow.arguments["recipe_id"].as_integer().in_(recipe_ids))
        .order_by(JobRow.id)
        .with_for_update()
    ).all()
    for row in rows:
        _stop(row)
        row.problem = OUTDATED
    session.flush()
    return len(rows)


def _stop(row: JobRow) -> None:
    if row.state in UNDER_WAY:
        row.cancel = True
        if row.state == "waiting":
            row.state = "cancelled"
        row.updated_at = now()


def begin(session: Session, job_id: int, worker: str) -> JobRow | None:
    """Take a waiting job; None when it was cancelled, or somebody else has taken it."""
    row = session.get(JobRow, job_id, with_for_update=True, populate_existing=True)
    if row is None or row.state != "waiting":
        return None
    row.state, row.worker, row.attempts = "running", worker, row.attempts + 1
    row.updated_at = row.beat_at = now()
    session.flush()
    return row


def report(session: Session, job_id: int, worker: str, share: float, doing: str, result: dict[str, Any] | None) -> bool:
    """Say how far a job is, with what it has found so far; returns whether to stop: because somebody has asked for it,
    or the job was taken away from this worker."""
    values: dict[str, Any] = {"share": share, "doing": doing[:200], "updated_at": now(), "beat_at": now()}
    if result is not None:
        values |= {"result": result, "revision": JobRow.revision + 1}
    asked = session.scalar(update(JobRow).where(*_mine(job_id, worker)).values(**values).returning(JobRow.cancel))
    return asked is not False


def end(
    session: Session,
    job_id: int,
    worker: str,
    state: str,
    *,
    result: dict[str, Any] | None = None,
    problem: str | None = None,
) -> None:
    """Close a job, unless it was taken away from this worker. What it had found before it failed or was stopped is
    kept, and so is why it was stopped."""
    values: dict[str, Any] = {"state": state, "updated_at": now()}
    if problem is not None:
        values["problem"] = problem[:1000]
    if result is not None:
        values |= {"result": result, "revision": JobRow.revision + 1}
    if state == "done":
        values["share"] = 1.0
    session.execute(update(JobRow).where(*_mine(job_id, worker)).values(**values))


def _mine(job_id: int, worker: str) -> tuple[Any, ...]:
    return JobRow.id == job_id, JobRow.state == "running", JobRow.worker == worker


def beat(session: Session, worker: str, job_ids: Sequence[int]) -> None:
    """A worker's sign of life, for the jobs that it is at."""
    if job_ids:
        mine = (JobRow.id.in_(job_ids), JobRow.state == "running", JobRow.worker == worker)
        session.execute(update(JobRow).where(*mine).values(beat_at=now()))


def forget_old(session: Session) -> int:
    """Delete what was found long ago; it can be computed again. Returns how many."""
    old = now() - KEPT_FOR
    gone = session.execute(
        delete(JobRow).where(JobRow.updated_at < old, JobRow.state.not_in(UNDER_WAY)).returning(JobRow.id)
    ).all()
    return len(gone)


def give_back(session: Session, home: str) -> int:
    """Give back running jobs of an earlier worker of the same home, which is known to have ended; returns how many."""
    return _give_back(session, JobRow.worker.startswith(f"{home}:", autoescape=True))


def sweep(session: Session) -> list[tuple[int, str]]:
    """Give back jobs whose worker has gone, and name waiting ones that stand in no queue: their numbers and queues."""
    _give_back(session, or_(JobRow.beat_at.is_(None), JobRow.beat_at < now() - LOST_AFTER))
    forgotten = session.execute(
        text(
            "select id, queue from jobs where state = 'waiting' and updated_at < :before and not exists (select 1 from "
            "procrastinate_jobs where status = 'todo' and (args ->> 'job_id')::bigint = jobs.id) order by id"
        ),
        {"before": now() - FORGOTTEN_AFTER},
    ).all()
    return [(int(row.id), str(row.queue)) for row in forgotten]


def _give_back(session: Session, lost: Any) -> int:
    rows = session.scalars(
        select(JobRow).where(JobRow.state == "running", lost).order_by(JobRow.id).with_for_update(skip_locked=True)
    ).all()
    for row in rows:
        row.worker = ""
        if row.cancel:
            row.state = "cancelled"
        elif row.attempts < MAX_ATTEMPTS:
            # Older than any wait, so that the next sweep sends it.
            row.state, row.updated_at = "waiting", now() - 2 * FORGOTTEN_AFTER
        else:
            row.state, row.updated_at = "failed", now()
            row.problem = "It was interrupted more than once. Start it again."
    session.flush()
    return len(rows)
