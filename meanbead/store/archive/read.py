"""Open an archive and check all of it, before anything is touched."""

from __future__ import annotations

import hashlib
import json
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from typing import Any

from alembic.script import ScriptDirectory

from meanbead.store.archive.layout import FORMAT, MANIFEST, ArchiveError, Contents
from meanbead.store.database import alembic_config

__all__ = ["check", "lines_of", "opened"]

_BLOCK = 1 << 20
_MOST_MANIFEST = 256 << 20
_LONGEST_LINE = 256 << 20
_UNTOUCHED = "Nothing was touched."


@contextmanager
def opened(path: Path) -> Iterator[tuple[zipfile.ZipFile, dict[str, Any]]]:
    """An archive and its manifest. Raises :class:`ArchiveError`."""
    try:
        archive = zipfile.ZipFile(path)
    except (OSError, zipfile.BadZipFile) as problem:
        raise ArchiveError(f"This is no archive of a workshop, or it is cut off ({problem}). {_UNTOUCHED}") from None
    with archive:
        yield archive, _manifest(archive)


def _manifest(archive: zipfile.ZipFile) -> dict[str, Any]:
    try:
        info = archive.getinfo(MANIFEST)
        if info.file_size > _MOST_MANIFEST:
            raise ArchiveError(f"Its {MANIFEST} is too large to be one. {_UNTOUCHED}")
        manifest = json.loads(archive.read(info))
        if manifest["format"] != "meanbead-workshop":
            raise KeyError("format")
        version, schema = int(manifest["format_version"]), str(manifest["schema"])
        datetime.fromisoformat(manifest["made_at"])
        dict(manifest["sha256"])
        {str(table): int(count) for table, count in manifest["rows"].items()}
    except (KeyError, ValueError, TypeError, AttributeError, zipfile.BadZipFile, OSError):
        raise ArchiveError(
            f"This is no archive of a workshop: its {MANIFEST} is missing or damaged. {_UNTOUCHED}"
        ) from None
    if version > FORMAT or schema not in _known_schemas():
        raise ArchiveError(
            f"A newer Mean Bead ({manifest.get('version', 'unknown')}) made this archive: restore it with that one. {_UNTOUCHED}"
        )
    found: dict[str, Any] = manifest
    return found


def _known_schemas() -> set[str]:
    return {script.revision for script in ScriptDirectory.from_config(alembic_config()).walk_revisions()}


def check(path: Path) -> Contents:
    """Read every member and hold it against its checksum; give what the archive holds. Raises :class:`ArchiveError`."""
    with opened(path) as (archive, manifest):
        sums: dict[str, str] = manifest["sha256"]
        names = set(archive.namelist()) - {MANIFEST}
        if names != set(sums) or len(archive.namelist()) != len(names) + 1:
            odd = sorted(names ^ set(sums))[:3]
            raise ArchiveError(
                f"The archive is not whole, or something was put into it: {', '.join(odd)}. {_UNTOUCHED}"
            )
        for name, wanted in sums.items():
            digest = hashlib.sha256()
            try:
                with archive.open(name) as file:
                    while block := file.read(_BLOCK):
                        digest.update(block)
            except Exception as problem:  # of ZIP, of the packing, of the file: they have no common base
                raise ArchiveError(f"The archive is damaged at {name} ({problem}). {_UNTOUCHED}") from None
            if digest.hexdigest() != wanted:
                raise ArchiveError(f"The archive is damaged: {name} is not what was written. {_UNTOUCHED}")
        return Contents(
            datetime.fromisoformat(manifest["made_at"]),
            str(manifest.get("version", "")),
            str(manifest["schema"]),
            {str(table): int(count) for table, count in manifest["rows"].items()},
            path.stat().st_size,
        )


def lines_of(archive: zipfile.ZipFile, table: str) -> Iterator[str]:
    """A table's rows as JSON, one after the other. Raises :class:`ArchiveError` for a line that no row can be."""
    with archive.open(f"tables/{table}.jsonl") as file:
        while line := file.readline(_LONGEST_LINE):
            if not line.endswith(b"\n"):
                raise ArchiveError(f"A row of {table} is cut off, or too long. {_UNTOUCHED}")
            yield line.decode()
