"""Run one job: take it, do it with progress, and close it whatever happens."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate import Engine
from meanbead.store import jobs
from meanbead.store.database import Database
from meanbead.store.workshop import NotFound

_LOG = logging.getLogger(__name__)


class Cancelled(Exception):
    """The person has asked to stop."""


@dataclass
class Progress:
    """Says how far a job is, seldom enough not to cost, and stops it when it is asked to."""

    database: Database
    job_id: int
    every_s: float = 0.15
    _last: float = 0.0

    def __call__(self, share: float, doing: str, result: dict[str, Any] | None = None) -> None:
        """Report; with a result found so far at once. Raises :class:`Cancelled`."""
        if result is None and time.monotonic() - self._last < self.every_s:
            return
        self._last = time.monotonic()
        with self.database.session.begin() as session:
            asked_to_stop = jobs.report(session, self.job_id, share, doing, result)
        if asked_to_stop:
            raise Cancelled


@dataclass(frozen=True)
class Toolbox:
    """What a job works with."""

    database: Database
    engine: Engine
    progress: Progress


Work = Callable[[Toolbox, dict[str, Any]], dict[str, Any]]


def run_job(database: Database, engine: Engine, job_id: int) -> None:
    """Run a stored job to its end. Errors that a person can act on are kept with it; others are logged, too."""
    from meanbead.jobs.kinds import KINDS

    with database.session.begin() as session:
        row = jobs.begin(session, job_id)
    if row is None:
        return
    try:
        result = KINDS[row.kind](Toolbox(database, engine, Progress(database, job_id)), row.arguments)
        state, problem = "done", ""
    except Cancelled:
        state, problem, result = "cancelled", "", None
    except (MeanBeadError, NotFound) as error:
        state, problem, result = "failed", str(error), None
    except Exception:
        _LOG.exception("job %s (%s) failed", job_id, row.kind)
        state, problem, result = "failed", "It failed for a reason of its own; the log says more.", None
    with database.session.begin() as session:
        jobs.end(session, job_id, state, result=result, problem=problem)
