"""All commands: what each is told, and how a problem is said."""

from __future__ import annotations

import argparse
import sys
from typing import NoReturn

from meanbead.cli import advice, day, devices, estimate, files, flow, gcode, learnt, part, schema, workshop
from meanbead.core.errors import MeanBeadError

__all__ = ["run"]


class _Parser(argparse.ArgumentParser):
    """Says what is wrong in one line, without the usage text in front of it."""

    def error(self, message: str) -> NoReturn:
        self.exit(2, f"{self.prog}: {message} (see {self.prog} --help)\n")


def run(argv: list[str] | None = None) -> int:
    """Do what one command asks for; returns the exit code."""
    arguments = _parser().parse_args(argv)
    try:
        arguments.run(arguments)
    except BrokenPipeError:
        return 0
    except (MeanBeadError, OSError) as problem:
        print(f"meanbead: {_one_line(problem)}", file=sys.stderr)
        return 2
    return 0


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(prog="meanbead", description="True time and filament of a printed part.")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")
    for group in (part, estimate, advice, gcode, files, devices, workshop, flow, learnt, day, schema):
        group.add(commands)
    return parser


def _one_line(problem: Exception) -> str:
    if isinstance(problem, OSError) and problem.strerror:
        return f"{problem.filename}: {problem.strerror}"
    return " ".join(str(problem).split())
