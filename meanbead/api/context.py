"""What requests share: the database and the engine."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import Any

from flask import current_app
from sqlalchemy.orm import Session

from meanbead.core.estimate import Engine
from meanbead.core.gcode.drawn import DrawnFile
from meanbead.core.runtime.cache import BoundedCache
from meanbead.core.runtime.pulled import First, Pulled
from meanbead.jobs.queue import Queue
from meanbead.services.backups import Backups
from meanbead.services.dispatch import Dispatch
from meanbead.store.database import Database

_KEY = "meanbead"
_LOOKS = 24
"""Answers under way that are kept: a few for each who looks at a bench."""


@dataclass(frozen=True)
class Kept:
    """An answer as it was sent. ``complete`` where no further estimate could change it; ``added`` says after how many
    additions of estimates it was made."""

    body: bytes
    complete: bool
    added: int

    @property
    def nbytes(self) -> int:
        """Bytes held."""
        return len(self.body)


@dataclass(frozen=True)
class Context:
    """The application's own objects; ``drawings`` are replayed files that were looked at lately, ``answers`` what was read
    lately, ``looks`` answers that go on while somebody looks, and give way to what goes ``first``. ``backups`` is where the workshop's are kept, None where there is no data folder;
    ``dispatch`` holds the lines to machines, None in the engine's process."""

    database: Database
    engine: Engine
    queue: Queue
    backups: Backups | None = None
    dispatch: Dispatch | None = None
    answers: BoundedCache[Kept] = field(
        default_factory=lambda: BoundedCache(64 * 1024 * 1024, lambda kept: kept.nbytes)
    )
    drawings: BoundedCache[DrawnFile] = field(
        default_factory=lambda: BoundedCache(128 * 1024 * 1024, lambda drawn: drawn.nbytes)
    )
    looks: BoundedCache[Pulled[Any]] = field(default_factory=lambda: BoundedCache(_LOOKS, lambda look: 1))
    first: First = field(default_factory=First)


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
