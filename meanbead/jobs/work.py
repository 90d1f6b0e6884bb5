"""Run one job: take it, do it with progress, and close it whatever happens."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy.orm import Session

from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate import Engine
from meanbead.store import jobs
from meanbead.store.database import Database
from meanbead.store.rows import NotFound
from meanbead.store.tables import JobRow

_LOG = logging.getLogger(__name__)


class Cancelled(Exception):
    """The person has asked to stop."""


@dataclass
class Hand:
    """Who does the work: a name of its own, and the jobs that it is at."""

    name: str = "here"
    at: set[int] = field(default_factory=set)


@dataclass
class Progress:
    """Says how far a job is, seldom enough not to cost, and stops it when it is asked to."""

    database: Database
    job_id: int
    worker: str
    every_s: float = 0.15
    _last: float = 0.0

    def __call__(self, fraction: float, message: str, result: dict[str, Any] | None = None) -> None:
        """Report; with a result found so far at once. Raises :class:`Cancelled`."""
        if result is None and time.monotonic() - self._last < self.every_s:
            return
        self._last = time.monotonic()
        with self.database.session.begin() as session:
            asked_to_stop = jobs.report(session, self.job_id, self.worker, fraction, message, result)
        if asked_to_stop:
            raise Cancelled

    def keep(self, session: Session, result: dict[str, Any]) -> None:
        """Store a result together with what else the session stores. Raises :class:`Cancelled`, so that neither is, where
        the job was stopped or taken away."""
        if jobs.report(session, self.job_id, self.worker, 1.0, "storing it", result):
            raise Cancelled


@dataclass(frozen=True)
class Toolbox:
    """What a job works with."""

    database: Database
    engine: Engine
    progress: Progress


Work = Callable[[Toolbox, dict[str, Any]], dict[str, Any]]


def run_job(database: Database, engine: Engine, job_id: int, hand: Hand | None = None) -> None:
    """Run a stored job to its end. Errors that a person can act on are kept with it; others are logged, too.

    Where even its end cannot be stored, the hand no longer counts it, and a sweep gives it back.
    """
    hand = hand or Hand()
    with database.session.begin() as session:
        row = jobs.begin(session, job_id, hand.name)
    if row is None:
        return
    hand.at.add(job_id)
    try:
        state, problem, result = _done(Toolbox(database, engine, Progress(database, job_id, hand.name)), row)
        with database.session.begin() as session:
            jobs.end(session, job_id, hand.name, state, result=result, problem=problem)
    finally:
        hand.at.discard(job_id)


def _done(tools: Toolbox, row: JobRow) -> tuple[str, str | None, dict[str, Any] | None]:
    """How a job ended: its state, what is to be said of it, and what it found."""
    from meanbead.jobs.kinds import KINDS

    try:
        return "done", "", KINDS[row.kind](tools, row.arguments)
    except Cancelled:
        return "cancelled", None, None
    except (MeanBeadError, NotFound) as error:
        return "failed", str(error), None
    except Exception:
        _LOG.exception("job %s (%s) failed", row.id, row.kind)
        return "failed", "It failed for a reason of its own; the log says more.", None
