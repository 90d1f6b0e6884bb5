"""``meanbead people``: accounts from this machine's shell, where whoever can read the data folder is owner of it all."""

from __future__ import annotations

import argparse
import getpass
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from meanbead import services, store
from meanbead.core.errors import MeanBeadError
from meanbead.data_folder import usual_data_folder
from meanbead.store import cluster
from meanbead.store.database import Database

__all__ = ["run"]


def run(arguments: argparse.Namespace) -> None:
    """Do what the parsed arguments say."""
    {"add": _add, "list": _list, "passphrase": _reset}[arguments.what](arguments)


@contextmanager
def _opened(given: Path | None) -> Iterator[Database]:
    """The workshop's database: the one that runs, or started for as long as this takes."""
    data = given or usual_data_folder()
    was_running = cluster.is_running(data)
    running = cluster.start(data)
    database = Database(running.url)
    try:
        database.migrate()
        yield database
    finally:
        database.close()
        if not was_running:
            cluster.stop(running.folder)


def _passphrase(name: str) -> str:
    """Asked for twice at a terminal; one line where it is piped in. Never an argument: other people see those."""
    if sys.stdin.isatty():
        given = getpass.getpass("Passphrase: ")
        if getpass.getpass("Once more:  ") != given:
            raise MeanBeadError("The two are not the same.", field="passphrase")
    else:
        given = sys.stdin.readline().rstrip("\r\n")
    services.passphrases.refuse_weak(given, name)
    return services.passphrases.hash_of(given)


def _add(arguments: argparse.Namespace) -> None:
    name = arguments.name.strip()
    if not 1 <= len(name) <= 60 or not name.isprintable():
        raise MeanBeadError("A name has one to sixty letters.", field="name")
    with _opened(arguments.data) as database:
        hashed = _passphrase(name)
        with database.session.begin() as session:
            store.people.lock_people(session)
            store.people.add_person(session, name, arguments.role, hashed)
            store.audit.note(session, name, "Account added from the shell", f"as {arguments.role}")
    print(f"{name} can sign in, as {arguments.role}.")


def _list(arguments: argparse.Namespace) -> None:
    with _opened(arguments.data) as database, database.session.begin() as session:
        for person in store.people.everybody(session):
            print(f"{person.role:<8}{person.name}")


def _reset(arguments: argparse.Namespace) -> None:
    with _opened(arguments.data) as database:
        with database.session.begin() as session:
            person = store.people.by_name(session, arguments.name)
        if person is None:
            raise MeanBeadError(
                f"Nobody goes by the name {arguments.name}.", field="name", remedy="meanbead people list"
            )
        hashed = _passphrase(person.name)
        with database.session.begin() as session:
            row = store.rows.get(session, store.tables.Person, person.id)
            row.passphrase = hashed
            store.sessions.end(session, person_id=row.id)
            store.tries.succeeded(session, [("account", row.name.lower())])
            store.audit.note(session, row.name, "New passphrase from the shell")
    print(f"{person.name} has a new passphrase; their devices are signed out.")
