"""The start command: one at a time for a data folder; it points to the one that runs, or stops it. What serves is imported
only where it is needed, so that these two are quick."""

from __future__ import annotations

import argparse
import fcntl
import json
import os
import signal
import sys
import time
from pathlib import Path
from typing import Any
from urllib.request import urlopen

from meanbead.data_folder import state_file, usual_data_folder
from meanbead.loading import load
from meanbead.network.wish import USUAL_PORT as USUAL_NETWORK_PORT
from meanbead.network.wish import ReachError, Wish

USUAL_PORT = 8420


def main(argv: list[str] | None = None) -> int:
    """Entry point of ``./start`` after setup; returns the exit code."""
    arguments = _parser().parse_args(argv)
    data: Path = arguments.data
    if arguments.stop:
        return _stop(data)
    wish = _wish(arguments)
    try:
        if wish is not None:
            wish.check()
    except ReachError as problem:
        print(f"start: {problem}", file=sys.stderr)
        return 1
    data.mkdir(parents=True, exist_ok=True)
    if arguments.backup is not None:
        load("meanbead.serving")
        from meanbead.serving import backup

        return backup(data, arguments.backup)
    with (data / "start.lock").open("w") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            if arguments.restore is not None:
                print("start: Mean Bead is running. Restore on its page Backups, or stop it first.", file=sys.stderr)
                return 1
            return _point_to_the_other(data)
        load("meanbead.serving")
        from meanbead.serving import serve

        return serve(
            data,
            port=arguments.port,
            wish=wish,
            samples=not arguments.empty,
            nightly=not arguments.no_nightly,
            restore=arguments.restore,
            sure=arguments.yes,
        )


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


def _where(given: str) -> Path:
    """A file as whoever typed it means it: ``./start`` goes to its own folder first."""
    return Path(os.environ.get("MEANBEAD_FROM", ".")) / given


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="./start", description="Start Mean Bead on this machine.")
    parser.add_argument("--empty", action="store_true", help="do not load the sample workshop into a new database")
    parser.add_argument("--port", type=int, default=USUAL_PORT, help=f"port of the pages (usually {USUAL_PORT})")
    parser.add_argument("--backup", type=_where, metavar="FILE", help="write the whole workshop to a file, and end")
    parser.add_argument(
        "--restore",
        type=_where,
        metavar="FILE",
        help="bring a workshop back from its file, then start; asks before it replaces one",
    )
    parser.add_argument("--yes", action="store_true", help="answer yes to what --restore asks")
    parser.add_argument("--no-nightly", action="store_true", help="make no backup each night")
    parser.add_argument("--stop", action="store_true", help="stop a Mean Bead that is running")
    network = parser.add_argument_group("the workshop's network")
    network.add_argument("--network", action="store_true", help="serve phones and other people, with TLS and accounts")
    network.add_argument(
        "--network-port", type=int, default=USUAL_NETWORK_PORT, metavar="PORT", help=f"usually {USUAL_NETWORK_PORT}"
    )
    network.add_argument("--name", action="append", default=[], help="another name by which this machine is opened")
    network.add_argument(
        "--certificate", type=Path, metavar="FILE", help="a certificate of your own, PEM, with its chain"
    )
    network.add_argument("--key", type=Path, metavar="FILE", help="its key, PEM")
    network.add_argument(
        "--behind-proxy",
        metavar="ADDRESSES",
        default="",
        help="serve to reverse proxies at these addresses, which see to TLS; commas between; needs --name",
    )
    parser.add_argument("--data", type=Path, default=usual_data_folder(), help="folder of the database")
    return parser


def _wish(arguments: argparse.Namespace) -> Wish | None:
    """What is asked of the network; None where it is not to be served."""
    proxies = tuple(one.strip() for one in arguments.behind_proxy.split(",") if one.strip())
    if not arguments.network and not proxies:
        return None
    names = tuple(name.strip().lower() for name in arguments.name)
    return Wish(arguments.network_port, names, arguments.certificate, arguments.key, proxies)


def _running(data: Path) -> dict[str, Any] | None:
    """What a living server of this data folder wrote about itself."""
    try:
        state: dict[str, Any] = json.loads(state_file(data).read_text())
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
            from meanbead.store import cluster

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
