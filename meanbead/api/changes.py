"""What others change, told to the pages as it happens.

The database tells of every change (a trigger, PostgreSQL's notifications); one connection a process hears them, and hands
them to all pages that listen, as server-sent events: which table, which row, its version. What a page then reads, it reads as
always, with its own rights.
"""

from __future__ import annotations

import asyncio
import json
import logging
import threading
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager, suppress
from dataclasses import dataclass, field

import psycopg
from apiflask import APIBlueprint
from flask import Response, request

from meanbead.api import access
from meanbead.store.database import Database, plain_url

_LOG = logging.getLogger(__name__)

ALLOWED = "meanbead.allowed"
"""A list in which a request that may listen leaves its session's digest."""

EVERYTHING = json.dumps({"table": "*", "id": 0, "version": 0, "of": None})
"""Said where changes may have been missed."""

_MOST_WAITING = 200
_MOST_LISTENERS = 500

blueprint = APIBlueprint("changes", __name__, url_prefix="/api", tag="Changes")


@blueprint.get("/changes")
@blueprint.doc(responses={200: "Server-sent events, as long as the page listens"})
def listen() -> Response:
    """Hear of every change as it happens: server-sent events with table, row, version, and the row that it belongs to."""
    request.environ.get(ALLOWED, []).append(access.me().token or "")
    return Response(status=204)


@dataclass(eq=False)
class Listener:
    """A page that listens. ``ended`` is set when its device was signed out."""

    token: str
    loop: asyncio.AbstractEventLoop
    waiting: asyncio.Queue[str] = field(default_factory=lambda: asyncio.Queue(_MOST_WAITING))
    ended: asyncio.Event = field(default_factory=asyncio.Event)

    def hear(self, change: str) -> None:
        """A change, in the listener's own loop. A phone that sleeps is told later that everything may have changed."""
        try:
            self.waiting.put_nowait(change)
        except asyncio.QueueFull:
            while not self.waiting.empty():
                self.waiting.get_nowait()
            self.waiting.put_nowait(EVERYTHING)


class TooManyListeners(RuntimeError):
    """So many pages listen that another would cost the others."""


class ChangeFeed:
    """Hears the database's notifications on one connection of its own, and hands them on; ``ended`` is told the digest of each
    session that ends."""

    def __init__(self, database: Database, ended: Callable[[str], None] = lambda token: None) -> None:
        self._told_ended = ended
        self._url = plain_url(database.url)
        self._listeners: set[Listener] = set()
        self._lock = threading.Lock()
        self._stopping = threading.Event()
        self._thread: threading.Thread | None = None

    def start(self) -> None:
        """Begin to hear."""
        self._thread = threading.Thread(target=self._run, name="changes", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """Hear no more; whoever listens is let go."""
        self._stopping.set()
        with self._lock:
            for listener in self._listeners:
                with suppress(RuntimeError):  # its loop has ended already
                    listener.loop.call_soon_threadsafe(listener.ended.set)
        if self._thread is not None:
            self._thread.join(timeout=5)

    @asynccontextmanager
    async def listener(self, token: str) -> AsyncIterator[Listener]:
        """A listener for as long as it is needed. Raises :class:`TooManyListeners`."""
        made = Listener(token, asyncio.get_running_loop())
        with self._lock:
            if len(self._listeners) >= _MOST_LISTENERS:
                raise TooManyListeners
            self._listeners.add(made)
        try:
            yield made
        finally:
            with self._lock:
                self._listeners.discard(made)

    def _run(self) -> None:
        first = True
        while not self._stopping.is_set():
            try:
                with psycopg.connect(self._url, autocommit=True) as connection:
                    connection.execute("listen meanbead_changes")
                    connection.execute("listen meanbead_ended")
                    if not first:
                        self._tell(EVERYTHING)  # what happened meanwhile, nobody has told us
                    first = False
                    while not self._stopping.is_set():
                        for notice in connection.notifies(timeout=1.0):
                            if notice.channel == "meanbead_ended":
                                self._end(notice.payload)
                            else:
                                self._tell(notice.payload)
            except psycopg.Error:
                first = False
                if self._stopping.wait(1.0):
                    return
                _LOG.info("the database's notifications are asked for again")

    def _tell(self, change: str) -> None:
        with self._lock:
            for listener in self._listeners:
                with suppress(RuntimeError):
                    listener.loop.call_soon_threadsafe(listener.hear, change)

    def _end(self, token: str) -> None:
        self._told_ended(token)
        with self._lock:
            for listener in self._listeners:
                if listener.token == token:
                    with suppress(RuntimeError):
                        listener.loop.call_soon_threadsafe(listener.ended.set)
