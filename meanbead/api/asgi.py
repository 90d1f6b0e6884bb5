"""The application as its server takes it: every request goes to Flask, but pages that listen for changes hold no thread."""

from __future__ import annotations

import asyncio
import json
from collections.abc import Iterable
from contextlib import suppress
from typing import Any

from a2wsgi import WSGIMiddleware
from a2wsgi.wsgi import Body, build_environ
from apiflask import APIFlask
from werkzeug.test import run_wsgi_app

from meanbead import store
from meanbead.api.access import OVER_NETWORK
from meanbead.api.changes import ALLOWED, ChangeFeed, Listener, TooManyListeners
from meanbead.store.database import Database

THREADS = 16
_STILL_HERE_S = 15.0
"""So often a page that listens hears that it is still heard, and its session is looked at again."""


class Application:
    """An ASGI application; ``over_network`` where the network can reach it."""

    def __init__(self, flask: APIFlask, database: Database, feed: ChangeFeed, *, over_network: bool = False) -> None:
        self._flask = flask
        self._database = database
        self._feed = feed
        self._marks: dict[str, Any] = {OVER_NETWORK: True} if over_network else {}
        self._threads = WSGIMiddleware(self._wsgi, workers=THREADS)

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        """One request."""
        if scope["type"] == "http" and scope["path"] == "/api/changes" and scope["method"] == "GET":
            await self._changes(scope, receive, send)
        else:
            await self._threads(scope, receive, send)

    def _wsgi(self, environ: Any, start_response: Any) -> Iterable[bytes]:
        environ.update(self._marks)
        return self._flask(environ, start_response)

    async def _changes(self, scope: Any, receive: Any, send: Any) -> None:
        allowed: list[str] = []
        environ: Any = (
            build_environ(scope, Body(asyncio.get_running_loop(), receive)) | self._marks | {ALLOWED: allowed}
        )
        # Whether this may be asked for is decided where it is decided for every request.
        told, status, headers = await asyncio.to_thread(run_wsgi_app, self._flask, environ, True)
        if not allowed:
            sent = [(name.lower().encode(), value.encode("latin1")) for name, value in headers]
            await send({"type": "http.response.start", "status": int(status.split()[0]), "headers": sent})
            await send({"type": "http.response.body", "body": b"".join(told)})
            return
        kept = ("content-security-policy", "x-content-type-options", "referrer-policy", "strict-transport-security")
        sent = [(b"content-type", b"text/event-stream"), (b"cache-control", b"no-store"), (b"x-accel-buffering", b"no")]
        sent += [(name.lower().encode(), value.encode("latin1")) for name, value in headers if name.lower() in kept]
        try:
            async with self._feed.listener(allowed[0]) as listener:
                await send({"type": "http.response.start", "status": 200, "headers": sent})
                gone = asyncio.ensure_future(_disconnected(receive))
                try:
                    await self._tell(listener, gone, send)
                finally:
                    gone.cancel()
                with suppress(OSError):
                    await send({"type": "http.response.body", "body": b""})
        except TooManyListeners:
            await send({"type": "http.response.start", "status": 503, "headers": [(b"retry-after", b"30")]})
            await send({"type": "http.response.body", "body": b""})

    async def _tell(self, listener: Listener, gone: asyncio.Future[None], send: Any) -> None:
        """Tell a page of changes until it goes, or its device is signed out."""
        await _send(send, "retry: 2000\n\n")
        ended = asyncio.ensure_future(listener.ended.wait())
        try:
            while not gone.done() and not ended.done():
                change = asyncio.ensure_future(listener.waiting.get())
                waits: list[asyncio.Future[Any]] = [change, gone, ended]
                await asyncio.wait(waits, timeout=_STILL_HERE_S, return_when=asyncio.FIRST_COMPLETED)
                if change.done():
                    await _send(send, f"data: {change.result()}\n\n")
                    continue
                change.cancel()
                if gone.done() or ended.done():
                    break
                if listener.token and not await asyncio.to_thread(self._lasts, listener.token):
                    break
                await _send(send, ": still here\n\n")
            if not gone.done():
                await _send(send, f"event: ended\ndata: {json.dumps({})}\n\n")
        finally:
            ended.cancel()

    def _lasts(self, token: str) -> bool:
        with self._database.session.begin() as session:
            return store.sessions.lasts(session, token)


async def _send(send: Any, text: str) -> None:
    await send({"type": "http.response.body", "body": text.encode(), "more_body": True})


async def _disconnected(receive: Any) -> None:
    while (await receive())["type"] != "http.disconnect":
        pass
