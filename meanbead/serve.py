"""Start the application: its own PostgreSQL, migrations, the sample workshop, and the server, on loopback."""

from __future__ import annotations

import argparse
import fcntl
import json
import logging
import os
import signal
import sys
import threading
import time
from pathlib import Path
from types import FrameType
from urllib.request import urlopen

import waitress

from meanbead.api import create_app
from meanbead.core.estimate import Engine
from meanbead.core.runtime import limits
from meanbead.demo.workshop import estimate_first_columns, fill_if_empty
from meanbead.jobs.worker import WorkerThread
from meanbead.store import cluster
from meanbead.store.database import Database

USUAL_PORT = 8420
KEEP_S = 1.0
BODY_BYTES = max(limits.GCODE_FILE_BYTES, limits.PART_FILE_BYTES) + 2 * limits.FORM_BYTES
"""A little over what any request may hold, so that the application says what is too large, not the server."""
ROOT = Path(__file__).resolve().parents[1]


def _usual_folder() -> Path:
    """``var`` in a checkout; where a package is installed, the account's own folder for data."""
    if (ROOT / "pyproject.toml").is_file():
        return ROOT / "var"
    return Path(os.environ.get("XDG_DATA_HOME", Path.home() / ".local" / "share")) / "meanbead"


def main(argv: list[str] | None = None) -> int:
    """Entry point of ``./start`` after setup; returns the exit code."""
    arguments = _parser().parse_args(argv)
    data: Path = arguments.data
    if arguments.stop:
        return _stop(data)
    data.mkdir(parents=True, exist_ok=True)
    with (data / "start.lock").open("w") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            return _point_to_the_other(data)
        return _start(data, arguments)


def _start(data: Path, arguments: argparse.Namespace) -> int:
    try:
        return _serve(data, arguments.port, samples=not arguments.empty)
    except cluster.ClusterError as problem:
        print(f"start: {problem}", file=sys.stderr)
        return 1


def _point_to_the_other(data: Path) -> int:
    """Another process holds this data folder: wait until it listens, and say where."""
    for _ in range(240):
        state = _running(data)
        if state is not None:
            print(f"Mean Bead is running already: {state['address']}")
            return 0
        time.sleep(0.25)
    print("start: another ./start holds this data folder but does not answer. Try ./start --stop.", file=sys.stderr)
    return 1


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="./start", description="Start Mean Bead on this machine.")
    parser.add_argument("--empty", action="store_true", help="do not load the sample workshop into a new database")
    parser.add_argument("--port", type=int, default=USUAL_PORT, help=f"port of the pages (usually {USUAL_PORT})")
    parser.add_argument("--stop", action="store_true", help="stop a Mean Bead that is running")
    default = Path(os.environ.get("MEANBEAD_DATA", _usual_folder()))
    parser.add_argument("--data", type=Path, default=default, help="folder of the database")
    return parser


def _serve(data: Path, wanted_port: int, *, samples: bool) -> int:
    logging.basicConfig(level=logging.WARNING, format="%(asctime)s %(name)s %(levelname)s %(message)s")
    for number in (signal.SIGTERM, signal.SIGINT):  # a shell may have started us with Ctrl-C switched off
        signal.signal(number, _interrupt)
    print("Starting the database ...", flush=True)
    running = cluster.start(data)
    try:
        database = Database(running.url)
        database.migrate()
        if fill_if_empty(database, samples=samples, progress=lambda name: print(f"  sample part: {name}", flush=True)):
            print("The workshop was empty; it has been set up.", flush=True)
        engine = Engine()
        worker = WorkerThread(database, engine)
        worker.start()
        server = _bind(database, engine, wanted_port)
        port = int(server.effective_port)
        if port != wanted_port:
            print(f"Port {wanted_port} is taken; using {port} instead.", flush=True)
        stopping = threading.Event()
        keeper = threading.Thread(target=_keep_database, args=(running, stopping), daemon=True)
        keeper.start()
        address = f"http://127.0.0.1:{port}"
        _state_file(data).write_text(json.dumps({"pid": os.getpid(), "address": address}))
        threading.Thread(target=estimate_first_columns, args=(database, engine), daemon=True).start()
        print(f"\nMean Bead: {address}\nStop with Ctrl-C.", flush=True)
        try:
            server.run()
        except KeyboardInterrupt:
            print("\nStopping ...", flush=True)
        finally:
            stopping.set()
            keeper.join()
            server.close()
            worker.stop()
            database.close()
            _state_file(data).unlink(missing_ok=True)
    except KeyboardInterrupt:
        print("\nStopping ...", flush=True)
    finally:
        cluster.stop(running.folder)
    return 0


def _keep_database(running: cluster.Running, stopping: threading.Event) -> None:
    """Start the database again when it has died; what was acknowledged is in its log."""
    while not stopping.wait(KEEP_S):
        try:
            if cluster.revive(running):
                logging.getLogger(__name__).warning("the database had died and was started again")
        except Exception:  # whatever it was, the next look may find it well: whoever keeps watch must not end
            logging.getLogger(__name__).warning("the database has died and does not start yet", exc_info=True)


def _bind(database: Database, engine: Engine, wanted_port: int) -> waitress.server.BaseWSGIServer:
    """A server on the port wanted, or on a free one."""
    app = create_app(database, engine)
    settings = {"host": "127.0.0.1", "threads": 12, "ident": None, "max_request_body_size": BODY_BYTES}
    return waitress.create_server(app, port=cluster.free_port(wanted_port), **settings)


def _interrupt(_number: int, _frame: FrameType | None) -> None:
    raise KeyboardInterrupt


def _state_file(data: Path) -> Path:
    return data / "running.json"


def _running(data: Path) -> dict[str, str | int] | None:
    """What a living server of this data folder wrote about itself."""
    try:
        state: dict[str, str | int] = json.loads(_state_file(data).read_text())
        os.kill(int(state["pid"]), 0)
        with urlopen(f"{state['address']}/api/health", timeout=5) as answer:
            return state if answer.status == 200 else None
    except (OSError, ValueError, KeyError):
        return None


def _stop(data: Path) -> int:
    state = _running(data)
    if state is None:
        print("Mean Bead is not running.")
        if data.exists():
            cluster.stop(cluster.database_folder(data))  # one that a crash left behind
        return 0
    os.kill(int(state["pid"]), signal.SIGTERM)
    for _ in range(300):
        if _free(data):
            print("Mean Bead has stopped.")
            return 0
        time.sleep(0.1)
    print("start: Mean Bead does not stop.", file=sys.stderr)
    return 1


def _free(data: Path) -> bool:
    """True when no process holds the data folder any more; the database has then stopped, too."""
    with (data / "start.lock").open("w") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            return False
    return True


if __name__ == "__main__":
    sys.exit(main())
