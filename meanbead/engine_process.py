"""The engine in a process of its own: figures, strokes, findings, uploads and background work, behind the pages' process.

It runs at a lower priority, so that pages, lists and edits go first on a busy machine. It ends when the pages' process does:
its standard input is a pipe from there.
"""

from __future__ import annotations

import gc
import json
import logging
import os
import resource
import secrets
import subprocess
import sys
import threading
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING

from meanbead.listen import Server, bound, port_of
from meanbead.loading import load
from meanbead.store.database import Database

if TYPE_CHECKING:  # loaded in the process itself
    from meanbead.core.estimate import Engine

__all__ = ["EngineProcess", "main"]

_LOG = logging.getLogger(__name__)
NICE = 5
_MEMORY_SHARE = 0.85
_LEAST_BYTES = 4_000_000_000
"""Of address space, of which compiled code and threads take two before any work: a small machine must not refuse itself."""

_START_S = 240.0
_REST_S = 1.0


class EngineProcess:
    """Keeps the engine's process running, and knows where it listens."""

    def __init__(self, database_url: str) -> None:
        self.secret = secrets.token_urlsafe(32)
        self._told = json.dumps({"database": database_url, "secret": self.secret})
        self._process: subprocess.Popen[str] | None = None
        self._address: str | None = None
        self._stopping = threading.Event()
        self._ready = threading.Event()
        self._thread = threading.Thread(target=self._keep, name="engine", daemon=True)

    @property
    def address(self) -> str | None:
        """Where it listens, None while it starts."""
        return self._address

    @property
    def pid(self) -> int | None:
        """The process's number."""
        return None if self._process is None else self._process.pid

    def start(self) -> None:
        """Start it, and again whenever it ends by itself; returns when it listens."""
        self._thread.start()
        if not self._ready.wait(_START_S):
            raise OSError("the engine's process did not start")

    def stop(self) -> None:
        """End it."""
        self._stopping.set()
        process = self._process
        if process is not None and process.stdin is not None:
            process.stdin.close()
            try:
                process.wait(20)
            except subprocess.TimeoutExpired:
                process.kill()
                process.wait()
        self._thread.join(timeout=5)

    def _keep(self) -> None:
        while not self._stopping.is_set():
            # What is secret goes through the pipe: arguments and environment can be read by others.
            process = subprocess.Popen(
                [sys.executable, "-m", __name__],
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                text=True,
                start_new_session=True,  # Ctrl-C is for the pages' process, which then stops this one in order
            )
            self._process = process
            assert process.stdin is not None
            assert process.stdout is not None
            try:
                process.stdin.write(f"{self._told}\n")
                process.stdin.flush()
                line = process.stdout.readline()
                if line:
                    self._address = json.loads(line)["address"]
                    self._ready.set()
                process.wait()
            except (OSError, ValueError):
                _LOG.warning("the engine's process could not be spoken to", exc_info=True)
                process.kill()
                process.wait()
            finally:
                self._address = None
                process.stdout.close()
            if not self._stopping.is_set():
                _LOG.warning("the engine's process has ended (%s) and is started again", process.returncode)
            self._stopping.wait(_REST_S)


def _go_first() -> None:
    """Where memory runs out, as under a file that was made to harm, this process ends, and neither the pages' nor the
    database's: it gets errors beyond most of the machine's memory, and is the first that the system takes."""
    memory = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
    resource.setrlimit(resource.RLIMIT_AS, (max(int(_MEMORY_SHARE * memory), _LEAST_BYTES), resource.RLIM_INFINITY))
    with suppress(OSError):
        Path("/proc/self/oom_score_adj").write_text("500")


def _fill(database: Database, engine: Engine) -> None:
    """What the lists show of a workshop that was just set up: figures, and the sample's log. Then what a first edit needs."""
    from meanbead.demo.runs import add_sample_runs
    from meanbead.demo.warm import load_compiled
    from meanbead.demo.workshop import estimate_first_columns

    estimate_first_columns(database, engine)
    add_sample_runs(database, engine)
    # Where all was there already nothing has been computed yet, and the first edit would wait for machine code.
    load_compiled()


def main() -> None:
    """The process itself."""
    load("meanbead.api")
    from meanbead.api import create_app
    from meanbead.api.asgi import Application
    from meanbead.api.changes import ChangeFeed
    from meanbead.core.estimate import Engine
    from meanbead.jobs.worker import WorkerThread

    logging.basicConfig(level=logging.WARNING, format="%(asctime)s engine %(name)s %(levelname)s %(message)s")
    told = json.loads(sys.stdin.readline())
    os.nice(NICE)
    _go_first()
    database, engine = Database(told["database"]), Engine()
    worker = WorkerThread(database, engine)
    door = bound("127.0.0.1", 0)
    app = create_app(database, engine, inside_secret=told["secret"])
    server = Server(Application(app, database, ChangeFeed(database)), [door])
    server.start()
    worker.start()
    threading.Thread(target=_fill, args=(database, engine), daemon=True).start()
    # What has been loaded stays: looking through it for garbage again and again takes a quarter of a second each time.
    gc.collect()
    gc.freeze()
    print(json.dumps({"address": f"http://127.0.0.1:{port_of(door)}"}), flush=True)
    sys.stdin.read()  # until the pages' process closes it, or dies
    server.stop()
    worker.stop()
    database.close()
    os._exit(0)  # work under way has been given back; nothing of it may hold up the end


if __name__ == "__main__":
    main()
