"""``meanbead worker`` and ``people``: what is done in a workshop's database."""

from __future__ import annotations

import argparse
from pathlib import Path

from meanbead.cli.inputs import Commands
from meanbead.core.errors import MeanBeadError

__all__ = ["add"]


def add(commands: Commands) -> None:
    """Add the commands and their arguments."""
    worker = commands.add_parser("worker", help="do background work for a workshop, on this or a second machine")
    worker.add_argument("--database", metavar="URL", required=True, help="postgresql://... of the workshop")
    worker.set_defaults(run=_worker)
    people = commands.add_parser("people", help="accounts of a workshop: add, list, give a new passphrase")
    kinds = people.add_subparsers(required=True, metavar="add|list|passphrase", dest="what")
    added = kinds.add_parser("add", help="add an account; its passphrase is asked for, or read from standard input")
    added.add_argument("name")
    added.add_argument(
        "--owner", dest="role", action="store_const", const="owner", default="member", help="as an owner"
    )
    added.add_argument("--guest", dest="role", action="store_const", const="guest", help="as a guest at the machine")
    listed = kinds.add_parser("list", help="who has an account")
    reset = kinds.add_parser("passphrase", help="give somebody a new passphrase; their devices are signed out")
    reset.add_argument("name")
    for one in (added, listed, reset):
        one.add_argument("--data", type=Path, help="folder of the database; left out, the usual one")
        one.set_defaults(run=_people)


def _worker(arguments: argparse.Namespace) -> None:
    from meanbead.jobs.worker import run_process

    run_process(arguments.database)


def _people(arguments: argparse.Namespace) -> None:
    from meanbead.cli import people
    from meanbead.store.cluster import ClusterError
    from meanbead.store.database import NewerData

    try:
        people.run(arguments)
    except (ClusterError, NewerData) as problem:
        raise MeanBeadError(str(problem)) from None
