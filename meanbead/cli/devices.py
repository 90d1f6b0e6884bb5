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
    simulate.add_argument("device", choices=["console", "hotend", "scale"])
    simulate.add_argument("--grams", type=float, default=20.0, metavar="G", help="what lies on the simulated scale")
    simulate.add_argument("--hurry", type=float, default=1.0, metavar="TIMES", help="how much faster than real time")
    simulate.add_argument("--port", type=int, default=0, help="loopback port; 0 takes a free one")
    simulate.set_defaults(run=_simulate)


def _simulate(arguments: argparse.Namespace) -> None:
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
