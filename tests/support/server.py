"""A PostgreSQL cluster and applications for tests: one cluster a run, whichever processes work on it, with an empty and a
filled workshop that every test's own database is copied from."""

from __future__ import annotations

import atexit
import fcntl
import os
import shutil
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from apiflask import APIFlask
from sqlalchemy import text

from meanbead.api import create_app
from meanbead.api.access import Access, prepare
from meanbead.api.asgi import Application
from meanbead.api.changes import ChangeFeed
from meanbead.api.context import Context, attach
from meanbead.core.estimate import Engine
from meanbead.demo.workshop import fill_if_empty
from meanbead.jobs.queue import Queue
from meanbead.jobs.worker import WorkerThread
from meanbead.listen import Server, bound, port_of
from meanbead.services.backups import Backups
from meanbead.services.dispatch import Dispatch
from meanbead.store import cluster
from meanbead.store.database import Database
from tests.running.shared import CLUSTER

_RUNNING: list[Callable[[], None]] = []


def stop_servers() -> None:
    """Stop what :func:`live_server` started, waiting for requests under way."""
    while _RUNNING:
        _RUNNING.pop()()


@contextmanager
def _one_at_a_time(folder: Path) -> Iterator[None]:
    """Whatever processes share the cluster."""
    with folder.with_suffix(".lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield


@lru_cache(maxsize=1)
def running_cluster() -> cluster.Running:
    """The run's cluster: the one that the run has named, or this process's own, in a temporary folder."""
    if shared := os.environ.get(CLUSTER):
        with _one_at_a_time(Path(shared)):
            return cluster.start(Path(shared), port=0, durable=False)
    folder = Path(tempfile.mkdtemp(prefix="meanbead-test-"))
    os.chmod(folder, 0o755)  # the service account has to get through
    running = cluster.start(folder / "data", port=0, durable=False)

    def clean() -> None:
        cluster.stop(running.folder)
        shutil.rmtree(folder, ignore_errors=True)

    atexit.register(clean)
    return running


def _create(name: str, template: str) -> Database:
    running = running_cluster()
    admin = Database(running.url)
    with admin.engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
        connection.execute(text(f'drop database if exists "{name}" with (force)'))
        connection.execute(text(f'create database "{name}" template "{template}"'))
    admin.close()
    return Database(running.url.rsplit("/", 1)[0] + f"/{name}")


def _template(name: str, beginning: str, fill: Callable[[Database], object]) -> str:
    """A database that others are copied from, made by whichever process needs it first. Copying is much quicker than migrating
    or filling another one."""
    running = running_cluster()
    with _one_at_a_time(running.folder.parent):
        admin = Database(running.url)
        with admin.engine.connect() as connection:
            there = connection.scalar(text("select 1 from pg_database where datname = :name"), {"name": name})
        if not there:
            made = _create(f"{name}_in_the_making", beginning)
            fill(made)
            made.close()
            with admin.engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
                connection.execute(text(f'alter database "{name}_in_the_making" rename to "{name}"'))
        admin.close()
    return name


@lru_cache(maxsize=1)
def _migrated() -> str:
    """The name of a migrated, empty database."""
    return _template("template_migrated", "template1", Database.migrate)


@lru_cache(maxsize=1)
def _sample() -> str:
    """The name of a database with the sample workshop."""
    return _template("template_sample", _migrated(), lambda made: fill_if_empty(made, samples=True))


@lru_cache(maxsize=1)
def _usual() -> str:
    """The name of a database with a workshop as ``./start --empty`` makes it: a typical machine, two nozzles and a plastic."""
    return _template("template_usual", _migrated(), lambda made: fill_if_empty(made, samples=False))


def new_database(name: str, *, usual: bool = False, samples: bool = False) -> Database:
    """A migrated database of this process's own: empty, as ``./start --empty`` makes it, or with the sample workshop."""
    return _create(f"{name}_{os.getpid()}", _sample() if samples else _usual() if usual else _migrated())


@lru_cache(maxsize=1)
def shared_engine() -> Engine:
    """The process's engine, for tests that are not about what it remembers."""
    return Engine()


@lru_cache(maxsize=4)
def _made(served: Access) -> APIFlask:
    return create_app(None, served=served)


def app_of(
    database: Database,
    dispatch: Dispatch | None = None,
    *,
    served: Access = Access(),  # noqa: B008 -- frozen
    kept: Backups | None = None,
) -> APIFlask:
    """The process's application on a database, made once: its three hundred addresses take longer than most tests. The database
    of the test before is forgotten, with all that was kept of it."""
    app = _made(served)
    attach(app, Context(database, shared_engine(), Queue(database), kept, dispatch))
    prepare(app, served)
    return app


@dataclass(frozen=True)
class LiveServer:
    """An application that really listens."""

    address: str
    database: Database


@lru_cache(maxsize=1)
def live_server() -> LiveServer:
    """The run's server with the sample workshop, on a free port."""
    return _served(new_database("live", samples=True))


def empty_server() -> LiveServer:
    """A server with a workshop as ``./start --empty`` makes it."""
    return _served(new_database("live_empty", usual=True))


def _served(database: Database) -> LiveServer:
    engine = shared_engine()
    worker = WorkerThread(database, engine)
    worker.start()
    feed = ChangeFeed(database)
    feed.start()
    door = bound("127.0.0.1", 0)
    folder = tempfile.mkdtemp(prefix="meanbead-backups-")
    backups = Backups(Path(folder), database.url, nightly=False)
    dispatch = Dispatch(database, Path(folder) / "data")
    app = create_app(database, engine, Access(key="of tests"), kept=backups, dispatch=dispatch)
    dispatch.start_following()
    server = Server(Application(app, database, feed), [door])
    server.start()

    def clean() -> None:
        feed.stop()
        server.stop()
        dispatch.stop()
        worker.stop()
        database.close()
        shutil.rmtree(folder, ignore_errors=True)

    _RUNNING.append(clean)
    return LiveServer(f"http://127.0.0.1:{port_of(door)}", database)
