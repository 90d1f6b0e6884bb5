"""A PostgreSQL cluster and an application for tests, made once per run and thrown away at its end."""

from __future__ import annotations

import atexit
import os
import shutil
import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from sqlalchemy import text

from meanbead.api import create_app
from meanbead.api.access import Access
from meanbead.api.asgi import Application
from meanbead.api.changes import ChangeFeed
from meanbead.core.estimate import Engine
from meanbead.demo.workshop import fill_if_empty
from meanbead.jobs.worker import WorkerThread
from meanbead.listen import Server, bound, port_of
from meanbead.services.backups import Backups
from meanbead.services.dispatch import Dispatch
from meanbead.store import cluster
from meanbead.store.database import Database

_RUNNING: list[Callable[[], None]] = []


def stop_servers() -> None:
    """Stop what :func:`live_server` started, waiting for requests under way."""
    while _RUNNING:
        _RUNNING.pop()()


@lru_cache(maxsize=1)
def running_cluster() -> cluster.Running:
    """The run's cluster, in a temporary folder."""
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


@lru_cache(maxsize=1)
def _migrated() -> str:
    """The name of a migrated, empty database: copying it is quicker than migrating another one."""
    database = _create("template_migrated", "template1")
    database.migrate()
    database.close()
    return "template_migrated"


@lru_cache(maxsize=1)
def _sample() -> str:
    """The name of a database with the sample workshop."""
    database = _create("template_sample", _migrated())
    fill_if_empty(database, samples=True)
    database.close()
    return "template_sample"


def new_database(name: str, *, samples: bool = False) -> Database:
    """A migrated database of its own, empty or with the sample workshop."""
    return _create(name, _sample() if samples else _migrated())


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
    """A server with a workshop as ``./start --empty`` makes it: a typical machine, two nozzles and a plastic."""
    database = new_database("live_empty")
    fill_if_empty(database, samples=False)
    return _served(database)


def _served(database: Database) -> LiveServer:
    engine = Engine()
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
