"""Who asks, and from where: alone on this machine, or signed in.

Three things are decided here for every request, before anything else of it is read: whose it is (session), whether it comes
from a page of ours (CSRF token), and whether that person may (:mod:`meanbead.api.rights`). What is not in that table is
refused.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any

from apiflask import APIFlask
from flask import Flask, Request, Response, current_app, g, request
from flask import session as cookie_session
from flask.sessions import SessionInterface, SessionMixin
from flask_wtf.csrf import generate_csrf, validate_csrf
from wtforms.validators import ValidationError as TokenRefused

from meanbead import store
from meanbead.api.context import session
from meanbead.api.problems import Refused
from meanbead.api.rights import RIGHTS, Right
from meanbead.network.certificates import Certificate
from meanbead.store.people import Role, any_account

OVER_NETWORK = "meanbead.network"
"""Marks, in a request's environment, that it came in where the network can reach us."""

_SAFE = {"GET", "HEAD", "OPTIONS"}
_LEVEL: dict[Role, int] = {"guest": 1, "member": 2, "owner": 3}
_KEY = "meanbead.access"
_KEY_SESSIONS = "meanbead.sessions"
_LOOK_AGAIN_S = 2.0
_MOST_REMEMBERED = 2_000
REMEMBERED_S = 5.0


@dataclass(frozen=True)
class Access:
    """How the application is served. ``hosts`` are the names under which the network reaches it, ``urls`` where phones open
    it, and ``key`` signs CSRF tokens."""

    hosts: frozenset[str] = frozenset()
    urls: tuple[str, ...] = ()
    key: str = ""
    certificate: Certificate | None = None


@dataclass(frozen=True)
class Actor:
    """Who asks. ``token`` is the digest of the device's session, None for somebody alone on this machine."""

    name: str
    role: Role
    person_id: int | None = None
    token: str | None = None
    confirmed: bool = True


@dataclass
class _Accounts:
    """Whether anybody has an account: once so, always so, for the last owner cannot go."""

    known: bool = False
    looked_at: float = field(default=-1e9)

    def exist(self) -> bool:
        if not self.known and time.monotonic() - self.looked_at > _LOOK_AGAIN_S:
            with session() as db:
                self.known = any_account(db)
            self.looked_at = time.monotonic()
        return self.known


@dataclass(frozen=True)
class _Session:
    """A device's session as it was looked up."""

    actor: Actor
    data: dict[str, Any]


class SessionMemory:
    """Sessions that were looked up within the last seconds. It remembers nothing unless ``lasts_s`` is set, which whoever
    hears of sessions that end may do: those are forgotten at once."""

    def __init__(self) -> None:
        self.lasts_s = 0.0
        self._held: dict[str, tuple[float, _Session]] = {}

    def get(self, cookie: str) -> _Session | None:
        """The session of a cookie, if it was looked up lately."""
        at, found = self._held.get(cookie, (-1e9, None))
        return found if time.monotonic() - at < self.lasts_s else None

    def keep(self, cookie: str, found: _Session) -> None:
        """Remember a session for some seconds."""
        if self.lasts_s > 0:
            if len(self._held) > _MOST_REMEMBERED:
                self._held.clear()
            self._held[cookie] = (time.monotonic(), found)

    def forget(self, token_digest: str) -> None:
        """A session has ended, or is another now."""
        for cookie in [cookie for cookie, (_, one) in list(self._held.items()) if one.actor.token == token_digest]:
            self._held.pop(cookie, None)


class ServerSession(dict[str, Any], SessionMixin):
    """What a device's session keeps, in the database; empty and never stored for a device that is not signed in."""

    token: str | None = None
    modified = False

    def __setitem__(self, key: str, value: Any) -> None:
        super().__setitem__(key, value)
        self.modified = True


class ServerSessions(SessionInterface):
    """Keeps sessions in the database; cookies hold a random token and nothing else."""

    def open_session(self, app: Flask, request: Request) -> ServerSession:
        """An empty one: it is read when it is known that somebody has accounts at all."""
        return ServerSession()

    def save_session(self, app: Flask, session_: SessionMixin, response: Response) -> None:
        """Keep what has changed."""
        if isinstance(session_, ServerSession) and session_.modified and session_.token is not None:
            with session() as db:
                store.sessions.keep(db, session_.token, dict(session_))
            session_.modified = False
            _remembered().forget(session_.token)


def prepare(app: APIFlask, access: Access) -> None:
    """Say how an application is served, and where its sessions are kept."""
    app.extensions[_KEY] = (access, _Accounts())
    app.extensions[_KEY_SESSIONS] = SessionMemory()
    app.config["WTF_CSRF_SECRET_KEY"] = access.key or "no accounts"
    app.config["WTF_CSRF_TIME_LIMIT"] = None  # a token lasts as long as its session
    app.session_interface = ServerSessions()


def register(app: APIFlask, access: Access) -> None:
    """Have every request decided on."""
    prepare(app, access)

    @app.before_request
    def decide() -> None:
        right = RIGHTS.get(request.endpoint or "", None)
        if request.endpoint is None or right is Right.ANYBODY_WITHOUT_ASKING:
            return
        g.actor = _whose()
        if right is None:
            raise Refused(403, "not-allowed", "This may not be asked for: nobody has said who may.")
        _allow(right)

    @app.after_request
    def write_down(response: Response) -> Response:
        who = actor()
        if who is not None and who.token is not None and _worth_noting(response):
            about = request.path if response.status_code < 400 else f"{request.path}: refused ({response.status_code})"
            note(_summary(request.endpoint or ""), about)
        return response


def _worth_noting(response: Response) -> bool:
    right = RIGHTS.get(request.endpoint or "")
    if request.method in _SAFE or right in (None, Right.COMPUTE) or (right is not None and not right.role):
        return False
    return response.status_code < 400 or response.status_code == 403


def _summary(endpoint: str) -> str:
    told = (current_app.view_functions[endpoint].__doc__ or "").strip().splitlines()
    return told[0] if told else endpoint.split(".")[-1].replace("_", " ").capitalize()


def serve_as(app: APIFlask, served: Access) -> None:
    """From now on the network reaches the application otherwise."""
    app.extensions[_KEY] = (served, app.extensions[_KEY][1])
    app.config["WTF_CSRF_SECRET_KEY"] = served.key


def remember_sessions(app: APIFlask) -> Callable[[str], None]:
    """Remember sessions for some seconds from now on; returns what is to be told of each that ends."""
    memory: SessionMemory = app.extensions[_KEY_SESSIONS]
    memory.lasts_s = REMEMBERED_S
    return memory.forget


def access() -> Access:
    """How this application is served."""
    found: Access = current_app.extensions[_KEY][0]
    return found


def accounts_exist() -> bool:
    """Whether anybody has an account; otherwise whoever is at this machine opens straight in."""
    accounts: _Accounts = current_app.extensions[_KEY][1]
    return accounts.exist()


def accounts_were_made() -> None:
    """From now on somebody has to sign in."""
    accounts: _Accounts = current_app.extensions[_KEY][1]
    accounts.known = True


def over_network() -> bool:
    """Whether this request came in where the network can reach us."""
    return bool(request.environ.get(OVER_NETWORK))


def here() -> str:
    """The address that this request comes from."""
    return (request.remote_addr or "")[:45]


def actor() -> Actor | None:
    """Whoever asks; None for somebody who is not signed in where one has to be."""
    found: Actor | None = g.get("actor")
    return found


def me() -> Actor:
    """Whoever asks, where the table of rights has made sure that somebody does."""
    found = actor()
    if found is None:
        raise Refused(401, "sign-in", "Sign in first.")
    return found


def note(what: str, about: str = "", *, who: str | None = None) -> None:
    """Write a line into the audit journal."""
    asked_by = actor()
    name = who if who is not None else (asked_by.name if asked_by else "")
    with session() as db:
        store.audit.note(db, name, what, about, here())


def csrf_token() -> str | None:
    """What the page has to send along with every change; None where no cookie could be misused."""
    current = actor()
    return None if current is None or current.token is None else str(generate_csrf())


def cookie_name() -> str:
    """``__Host-`` has the browser see to it that the cookie came over TLS, from this host, for all of it."""
    return "__Host-meanbead" if request.is_secure else "meanbead"


def _whose() -> Actor | None:
    if not accounts_exist():
        if over_network():
            return None
        return Actor(request.headers.get("X-Person", "")[:60].strip(), "owner")
    token = request.cookies.get(cookie_name(), "")
    if not token:
        return None
    found = _remembered().get(token) or _looked_up(token)
    if found is None:
        return None
    _fill(str(found.actor.token), found.data)
    return found.actor


def _looked_up(token: str) -> _Session | None:
    with session() as db:
        row = store.sessions.find(db, token)
        if row is None:
            return None
        person = row.person
        role: Role = person.role  # type: ignore[assignment]
        who = Actor(person.name, role, person.id, row.token, store.sessions.is_confirmed(row))
        found = _Session(who, dict(row.data))
    _remembered().keep(token, found)
    return found


def _remembered() -> SessionMemory:
    memory: SessionMemory = current_app.extensions[_KEY_SESSIONS]
    return memory


def _fill(token: str, data: dict[str, Any]) -> None:
    """Let the request's session hold what is stored of it."""
    held: ServerSession = cookie_session._get_current_object()  # type: ignore[attr-defined]
    held.token = token
    held.update(data)
    held.modified = False


def _allow(right: Right) -> None:
    if not right.role:
        return
    who = me()
    if who.token is not None and request.method not in _SAFE:
        try:
            validate_csrf(request.headers.get("X-CSRFToken", ""))
        except TokenRefused:
            raise Refused(403, "csrf", "This page is out of date. Reload it, and make your change again.") from None
    if _LEVEL[who.role] < _LEVEL[right.role]:
        whose = {"member": "members and owners", "owner": "owners"}[right.role]
        raise Refused(403, "not-allowed", f"This is for {whose}. You are signed in as a {who.role}: ask an owner.")
    if right.confirmed and not who.confirmed:
        raise Refused(403, "confirm", "Give your passphrase once more.")


def adopt(token: str, who: Actor) -> None:
    """Go on with this request as whoever has just signed in."""
    _fill(token, {})
    g.actor = who


def adopt_confirmed(who: Actor) -> None:
    """Go on with this request as somebody who has just given the passphrase once more."""
    _remembered().forget(str(who.token))
    g.actor = replace(who, confirmed=True)


def leave() -> None:
    """Go on with this request as nobody."""
    held: ServerSession = cookie_session._get_current_object()  # type: ignore[attr-defined]
    held.clear()
    held.token, held.modified = None, False
    g.actor = None


def base_url() -> str:
    """The address under which others reach us: the one that this page was opened by, if it is one of those."""
    urls = access().urls
    asked = request.host_url.rstrip("/")
    return asked if over_network() or not urls else urls[0]
