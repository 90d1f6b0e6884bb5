"""A worker: in a thread of the server, sharing its engine, or as a process of its own on another machine."""

from __future__ import annotations

import asyncio
import logging
import os
import signal
import socket
import threading
import uuid
from contextlib import suppress

from meanbead.core.estimate import Engine
from meanbead.jobs.heart import Heart
from meanbead.jobs.queue import worker_app
from meanbead.jobs.work import Hand
from meanbead.store import jobs
from meanbead.store.database import Database

_LOG = logging.getLogger(__name__)
AT_ONCE = {"quick": 2, "advice": 2, "long": 1}
"""Jobs of each queue that a worker does side by side: figures that a person waits for, advice on a column, and what
takes minutes; none holds the others up."""

SERVER = "server"
"""The home of the worker beside the server. A workshop has one, so a new one knows that the last has ended."""

_REST_S = 1.0


class WorkerThread:
    """A worker beside the server. It shares the engine's memory, so that what the page has computed is known."""

    def __init__(self, database: Database, engine: Engine) -> None:
        self._database, self._engine = database, engine
        self._loop = asyncio.new_event_loop()
        self._task: asyncio.Task[None] | None = None
        self._ends = threading.Event()
        self._thread = threading.Thread(target=self._run, name="meanbead-worker", daemon=True)

    def start(self) -> None:
        """Begin to take jobs."""
        self._thread.start()

    def stop(self, timeout_s: float = 10.0) -> None:
        """Take no more jobs; those under way are left when they do not end in time."""

        self._ends.set()

        def cancel() -> None:
            if self._task is not None:
                self._task.cancel()

        with suppress(RuntimeError):  # the loop has ended by itself
            self._loop.call_soon_threadsafe(cancel)
        self._thread.join(timeout_s)

    def _run(self) -> None:
        asyncio.set_event_loop(self._loop)
        while not self._ends.is_set():
            self._task = self._loop.create_task(serve(self._database, self._engine, home=SERVER))
            try:
                self._loop.run_until_complete(self._task)
            except asyncio.CancelledError:
                break
            except Exception:
                # The database may have gone for a moment: work goes on when it is back.
                _LOG.warning("the worker lost its database and tries again", exc_info=True)
                self._ends.wait(_REST_S)
            finally:
                # Workers that were cancelled still have connections to give back.
                left = asyncio.all_tasks(self._loop)
                for task in left:
                    task.cancel()
                self._loop.run_until_complete(asyncio.gather(*left, return_exceptions=True))
        self._loop.close()


async def serve(database: Database, engine: Engine, *, home: str, handle_signals: bool = False) -> None:
    """Take jobs until stopped: by cancelling, or by a signal where it is to handle them.

    ``home`` is where the worker lives; what an earlier one of the same home left running is given back first.
    """
    here = asyncio.current_task()
    if handle_signals and here is not None:
        for number in (signal.SIGTERM, signal.SIGINT):
            asyncio.get_running_loop().add_signal_handler(number, here.cancel)
    with database.session.begin() as session:
        jobs.give_back(session, home)
        jobs.forget_old(session)
    hand = Hand(f"{home}:{uuid.uuid4().hex[:12]}")
    heart = Heart(database, hand)
    heart.start()
    app = worker_app(database, engine, hand)
    try:
        async with app.open_async():
            await asyncio.gather(
                *(
                    app.run_worker_async(
                        queues=[queue],
                        name=queue,
                        concurrency=at_once,
                        install_signal_handlers=False,
                        fetch_job_polling_interval=1.0,
                        shutdown_graceful_timeout=5.0,
                        delete_jobs="always",
                    )
                    for queue, at_once in AT_ONCE.items()
                )
            )
    finally:
        heart.stop()


def run_process(url: str) -> None:
    """A worker as a process of its own: the way in which a second machine joins."""
    database = Database(url)
    print("Waiting for work. Stop with Ctrl-C.", flush=True)
    try:
        with suppress(asyncio.CancelledError):
            home = f"{socket.gethostname()[:40]}-{os.getpid()}"
            asyncio.run(serve(database, Engine(), home=home, handle_signals=True))
    finally:
        database.close()
