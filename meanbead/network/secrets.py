"""Secrets that the application makes for itself, in the data folder, for its owner only."""

from __future__ import annotations

import os
import secrets
from pathlib import Path

FOLDER = "secrets"


def write_private(path: Path, content: bytes) -> None:
    """Write a file that only its owner may read, whole or not at all."""
    path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
    part = path.with_name(f"{path.name}.part")
    handle = os.open(part, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(handle, "wb") as file:
        os.fchmod(handle, 0o600)  # one that was left behind with another mode
        file.write(content)
        file.flush()
        os.fsync(handle)
    part.replace(path)


def cookie_key(data: Path) -> str:
    """The key that signs what pages send back; made when it is first asked for."""
    path = data / FOLDER / "cookie.key"
    if not path.exists():
        write_private(path, secrets.token_urlsafe(48).encode())
    path.chmod(0o600)
    return path.read_text().strip()
