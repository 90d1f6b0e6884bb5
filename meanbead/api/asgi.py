"""The application as its server takes it: every request goes to Flask, but pages that listen for changes hold no thread."""

from __future__ import annotations

import asyncio
import json
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from typing import Any

from a2wsgi.wsgi import Body, build_environ
from apiflask import APIFlask
from werkzeug.exceptions import HTTPException
from werkzeug.test import run_wsgi_app

from meanbead import store
from meanbead.api.access import OVER_NETWORK
from meanbead.api.changes import ALLOWED, ChangeFeed, Listener, TooManyListeners
from meanbead.api.heavy import HEAVY
from meanbead.store.database import Database

LIGHT, SLOW, DOOR = 6, 32, 2
"""Threads for what is answered from memory and the database, for what waits for the engine, and for passphrases. However many
wait for the engine or try to sign in, pages, lists and edits have threads and connections of their own. Few, for they take
turns in one interpreter."""

_WAITS = HEAVY | {"estimates.figures", "machines.ask_console", "flow_tests.over_console"}
_PASSPHRASES = {
    "sign_in.sign_in",
    "sign_in.confirm",
    "sign_in.change_passphrase",
    "sign_in.make_owner",
    "sign_in.accept_invitation",
}
"""Each takes a core, 64 MiB and a connection: two at once a door, so that a flood of them holds up nothing but sign-ins."""

_STILL_HERE_S = 15.0
"""So often a page that listens hears that it is still heard, and its session is looked at again."""


class Application:
    """An ASGI application; ``over_network`` where the network can reach it."""

    def __init__(self, flask: APIFlask, database: Database, feed: ChangeFeed, *, over_network: bool = False) -> None:
        self._flask = flask
        self._database = database
        self._feed = feed
        self._marks: dict[str, Any] = {OVER_NETWORK: True} if over_network else {}
        self._light = ThreadPoolExecutor(LIGHT, "light")
        self._slow = ThreadPoolExecutor(SLOW, "slow")
        self._door = ThreadPoolExecutor(DOOR, "door")
        self._routes = flask.url_map.bind("")

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        """One request."""
        if scope["type"] != "http":
            return
        if scope["path"] == "/api/changes" and scope["method"] == "GET":
            await self._changes(scope, receive, send)
            return
        loop = asyncio.get_running_loop()
        environ: Any = build_environ(scope, Body(loop, receive)) | self._marks
        threads = self.threads_for(scope["path"], scope["method"])
        # The answer comes in one piece: handing it over bit by bit would have two threads take turns for each.
        status, headers, body = await loop.run_in_executor(threads, self._answer, environ)
        await send({"type": "http.response.start", "status": status, "headers": headers})
        await send({"type": "http.response.body", "body": body})

    def threads_for(self, path: str, method: str) -> ThreadPoolExecutor:
        """Which threads answer a request."""
        try:
            endpoint, _ = self._routes.match(path, method)
        except HTTPException:
            return self._light
        return self._door if endpoint in _PASSPHRASES else self._slow if endpoint in _WAITS else self._light

    def _answer(self, environ: Any) -> tuple[int, list[tuple[bytes, bytes]], bytes]:
        told, status, headers = run_wsgi_app(self._flask, environ)
        try:
            body = b"".join(told)
        finally:
            close = getattr(told, "close", None)
            if close is not None:
                close()
        sent = [(name.lower().encode("latin1"), value.encode("latin1")) for name, value in headers]
        return int(status.split()[0]), sent, body

    async def _changes(self, scope: Any, receive: Any, send: Any) -> None:
        allowed: list[str] = []
        environ: Any = (
            build_environ(scope, Body(asyncio.get_running_loop(), receive)) | self._marks | {ALLOWED: allowed}
        )
        # Whether this may be asked for is decided where it is decided for every request.
        status, headers, body = await asyncio.to_thread(self._answer, environ)
        if not allowed:
            await send({"type": "http.response.start", "status": status, "headers": headers})
            await send({"type": "http.response.body", "body": body})
            return
        kept = (b"content-security-policy", b"x-content-type-options", b"referrer-policy", b"strict-transport-security")
        sent = [(b"content-type", b"text/event-stream"), (b"cache-control", b"no-store"), (b"x-accel-buffering", b"no")]
        sent += [(name, value) for name, value in headers if name in kept]
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
                await _send(send, "event: here\ndata:\n\n")
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
