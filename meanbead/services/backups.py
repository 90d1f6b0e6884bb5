"""Backups in the data folder: one a night, seven deep, and those that somebody asked for or that a restore put aside."""

from __future__ import annotations

import logging
import re
import threading
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Literal

from meanbead.store import archive
from meanbead.store.archive import Contents

__all__ = ["Backups", "Kept", "NotThere"]

_LOG = logging.getLogger(__name__)

NIGHTS_KEPT = 7
PUT_ASIDE_KEPT = 5
NIGHT_H = 2
"""The hour from which a night's backup is made, local time; one that was missed is made as soon as the workshop runs."""

_LONGEST = timedelta(hours=26)
_NAME = re.compile(r"^(nightly|by-hand|before-restore|brought)-[0-9A-Za-z-]{1,40}\.zip$")

Kind = Literal["nightly", "by-hand", "before-restore", "brought"]


class NotThere(LookupError):
    """There is no such backup."""


@dataclass(frozen=True)
class Kept:
    """An archive in the folder."""

    name: str
    kind: Kind
    made_at: datetime
    size_bytes: int


class Backups:
    """The folder of a workshop's backups, and the database that they are of. Of writing and restoring one goes on at a time."""

    def __init__(self, folder: Path, url: str, *, nightly: bool = True) -> None:
        self.folder, self.nightly = folder, nightly
        self._url = url
        self._busy = threading.Lock()

    def kept(self) -> list[Kept]:
        """What there is, the newest first; what was only brought in to be looked at is left out."""
        found = []
        for path in self.folder.glob("*.zip") if self.folder.is_dir() else ():
            match = _NAME.match(path.name)
            if match and match[1] != "brought":
                stat = path.stat()
                kind: Kind = match[1]  # type: ignore[assignment]
                found.append(Kept(path.name, kind, datetime.fromtimestamp(stat.st_mtime, UTC), stat.st_size))
        return sorted(found, key=lambda one: one.made_at, reverse=True)

    def path(self, name: str) -> Path:
        """Where an archive lies. Raises :class:`NotThere`, also for names that are none."""
        path = self.folder / name
        if not _NAME.match(name) or not path.is_file():
            raise NotThere(f"There is no backup {name[:60]!r}.")
        return path

    def make(self, kind: Kind, told: Callable[[str], None] = lambda _: None) -> Path:
        """Write an archive of the workshop as it is now."""
        with self._busy:
            return self._make(kind, told)

    def _make(self, kind: Kind, told: Callable[[str], None] = lambda _: None) -> Path:
        path = self.folder / f"{kind}-{_stamp()}.zip"
        self.folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        for left in self.folder.glob(".*.part"):  # of a write that a crash ended
            left.unlink(missing_ok=True)
        archive.write(self._url, path, told)
        self._prune(kind)
        return path

    def place_for_brought(self) -> Path:
        """Where an archive is put that somebody brings; the last one that was brought goes."""
        self.folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        for last in self.folder.glob("brought-*.zip"):
            last.unlink(missing_ok=True)
        return self.folder / f"brought-{_stamp()}.zip"

    def check(self, name: str) -> Contents:
        """Read an archive through and give what it holds. Raises :class:`ArchiveError` and :class:`NotThere`."""
        return archive.check(self.path(name))

    def restore(self, path: Path, told: Callable[[str], None] = lambda _: None) -> Contents:
        """Have the workshop be what an archive holds; what it was is put aside first. Raises :class:`ArchiveError`."""
        with self._busy:
            keep = (lambda: self._make("before-restore")) if archive.has_data(self._url) else None
            return archive.restore(self._url, path, keep_old=keep, told=told)

    def problem(self) -> str:
        """Why the last night's backup could not be made; empty where it could."""
        try:
            return self._note().read_text().strip()
        except OSError:
            return ""

    def due(self, moment: datetime) -> bool:
        """Whether a night's backup is due at a local moment."""
        last = next((one.made_at for one in self.kept() if one.kind == "nightly"), None)
        if last is None or moment - last > _LONGEST:
            return True
        tonight = moment.replace(hour=NIGHT_H, minute=0, second=0, microsecond=0)
        return moment >= tonight > last

    def make_if_due(self, moment: datetime) -> bool:
        """Make a night's backup where one is due; what goes wrong is written down, and told on the page."""
        if not self.nightly or not self.due(moment):
            return False
        try:
            self.make("nightly")
        except Exception as problem:
            _LOG.warning("the night's backup could not be made", exc_info=True)
            self.folder.mkdir(parents=True, exist_ok=True, mode=0o700)
            self._note().write_text(f"{moment:%Y-%m-%d %H:%M}: {problem}"[:500])
            return False
        self._note().unlink(missing_ok=True)
        return True

    def _note(self) -> Path:
        return self.folder / "last-problem.txt"

    def _prune(self, kind: Kind) -> None:
        most = {"nightly": NIGHTS_KEPT, "before-restore": PUT_ASIDE_KEPT}.get(kind)
        of_kind = [one for one in self.kept() if one.kind == kind]
        for old in of_kind[most:] if most is not None else ():
            (self.folder / old.name).unlink(missing_ok=True)


def _stamp() -> str:
    return datetime.now().strftime("%Y-%m-%d-%H%M%S-%f")
