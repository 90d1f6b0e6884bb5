"""What requests share: the database and the engine."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass

from flask import current_app, request
from sqlalchemy.orm import Session

from meanbead.core.estimate import Engine
from meanbead.jobs.queue import Queue
from meanbead.store.database import Database

_KEY = "meanbead"


@dataclass(frozen=True)
class Context:
    """The application's own objects."""

    database: Database
    engine: Engine
    queue: Queue


def attach(app: object, context: Context) -> None:
    """Hang the context on an application."""
    app.extensions[_KEY] = context  # type: ignore[attr-defined]


def context() -> Context:
    """The context of the application that serves this request."""
    found: Context = current_app.extensions[_KEY]
    return found


@contextmanager
def session() -> Iterator[Session]:
    """A session that commits at the end, or rolls back on an error."""
    with context().database.session.begin() as opened:
        yield opened


def who() -> str:
    """The person that the page names with each request; empty where nobody has said a name."""
    return request.headers.get("X-Person", "")[:60].strip()
