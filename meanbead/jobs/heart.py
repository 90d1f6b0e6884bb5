"""Signs of life of a worker, and the sweep that gives back what has lost its worker."""

from __future__ import annotations

import logging
import threading

from meanbead.jobs.queue import Queue
from meanbead.jobs.work import Hand
from meanbead.store import jobs
from meanbead.store.database import Database

_LOG = logging.getLogger(__name__)
BEAT_S = 2.0


class Heart:
    """Beats beside a worker, in a thread of its own: work that takes long says nothing for long.

    Every worker sweeps, so that what one of them lost is found by any other.
    """

    def __init__(self, database: Database, hand: Hand) -> None:
        self._database, self._hand = database, hand
        self._queue = Queue(database)
        self._ends = threading.Event()
        self._thread = threading.Thread(target=self._run, name="meanbead-heart", daemon=True)

    def start(self) -> None:
        """Begin to beat."""
        self._thread.start()

    def stop(self) -> None:
        """Stop beating."""
        self._ends.set()
        self._thread.join(10)
        self._queue.close()

    def _run(self) -> None:
        while not self._ends.wait(BEAT_S):
            try:
                self.once()
            except Exception:
                # The database may be restarting: the next beat tries again.
                _LOG.warning("no sign of life could be given", exc_info=True)

    def once(self) -> None:
        """One beat and one sweep."""
        with self._database.session.begin() as session:
            jobs.beat(session, self._hand.name, list(self._hand.at))
            forgotten = jobs.sweep(session)
        for job_id, queue in forgotten:
            self._queue.send(job_id, queue)
