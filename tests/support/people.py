"""People with accounts, for tests: an application that the network reaches, and somebody signed in to it."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from apiflask import APIFlask
from argon2 import PasswordHasher
from flask.testing import FlaskClient
from werkzeug.test import TestResponse

from meanbead import services, store
from meanbead.api.access import OVER_NETWORK, Access
from meanbead.services import passphrases
from meanbead.services.backups import Backups
from meanbead.store.database import Database
from meanbead.store.people import Role
from tests.support.server import app_of

USED, CHEAP = passphrases._HASHER, PasswordHasher(time_cost=1, memory_cost=64, parallelism=1)
passphrases._HASHER = CHEAP  # a fifth of a second for each sign-in would be half of the time of these tests

PASSPHRASE = "seven wet herons on a plank"
HOST = "workshop.test"
NETWORK = Access(hosts=frozenset({HOST}), urls=(f"https://{HOST}",), key="key of tests")


@lru_cache(maxsize=1)
def _hashed() -> str:
    return services.passphrases.hash_of(PASSPHRASE)


def add_people(database: Database, **roles: Role) -> None:
    """Accounts of these names and roles, all with :data:`PASSPHRASE`."""
    hashed = _hashed()
    with database.session.begin() as session:
        for name, role in roles.items():
            if store.people.by_name(session, name) is None:
                store.people.add_person(session, name, role, hashed)


def network_app(database: Database, kept: Backups | None = None) -> APIFlask:
    """An application that the network reaches as ``https://workshop.test``."""
    return app_of(database, served=NETWORK, kept=kept)


class Browser:
    """A browser of somebody: it keeps its cookie and sends the token."""

    def __init__(self, app: APIFlask, *, over_network: bool = True, address: str = "10.0.0.7") -> None:
        self.client: FlaskClient = app.test_client()
        self.origin = f"https://{HOST}" if over_network else "http://127.0.0.1"
        self.environ = {"REMOTE_ADDR": address if over_network else "127.0.0.1", OVER_NETWORK: over_network}
        self.csrf = ""

    def ask(self, method: str, path: str, body: Any = None, **headers: str) -> TestResponse:
        """A request as a page sends it; headers given as keywords replace the page's own."""
        sent = {"Origin": self.origin, "X-CSRFToken": self.csrf} | {
            name.replace("_", "-"): value for name, value in headers.items()
        }
        return self.client.open(
            path,
            method=method,
            json=body,
            base_url=self.origin,
            headers={name: value for name, value in sent.items() if value},
            environ_overrides=self.environ,
        )

    def sign_in(self, name: str, passphrase: str = PASSPHRASE, **more: Any) -> TestResponse:
        """Sign in, and keep the token."""
        answer = self.ask("POST", "/api/sign-in", {"name": name, "passphrase": passphrase, **more})
        if answer.status_code == 200:
            self.csrf = answer.get_json()["csrf"]
        return answer

    @property
    def cookie(self) -> str | None:
        """What the session's cookie holds."""
        name = "__Host-meanbead" if self.origin.startswith("https") else "meanbead"
        found = self.client.get_cookie(name, domain=HOST if self.origin.startswith("https") else "127.0.0.1")
        return None if found is None else found.value
