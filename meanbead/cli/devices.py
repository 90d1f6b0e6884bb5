"""``meanbead simulate``: stand-ins for the devices of a workshop."""

from __future__ import annotations

import argparse
import threading
from contextlib import suppress

from meanbead.cli.inputs import Commands

__all__ = ["add"]


def add(commands: Commands) -> None:
    """Add the command and its arguments."""
    simulate = commands.add_parser("simulate", help="run a simulated device to try things with")
    simulate.add_argument("device", choices=["console", "hotend", "scale", "machine", "store", "card"])
    simulate.add_argument("--grams", type=float, default=20.0, metavar="G", help="what lies on the simulated scale")
    simulate.add_argument("--hurry", type=float, default=1.0, metavar="TIMES", help="how much faster than real time")
    simulate.add_argument("--port", type=int, default=0, help="loopback port; 0 takes a free one")
    simulate.add_argument(
        "--slower",
        action="append",
        default=[],
        metavar="CAUSE=FACTOR",
        help="a simulated machine's secret: ramps=1.2, corners=1.1 ...; may be said again",
    )
    simulate.add_argument("--token", default="", help="what a simulated store wants to be shown")
    simulate.add_argument("--plain", action="store_true", help="a simulated store without TLS")
    simulate.set_defaults(run=_simulate)


def _simulate(arguments: argparse.Namespace) -> None:
    if arguments.device in ("machine", "store", "card"):
        {"machine": _simulate_machine, "store": _simulate_store, "card": _simulate_card}[arguments.device](arguments)
        return
    if arguments.device == "hotend":
        _simulate_hotend(arguments)
        return
    if arguments.device == "scale":
        _simulate_scale(arguments)
        return
    from meanbead.simulators.console import ConsoleServer

    with ConsoleServer(arguments.port) as server:
        print(f"A simulated console listens at {server.address}. Stop it with Ctrl-C.", flush=True)
        with suppress(KeyboardInterrupt):
            server.serve_forever()


def _simulate_hotend(arguments: argparse.Namespace) -> None:
    from meanbead.simulators.hotend import HotendServer, SimulatedHotend
    from meanbead.simulators.scale import ScaleServer

    hotend = SimulatedHotend(hurry=arguments.hurry)
    with HotendServer(hotend, arguments.port) as server, ScaleServer(hotend.collect_g) as scale:
        threading.Thread(target=scale.serve_forever, daemon=True).start()
        print(
            f"A simulated hot end's console listens at {server.address}, its scale at {scale.address}. Stop it with Ctrl-C.",
            flush=True,
        )
        with suppress(KeyboardInterrupt):
            server.serve_forever()


def _simulate_scale(arguments: argparse.Namespace) -> None:
    from meanbead.simulators.scale import ScaleServer

    with ScaleServer(lambda: arguments.grams, port=arguments.port) as scale:
        print(f"A simulated scale listens at {scale.address}. Stop it with Ctrl-C.", flush=True)
        with suppress(KeyboardInterrupt):
            scale.serve_forever()


def _simulate_machine(arguments: argparse.Namespace) -> None:
    from meanbead.core.errors import MeanBeadError
    from meanbead.core.estimate.ledger import CAUSES
    from meanbead.simulators.machine import MachineServer, SimulatedMachine

    slower = {}
    for said in arguments.slower:
        cause, _, factor = said.partition("=")
        if cause not in CAUSES or not factor.replace(".", "", 1).isdigit():
            raise MeanBeadError(
                f"“{said}” is no cause with a factor.",
                field="--slower",
                remedy=f"Such as ramps=1.2; of {', '.join(CAUSES)}.",
            )
        slower[cause] = float(factor)
    with MachineServer(SimulatedMachine(hurry=arguments.hurry, slower=slower), arguments.port) as server:
        print(
            f"A simulated machine's console listens at {server.address}. Allow this computer's own addresses at the machine. "
            "Stop it with Ctrl-C.",
            flush=True,
        )
        with suppress(KeyboardInterrupt):
            server.serve_forever()


def _simulate_store(arguments: argparse.Namespace) -> None:
    from meanbead.simulators.web_store import WebStore

    with WebStore(arguments.token, tls=not arguments.plain, port=arguments.port) as store:
        print(f"A simulated store takes files at {store.url}. Stop it with Ctrl-C.", flush=True)
        if store.certificate:
            print(f"Its certificate:\n{store.certificate}", flush=True)
        with suppress(KeyboardInterrupt):
            store.serve_forever()


def _simulate_card(arguments: argparse.Namespace) -> None:
    import tempfile
    import time

    with tempfile.TemporaryDirectory(prefix="card-") as folder:
        print(f"A simulated card is the folder {folder}. It goes when this is stopped, with Ctrl-C.", flush=True)
        with suppress(KeyboardInterrupt):
            while True:
                time.sleep(3600)
