"""The queue: Procrastinate on the workshop's own PostgreSQL."""

from __future__ import annotations

import logging
import threading

import procrastinate
from procrastinate import PsycopgConnector, SyncPsycopgConnector

from meanbead.core.estimate import Engine
from meanbead.jobs.work import Hand, run_job
from meanbead.store.database import Database, plain_url

_LOG = logging.getLogger(__name__)
TASK = "meanbead.run"


class Queue:
    """Hands jobs to whichever worker is free."""

    def __init__(self, database: Database) -> None:
        self._app = procrastinate.App(
            connector=SyncPsycopgConnector(conninfo=plain_url(database.url), min_size=1, max_size=2)
        )
        self._open = False
        self._lock = threading.Lock()

    def send(self, job_id: int, queue: str) -> None:
        """Have a stored job run, in a queue of the worker's :data:`~meanbead.jobs.worker.AT_ONCE`. It must be committed before."""
        with self._lock:
            if not self._open:
                self._app.open()
                self._open = True
        self._app.configure_task(TASK, queue=queue).defer(job_id=job_id)

    def try_to_send(self, job_id: int, queue: str) -> None:
        """The same, where a job that could not be sent now may as well wait for the next sweep."""
        try:
            self.send(job_id, queue)
        except Exception:
            _LOG.warning("job %s could not be sent; the next sweep sends it", job_id, exc_info=True)

    def close(self) -> None:
        """Give the connections back."""
        if self._open:
            self._app.close()
            self._open = False


def worker_app(database: Database, engine: Engine, hand: Hand) -> procrastinate.App:
    """The queue's application of a worker: it knows how to run a job."""
    app = procrastinate.App(connector=PsycopgConnector(conninfo=plain_url(database.url), min_size=1, max_size=8))

    @app.task(name=TASK)
    def run(job_id: int) -> None:
        run_job(database, engine, job_id, hand)

    return app
