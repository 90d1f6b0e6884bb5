"""Tokens of machines: sealed with a key that lies beside the data, not in the database; opened only to be sent.

A token belongs to the place that it was given for: where the way leads to another host, it is not sent, and has to be given anew.
"""

from __future__ import annotations

import json
from pathlib import Path

from cryptography.fernet import Fernet, InvalidToken
from sqlalchemy.orm import Session

from meanbead.core.errors import MeanBeadError
from meanbead.devices.ways import WayDescription
from meanbead.network.secrets import FOLDER, write_private
from meanbead.store.print_tables import DeviceToken
from meanbead.store.tables import now

__all__ = ["TokenKey"]

_LONGEST = 2000


class TokenKey:
    """The key that seals tokens, made when it is first needed; in memory only where there is no data folder."""

    def __init__(self, data: Path | None) -> None:
        self._path = None if data is None else data / FOLDER / "device.key"
        self._made: bytes | None = None

    def seal(self, session: Session, machine_id: int, way: WayDescription, token: str) -> None:
        """Keep a machine's token; an empty one takes it away."""
        row = session.get(DeviceToken, machine_id)
        if not token:
            if row is not None:
                session.delete(row)
            return
        if len(token) > _LONGEST or not token.isprintable() or not token.isascii():
            raise MeanBeadError("That is no token.", field="token", remedy="Paste it as the machine shows it.")
        content = json.dumps({"machine": machine_id, "place": _bound_to(way), "token": token}).encode()
        sealed = Fernet(self._key()).encrypt(content)
        if row is None:
            session.add(DeviceToken(machine_id=machine_id, sealed=sealed))
        else:
            row.sealed, row.set_at = sealed, now()
        session.flush()

    def open(self, session: Session, machine_id: int, way: WayDescription) -> str:
        """A machine's token for a way; empty where it has none. Raises :class:`MeanBeadError` where it was given for another
        place, or cannot be opened here."""
        row = session.get(DeviceToken, machine_id)
        if row is None:
            return ""
        try:
            content = json.loads(Fernet(self._key()).decrypt(row.sealed))
        except (InvalidToken, ValueError):
            raise MeanBeadError(
                "The token cannot be opened with the key of this installation.", field="token", remedy="Give it again."
            ) from None
        if content["machine"] != machine_id or content["place"] != _bound_to(way):
            raise MeanBeadError("The token was given for another address.", field="token", remedy="Give it again.")
        return str(content["token"])

    def _key(self) -> bytes:
        if self._path is None:
            self._made = self._made or Fernet.generate_key()
            return self._made
        if not self._path.exists():
            write_private(self._path, Fernet.generate_key())
        self._path.chmod(0o600)
        return self._path.read_bytes().strip()


def _bound_to(way: WayDescription) -> str:
    return f"{way.kind} {way.place}"
