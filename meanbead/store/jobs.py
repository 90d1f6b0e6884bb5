"""Background work as rows: asked for, running with progress, done, failed or cancelled."""

from __future__ import annotations

import hashlib
import json
from datetime import timedelta
from typing import Any

from sqlalchemy import delete, select, update
from sqlalchemy.orm import Session

from meanbead.core.estimate.engine import ENGINE_VERSION
from meanbead.store.tables import JobRow, now
from meanbead.store.workshop import NotFound

UNDER_WAY = ("waiting", "running")
SILENT_FOR = timedelta(minutes=2)
"""A running job that has said nothing for so long has lost its worker."""


KEPT_FOR = timedelta(days=14)
"""Findings of searches and levers are large, and every edit asks for new ones."""


def digest_of(kind: str, inputs: Any) -> str:
    """Identifies a job by all that it is computed from, the engine's version among it."""
    return hashlib.sha256(json.dumps([ENGINE_VERSION, kind, inputs], sort_keys=True).encode()).hexdigest()


def find_or_add(
    session: Session, kind: str, inputs: str, arguments: dict[str, Any], *, again: bool = False
) -> tuple[JobRow, bool]:
    """The job of these inputs that is under way, or done unless it is to be done ``again``, or a new one; and whether it
    is new."""
    wanted = UNDER_WAY if again else ("done", *UNDER_WAY)
    known = session.scalars(
        select(JobRow)
        .where(JobRow.kind == kind, JobRow.inputs == inputs, JobRow.state.in_(wanted))
        .order_by(JobRow.id.desc())
        .limit(1)
    ).one_or_none()
    if known is not None and not (known.cancel and known.state in UNDER_WAY):
        return known, False
    row = JobRow(kind=kind, inputs=inputs, arguments=arguments)
    session.add(row)
    session.flush()
    return row, True


def get(session: Session, job_id: int) -> JobRow:
    """One job. Raises :class:`NotFound`."""
    row = session.get(JobRow, job_id, populate_existing=True)
    if row is None:
        raise NotFound(f"There is no job {job_id}.")
    return row


def ask_to_stop(session: Session, job_id: int) -> JobRow:
    """Cancel a job: at once while it waits, at its next step while it runs; one that has ended stays as it is."""
    row = session.get(JobRow, job_id, with_for_update=True, populate_existing=True)
    if row is None:
        raise NotFound(f"There is no job {job_id}.")
    if row.state in UNDER_WAY:
        row.cancel = True
        if row.state == "waiting":
            row.state = "cancelled"
        row.updated_at = now()
    session.flush()
    return row


def begin(session: Session, job_id: int) -> JobRow | None:
    """Take a waiting job; None when it was cancelled, or somebody else has taken it."""
    row = session.get(JobRow, job_id, with_for_update=True, populate_existing=True)
    if row is None or row.state != "waiting":
        return None
    row.state, row.updated_at = "running", now()
    session.flush()
    return row


def report(session: Session, job_id: int, share: float, doing: str, result: dict[str, Any] | None) -> bool:
    """Say how far a job is, with what it has found so far; returns whether it has been asked to stop."""
    values: dict[str, Any] = {"share": share, "doing": doing[:200], "updated_at": now()}
    if result is not None:
        values["result"] = result
    asked = session.scalar(update(JobRow).where(JobRow.id == job_id).values(**values).returning(JobRow.cancel))
    return asked is not False


def end(session: Session, job_id: int, state: str, *, result: dict[str, Any] | None = None, problem: str = "") -> None:
    """Close a job. What it had found before it failed or was stopped is kept."""
    values: dict[str, Any] = {"state": state, "problem": problem[:1000], "updated_at": now()}
    if result is not None:
        values["result"] = result
    if state == "done":
        values["share"] = 1.0
    session.execute(update(JobRow).where(JobRow.id == job_id).values(**values))


def forget_old(session: Session) -> int:
    """Delete what was found long ago; it can be computed again. Returns how many."""
    old = now() - KEPT_FOR
    gone = session.execute(
        delete(JobRow).where(JobRow.updated_at < old, JobRow.state.not_in(UNDER_WAY)).returning(JobRow.id)
    ).all()
    return len(gone)


def close_orphans(session: Session) -> int:
    """Close running jobs whose worker has gone; returns how many. They can be asked for again."""
    lost = session.scalars(
        select(JobRow).where(JobRow.state == "running", JobRow.updated_at < now() - SILENT_FOR)
    ).all()
    for row in lost:
        row.state, row.problem = "failed", "It was interrupted. Start it again."
    session.flush()
    return len(lost)
