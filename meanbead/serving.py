"""Serve a data folder: its own PostgreSQL, migrations, the sample workshop, and the pages: on loopback, and to the workshop's
network where that is asked for."""

from __future__ import annotations

import gc
import json
import logging
import os
import signal
import sys
import threading
import time
from datetime import datetime
from pathlib import Path
from types import FrameType

import segno

from meanbead import store
from meanbead.api import create_app
from meanbead.api.access import Access, remember_sessions
from meanbead.api.asgi import Application
from meanbead.api.changes import ChangeFeed
from meanbead.api.heavy import Inside
from meanbead.data_folder import state_file
from meanbead.demo.workshop import fill_if_empty
from meanbead.engine_process import EngineProcess
from meanbead.listen import Server, bound, port_of
from meanbead.network.certificates import CertificateError
from meanbead.network.secrets import cookie_key
from meanbead.network.wish import ReachError, Wish
from meanbead.reach import Network
from meanbead.services.backups import Backups
from meanbead.services.dispatch import Dispatch
from meanbead.store import archive, cluster
from meanbead.store.archive import ArchiveError
from meanbead.store.database import Database, NewerData

__all__ = ["backup", "serve"]

KEEP_S = 1.0
FORGET_S = 86_400.0
BACKUP_LOOK_S = 300.0
SWITCH_S = 0.001
"""Threads of the pages' process take turns five times as often as usual: what is answered in a few milliseconds must not wait
that long for its turn."""


def serve(
    data: Path, *, port: int, wish: Wish | None, samples: bool, nightly: bool, restore: Path | None, sure: bool
) -> int:
    """Serve until somebody says stop; returns the exit code. ``restore`` is an archive to bring back first, which asks before
    it replaces a workshop unless one is ``sure``; ``samples`` fills an empty workshop; ``nightly`` makes a backup each night."""
    try:
        return _serve(data, port, wish, samples, nightly, restore, sure)
    except (cluster.ClusterError, NewerData, CertificateError, ReachError, ArchiveError, OSError) as problem:
        print(f"start: {problem}", file=sys.stderr)
        return 1


def backup(data: Path, path: Path) -> int:
    """Write the workshop to a file, that it runs or not."""
    ran = cluster.is_running(data)
    try:
        running = cluster.start(data)
        try:
            database = Database(running.url)
            database.migrate()
            database.close()
            made = archive.write(running.url, path.resolve())
        finally:
            if not ran:
                cluster.stop(running.folder)
    except (cluster.ClusterError, NewerData, OSError) as problem:
        print(f"start: {problem}", file=sys.stderr)
        return 1
    print(f"{path}: {made.rows['parts']} parts, {made.rows['runs']} runs, {made.size_bytes / 1e6:.1f} MB.")
    return 0


def _serve(
    data: Path, port: int, wish: Wish | None, samples: bool, nightly: bool, restore: Path | None, sure: bool
) -> int:
    logging.basicConfig(level=logging.WARNING, format="%(asctime)s %(name)s %(levelname)s %(message)s")
    for number in (signal.SIGTERM, signal.SIGINT):  # a shell may have started us with Ctrl-C switched off
        signal.signal(number, _interrupt)
    print("Starting the database ...", flush=True)
    running = cluster.start(data)
    try:
        database = Database(running.url)
        database.migrate()
        if restore is not None and not _restore(data, restore, database, sure=sure):
            return 1
        if fill_if_empty(database, samples=samples, progress=lambda name: print(f"  sample part: {name}", flush=True)):
            print("The workshop was empty; it has been set up.", flush=True)
        _run(data, port, wish, nightly, running, database)
    except KeyboardInterrupt:
        print("\nStopping ...", flush=True)
    finally:
        cluster.stop(running.folder)
    return 0


def _restore(data: Path, path: Path, database: Database, *, sure: bool) -> bool:
    """Bring a workshop back; returns whether that was done."""
    contents = archive.check(path)
    print(
        f"{path}: the workshop of {contents.made_at:%Y-%m-%d %H:%M} UTC, {contents.rows.get('parts', 0)} parts, "
        f"{contents.rows.get('runs', 0)} runs."
    )
    if archive.has_data(database.url) and not sure:
        print("It takes the place of the workshop that is here, which is kept as a backup.")
        answer = input("Restore it? Type yes: ") if sys.stdin.isatty() else ""
        if answer.strip().lower() not in ("y", "yes"):
            print("Nothing was changed. (--yes restores without asking.)")
            return False
    Backups(_backup_folder(data), database.url).restore(path, lambda what: print(f"  {what}", flush=True))
    print("Restored.", flush=True)
    return True


def _backup_folder(data: Path) -> Path:
    return data / "backups"


def _run(
    data: Path, wanted_port: int, wish: Wish | None, nightly: bool, running: cluster.Running, database: Database
) -> None:
    """Serve until somebody says stop."""
    backups = Backups(_backup_folder(data), database.url, nightly=nightly)
    engine = EngineProcess(database.url)
    inside = Inside(engine.secret, lambda: engine.address)
    dispatch = Dispatch(database, data)
    app = create_app(database, None, Access(key=cookie_key(data)), inside=inside, kept=backups, dispatch=dispatch)
    feed = ChangeFeed(database, remember_sessions(app))
    sys.setswitchinterval(SWITCH_S)
    network = None if wish is None else Network(data, wish, app, database, feed)
    door = bound("127.0.0.1", wanted_port)
    port = port_of(door)
    if wanted_port and port != wanted_port:
        print(f"Port {wanted_port} is taken; using {port} instead.", flush=True)
    server = Server(Application(app, database, feed), [door])
    stopping = threading.Event()
    keepers = [
        threading.Thread(target=_keep_database, args=(running, stopping), daemon=True),
        threading.Thread(target=_forget, args=(database, stopping), daemon=True),
        threading.Thread(target=_nightly, args=(backups, stopping), daemon=True),
    ]
    try:
        print("Starting the engine ...", flush=True)
        feed.start()
        engine.start()
        server.start()
        for keeper in keepers:
            keeper.start()
        dispatch.start_following()
        gc.collect()
        gc.freeze()  # what has been loaded stays, and need not be looked through again and again
        address = f"http://127.0.0.1:{port}"
        state_file(data).write_text(json.dumps({"pid": os.getpid(), "address": address, "engine": engine.pid}))
        if network is not None:
            _serve_network(network, address)
        print(f"\nMean Bead: {address}\nStop with Ctrl-C.", flush=True)
        while True:
            time.sleep(3600)
    except KeyboardInterrupt:
        print("\nStopping ...", flush=True)
    finally:
        stopping.set()
        feed.stop()
        if network is not None:
            network.stop()
        server.stop()
        dispatch.stop()
        for keeper in keepers:
            if keeper.ident is not None:
                keeper.join()
        engine.stop()
        database.close()
        state_file(data).unlink(missing_ok=True)


def _serve_network(network: Network, address: str) -> None:
    """Serve the network, now or as soon as there is an owner, and say where: as text, and as a code that phones read."""

    def say(urls: list[str]) -> None:
        print("\nOn your network:", *(f"  {url}" for url in urls), sep="\n", flush=True)
        if urls:
            segno.make(urls[0], error="l", micro=False).terminal(compact=True)
        print("How phones come to trust it: open Network in the application.", flush=True)

    if not network.has_owner():
        print(
            f"\nNobody owns this workshop yet, so the network is not served. Make the first account at {address}/owner\n"
            "or with: .venv/bin/meanbead people add NAME --owner",
            flush=True,
        )
    network.start(say)


def _forget(database: Database, stopping: threading.Event) -> None:
    """Once at the start and then daily: forget sessions that have ended, failed tries, and what is too old for the journal."""
    while True:
        try:
            with database.session.begin() as session:
                store.sessions.forget_ended(session)
                store.tries.forget_old(session)
                store.audit.forget_old(session)
        except Exception:
            logging.getLogger(__name__).warning("old sessions could not be forgotten", exc_info=True)
        if stopping.wait(FORGET_S):
            return


def _nightly(backups: Backups, stopping: threading.Event) -> None:
    """Make a backup each night, and one that was missed as soon as the workshop has run for a while."""
    while not stopping.wait(BACKUP_LOOK_S):
        backups.make_if_due(datetime.now().astimezone())


def _keep_database(running: cluster.Running, stopping: threading.Event) -> None:
    """Start the database again when it has died; what was acknowledged is in its log."""
    while not stopping.wait(KEEP_S):
        try:
            if cluster.revive(running):
                logging.getLogger(__name__).warning("the database had died and was started again")
        except Exception:  # whatever it was, the next look may find it well: whoever keeps watch must not end
            logging.getLogger(__name__).warning("the database has died and does not start yet", exc_info=True)


def _interrupt(_number: int, _frame: FrameType | None) -> None:
    raise KeyboardInterrupt
